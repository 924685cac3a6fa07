import { FLIP, median, mulMat3, quatToMat, seededRandom, transpose3, type Quat, type Vec3 } from '../math';
import { once, SOLVE, WITNESS, type Warning } from '../warnings';
import { asRecorded, countedAs, questionCounting, type TrackCounting } from '../track/counting';
import { assembleFree, failed } from './assemble';
import { LOOSE_PX, poseOf } from './join-parts';
import type { TrackPoint } from '../track/track-point';
import { atMainFrames, bothCameras, type Shift } from './pair-tracks';
import { hasPath, startPair, unlikeTurns, type Mounting, type PairStart } from './pair-start';
import { readoutSkewOut } from './readout';
import { toldRead } from './readout-asked';
import { Reconstruction } from './reconstruction';
import { nameMoving, noiseOf, refineAll, trim } from './refine';
import type { SolveProgress, SolveResult, TrimmedObservation } from './result';
import { readSolveSetup, type SolveLens, type SolveSetup } from './setup';
import { ruleOf, solveTracks } from './solve-tracks';
import { usualBend } from './unmeasured-lens';
import { MIN_RAY_ANGLE_RAD } from './start';

/** A witness camera that was fixed to the main one. */
export interface WitnessInput {
  /** in messages: the letter of its camera, or its name */
  name: string;
  tracks: readonly TrackPoint[];
  setup: SolveSetup;
  shift: Shift;
  /** names that are one place in both cameras. Others may be alike by chance: each camera's features are counted from one */
  shared: ReadonlySet<string>;
  /**
   * as it was noted: the pupil in the main camera's axes (x right, y up, −z forwards, m) and the turn from the witness's axes to the main camera's. It is
   * compared; only where the tracks cannot begin without it they begin from it
   */
  mounted?: { translation: Vec3; rotation: Quat } | null;
}

export interface PairOptions {
  trim?: boolean;
  seed?: number;
  /** how the main camera's tracks count, where somebody said it; a doubt that nobody answered is the answer */
  counting?: TrackCounting;
  onProgress?: (progress: SolveProgress) => void;
}

/** Together the tracks of a camera may not be louder than alone by more than this: what is rigid costs hardly anything. */
const LOUDER = 1.25;
const PLAINLY_LOUDER_PX = 0.1;
/** Whole frames that a shift may be wrong by, and how much better another one must be to be named. */
const OTHER_SHIFTS = [-3, -2, -1, 1, 2, 3];
const BETTER = 0.6;

/**
 * Main and witness camera in one adjustment: one path, the witness carried along by an offset that is found with it, places that either sees.
 * What the one sees too little of the other holds. Each is solved by itself first; where only one can be, the other begins from how it was mounted.
 * The witness's tracks are taken to the moments of the main camera's frames, so that shutters that do not open together, and other frame rates, are no error.
 * @throws CoreError for bad input; a hard problem returns `failed` or `partial` with its reason
 */
export function solvePair(given: readonly TrackPoint[], setup: SolveSetup, witness: WitnessInput, options: PairOptions = {}): SolveResult {
  const lens = readSolveSetup(setup);
  const other = readSolveSetup(witness.setup);
  const no = (reason: string): SolveResult => failed(setup, lens, reason, []);
  const unfit = unfitWords(setup, witness.setup, lens, other);
  if (unfit) return no(unfit);
  const picture = { widthPx: other.geometry.widthPx, heightPx: other.geometry.heightPx };
  const doubt = questionCounting(witness.tracks, picture);
  if (doubt) return no(`the tracks of ${witness.name}: ${doubt.words}`);
  const report = options.onProgress ?? (() => undefined);
  const half = (from: number, name: string) => (p: SolveProgress) =>
    report({
      stage: ['uncertainty', 'surveyed places', 'other starts', 'other readouts', 'other lenses'].includes(p.stage) ? 'adjusting' : p.stage,
      done: from + p.done / Math.max(1, p.total) / 2,
      total: 1,
      ...(name === '' && p.coarse ? { coarse: p.coarse } : {}),
    });
  const random = seededRandom(options.seed ?? 1);

  const names = (track: string): string => (witness.shared.has(track) ? track : `${witness.name} ${track}`);
  const main = { widthPx: lens.geometry.widthPx, heightPx: lens.geometry.heightPx };
  const asked = options.counting ? null : questionCounting(given, main);
  if (asked) return { ...no(asked.words), question: asked };
  const asRead = countedAs(given, options.counting ?? asRecorded(main), main);
  const { tracks } = readoutSkewOut(asRead, setup);
  const moments = [...new Set(tracks.map((t) => t.frame))].sort((a, b) => a - b);
  const seen = atMainFrames(readoutSkewOut(witness.tracks, witness.setup).tracks, moments, witness.shift, names);
  if (seen.length === 0) return no(`no frame of ${witness.name} ran together with one of the main camera: the shift of ${witness.shift.addFrames} frames is wrong, or the tracks are of another take`);
  const alone = solveTracks(asRead, setup, { seed: options.seed, counting: asRecorded(main), onProgress: half(0, '') });
  const aside = solveTracks(seen, { ...witness.setup, readout: undefined, anchors: sharedAnchors(setup, witness.shared) }, { seed: options.seed, onProgress: half(0.5, 'witness') });
  const start = startPair(alone, aside, mountingOf(witness.mounted), random);
  if (!start) return notTied(alone, aside, witness);

  const { obs, partner } = bothCameras(tracks, seen, lens, other);
  const r = new Reconstruction(obs, lens.map, alone.focalMm ?? lens.recordedMm, ruleOf(setup, lens.recordedMm));
  r.pair = {
    partner,
    lens: other.map,
    rotation: start.rotation,
    translation: start.translation,
    focalMm: aside.focalMm ?? other.recordedMm,
    focalRule: ruleOf(witness.setup, other.recordedMm),
    usualBend: usualBend(other),
  };
  lay(r, start, alone, aside);
  r.triangulate(MIN_RAY_ANGLE_RAD, 8);
  r.adjustAll(LOOSE_PX, 15, 1e-5);
  const trimmed: TrimmedObservation[] = [];
  const warnings: Warning[] = [];
  let iterations = refineAll(r, trimmed, report, warnings);
  const noise = weighByNoise(r);
  iterations += refineAll(r, trimmed, report, warnings);
  nameMoving(r, trimmed, warnings);
  if (options.trim) iterations += trim(r, trimmed, report, warnings);
  report({ stage: 'uncertainty', done: 0, total: 1 });
  const { mirrored, focalTold: _told, along: _along, ...solved } = assembleFree(r, lens, setup, { warnings, trimmed, iterations, focalMode: setup.focal.mode ?? 'held' });
  const shared = r.obs.trackIds.filter((id, t) => witness.shared.has(id) && r.points[t] && seenByBoth(r, t));
  const told = {
    ...solved,
    witness: solved.witness && { ...solved.witness, name: witness.name, shared, addFrames: witness.shift.addFrames },
    warnings: once([...(mirrored ? [SOLVE.MIRRORED(mirrored)] : []), ...solved.warnings]),
  };
  const doubtful = doubted(told, noise, alone, aside, tracks, witness);
  return alone.readoutSeen ? toldRead(doubtful, alone.readoutSeen) : doubtful;
}

function unfitWords(setup: SolveSetup, other: SolveSetup, lens: SolveLens, otherLens: SolveLens): string | null {
  if ([setup, other].some((s) => s.focal.mode === 'zoom')) return 'a pair of cameras is solved with one focal length each: solve a zoom by itself';
  if ([setup, other].some((s) => s.motion === 'pan' || s.motion === 'object')) return 'a pair of cameras is solved where the cameras move: solve a turn or an object by itself';
  if ([lens, otherLens].some((l) => l.freeDistortion || l.alsoFree.length > 0))
    return 'a pair of cameras holds its lenses as they were recorded: find a distortion, a principal point or a squeeze by a solve of one camera';
  return null;
}

/** What was measured at places that both see ties the witness's own solve to the same world. */
function sharedAnchors({ anchors = {} }: SolveSetup, shared: ReadonlySet<string>): SolveSetup['anchors'] {
  return {
    level: anchors.level?.filter((id) => shared.has(id)),
    lengths: anchors.lengths?.filter((l) => shared.has(l.a) && shared.has(l.b)),
    points: anchors.points?.filter((p) => shared.has(p.track)),
  };
}

function mountingOf(mounted: WitnessInput['mounted']): Mounting | null {
  if (!mounted) return null;
  const [x, y, z] = mounted.translation;
  return { at: [x, -y, -z], rotation: transpose3(mulMat3(FLIP, mulMat3(quatToMat(mounted.rotation), FLIP))) };
}

function notTied(alone: SolveResult, aside: SolveResult, witness: WitnessInput): SolveResult {
  const metres = witness.mounted ? 'without metres in the other one how it was mounted does not help: a length or height, or surveyed marks that the witness sees' : 'how it was mounted was not noted';
  const lone = !hasPath(aside) ? { name: witness.name, why: aside.reason } : !hasPath(alone) ? { name: 'the main camera', why: alone.reason } : null;
  const side =
    lone !== null
      ? `${lone.name} cannot be solved by itself (${lone.why ?? 'it only turned'}), and ${metres}`
      : `nothing says how ${witness.name} sits on the main camera: three marks that both see under one name, a move that turns about two axes, or its mounting as it was measured would`;
  const reason = `the pair is not tied: ${side}`;
  return { ...alone, status: alone.status === 'failed' ? 'failed' : 'partial', reason: alone.reason ? `${alone.reason}; ${reason}` : reason };
}

/** Puts what each solve found into the one world. */
function lay(r: Reconstruction, start: PairStart, alone: SolveResult, aside: SolveResult): void {
  r.obs.frames.forEach((frame, f) => {
    if (r.pair!.partner[f] < 0) r.poses[f] = start.poses.get(frame) ?? null;
  });
  r.pair!.partner.forEach((main, f) => {
    if (main >= 0 && r.poses[main]) r.poses[f] = r.poses[main];
  });
  r.carryWitness();
  const index = new Map(r.obs.trackIds.map((id, t) => [id, t]));
  if (hasPath(alone)) for (const p of alone.points) r.points[index.get(p.track)!] = p.position;
  if (!hasPath(aside)) return;
  for (const p of aside.points) {
    const t = index.get(p.track);
    if (t !== undefined && !r.points[t]) r.points[t] = start.carry(p.position);
  }
}

const seenByBoth = (r: Reconstruction, t: number): boolean => {
  const first = r.ownFrames;
  const frames = Array.from(r.obs.byTrack[t], (o) => r.obs.frame[o]);
  return frames.some((f) => f < first) && frames.some((f) => f >= first);
};

/** One-axis noise of each camera's tracks, px. */
interface Noises {
  main: number;
  witness: number;
}

function noisesOf(r: Reconstruction): Noises {
  const { residualPx, obsOf } = r.adjustAll(Infinity, 0);
  const of = (witness: boolean): number => {
    const list = Float64Array.from(
      Array.from(obsOf.keys()).filter((i) => r.obs.frame[obsOf[i]] >= r.ownFrames === witness),
      (i) => residualPx[i],
    );
    return list.length > 0 ? noiseOf(list) : 0;
  };
  return { main: of(false), witness: of(true) };
}

/** A small picture is quieter in its own pixels than a large one: each camera's tracks weigh by the noise that they have. */
function weighByNoise(r: Reconstruction): Noises {
  const noise = noisesOf(r);
  if (!(noise.main > 0 && noise.witness > 0)) return noise;
  const by = (noise.main / noise.witness) ** 2;
  for (let o = 0; o < r.obs.count; o += 1) if (r.obs.frame[o] >= r.ownFrames) r.obs.weight[o] *= by;
  return noise;
}

const frameCount = (n: number): string => String(Number(n.toFixed(2)));

/** A pair that is louder together than apart was not one rigid thing at these moments: the shift is wrong, or somebody touched the rig. */
function doubted(solved: SolveResult, noise: Noises, alone: SolveResult, aside: SolveResult, tracks: readonly TrackPoint[], witness: WitnessInput): SolveResult {
  const louder = (now: number, before: number | null): boolean => before !== null && now > LOUDER * before && now - before > PLAINLY_LOUDER_PX;
  const loud = (hasPath(alone) && louder(noise.main, alone.noisePx)) || (hasPath(aside) && louder(noise.witness, aside.noisePx));
  const shift = hasPath(alone) && hasPath(aside) ? betterShift(alone, aside, tracks) : null;
  if (!loud && shift === null) return solved;
  const cause =
    shift === null
      ? 'the rig moved, or the clips ran otherwise than was noted'
      : `with a shift of ${frameCount(witness.shift.addFrames + shift)} instead of ${frameCount(witness.shift.addFrames)} frames they turn as one`;
  const reason = `the two cameras were not one rigid thing as they were taken together: ${cause}`;
  return { ...solved, status: 'partial', reason: solved.reason ? `${solved.reason}; ${reason}` : reason, warnings: [WITNESS.PAIR_APART(reason), ...solved.warnings] };
}

/** Whole frames by which another shift makes the two turn as one plainly better; null: none does. */
function betterShift(alone: SolveResult, aside: SolveResult, tracks: readonly TrackPoint[]): number | null {
  const main = new Map(alone.frames.map((f) => [f.frame, poseOf(f)]));
  const turns = new Map(aside.frames.map((f) => [f.frame, poseOf(f)]));
  const now = unlikeTurns(main, turns);
  if (now === null) return null;
  let best: { by: number; unlike: number } | null = null;
  const step = median([...new Set(tracks.map((t) => t.frame))].sort((a, b) => a - b).map((f, i, all) => (i === 0 ? 1 : f - all[i - 1])));
  for (const by of OTHER_SHIFTS) {
    // frame f of the main one with what was taken for f + by of it
    const moved = new Map([...turns].map(([f, pose]) => [f - by * step, pose]));
    const unlike = unlikeTurns(main, moved);
    if (unlike !== null && (!best || unlike < best.unlike)) best = { by, unlike };
  }
  return best && best.unlike < BETTER * now ? best.by : null;
}
