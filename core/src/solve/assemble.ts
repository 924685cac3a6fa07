import { anchorSolve, meanSigma } from '../anchor';
import { applySimilarity, FLIP, matToQuat, mulMat3, mulMatVec, norm, quatToMat, transpose3, type Mat3, type Quat, type Similarity, type Vec3 } from '../math';
import { bendFelt, bendingSeen } from './bending';
import { residualsAt, type BundleProblem, type FreeLensUnknown, type LensUnknown } from './bundle-problem';
import { BundleCovariance } from './covariance';
import { focalProfile } from './focal-profile';
import type { Tied } from './held-by-places';
import { heightsOverMarks, mirroredSeen } from './mirrored';
import { centerOf, type Reconstruction } from './reconstruction';
import { readoutLeft } from './readout-left';
import { driftOf } from './residual-drift';
import { pupilOf, turnOfWitness } from './pair-start';
import { noWorld, type PairedWitness, type SolvedFrame, type SolveResult, type TrimmedObservation } from './result';
import type { SolveLens, SolveSetup } from './setup';
import { MIN_SHARED_TRACKS } from './start';
import { trimWould } from './trim';
import { turnToWorld, uprightTurn } from './turn';
import { SOLVE, type Warning } from '../warnings';
import { bendResponse, sigmaByTracks, unmeasuredColumns, usualBend } from './unmeasured-lens';

/** Nothing was solved, and why. */
export function failed(setup: SolveSetup, lens: SolveLens, reason: string, warnings: Warning[]): SolveResult {
  return {
    status: 'failed',
    reason,
    width: lens.geometry.widthPx,
    height: lens.geometry.heightPx,
    ...noWorld(),
    focalMode: (setup.focal.mode ?? 'held') as SolveResult['focalMode'],
    distortion: describeLens(lens, lens.map.follows),
    warnings,
    iterations: 0,
  };
}

const describeLens = (lens: SolveLens, follows: boolean): SolveResult['distortion'] => ({
  ...lens.map.distortion,
  mode: lens.hasDistortion ? 'held' : 'none',
  normalisedWithMm: lens.map.normaliserMm,
  follows,
});

export interface Story {
  warnings: Warning[];
  trimmed: TrimmedObservation[];
  iterations: number;
  focalMode: string;
  /** whether the lens bends is asked where nobody said it; default true */
  mayBend?: boolean;
}

/** A sigma of more than this share of the focal length is not to be trusted from the curvature alone. */
const POORLY_SEEN = 0.02;
/** Below it a drift is not worth a word. */
const WORTH_SAYING = 1.5;

/** What the residuals of the whole say, by frame and by track, and how well everything is known; warnings go to the story. */
function gather(r: Reconstruction, lens: SolveLens, story: Story) {
  const { problem, state, frameOf, trackOf, obsOf } = r.toBundle();
  const { warnings } = story;
  const residual = residualsAt(problem, state);
  const n = problem.camera.length;
  const frameSum = new Float64Array(frameOf.length),
    frameCount = new Float64Array(frameOf.length);
  const pointSum = new Float64Array(trackOf.length),
    pointCount = new Float64Array(trackOf.length);
  let sum = 0;
  let weightedSum = 0;
  const radiusPx = new Float64Array(n);
  for (let i = 0; i < n; i += 1) {
    const weighted = residual[2 * i] ** 2 + residual[2 * i + 1] ** 2;
    const e2 = weighted / problem.weight[i];
    radiusPx[i] = Math.sqrt(e2);
    sum += e2;
    weightedSum += weighted;
    frameSum[problem.camera[i]] += e2;
    frameCount[problem.camera[i]] += 1;
    pointSum[problem.point[i]] += e2;
    pointCount[problem.point[i]] += 1;
  }
  const rmsPx = Math.sqrt(sum / n);
  const focal = (problem.focal.held ? 0 : 1 + (problem.zoom?.count ?? 0)) + (problem.freeLens?.length ?? 0);
  // a turn has three unknowns a frame and two a direction, all turned together by any amount
  const unknowns = (r.turnOnly ? 3 * frameOf.length + 2 * trackOf.length - 3 : 6 * frameOf.length + 3 * trackOf.length - 7) + focal;
  const redundancy = 2 * n - unknowns;
  const variance = weightedSum / Math.max(1, redundancy);
  const drift = driftOf(r);
  // what has as many unknowns as it has numbers fits whatever they are, and tells nothing of their noise
  const covariance = redundancy > 0 ? BundleCovariance.compute(problem, state, r.huberPx, r.factored) : null;
  r.factored = null;
  // what drifts along its track says less than its number of frames: everything that is known is known so much worse. The residuals say it
  // themselves too, track by track; what they lost to the fit, and what is slower than the tracks are long, only the model of a drift tells
  const along = Math.max(drift.factor, beyondChance(covariance?.clusteredCameras(variance)));
  const told = variance * along;
  // a lens that bends leaves errors that go along the tracks too, unless cameras and places took them up
  const mayBend = story.mayBend !== false && !r.pair && !lens.hasDistortion && !lens.freeDistortion;
  const byResiduals = mayBend && drift.factor > WORTH_SAYING ? bendingSeen(problem, state) : null;
  // a zoom's lengths take up what grows towards the border in their own way
  const focalSigmaMm = problem.focal.held || r.zoom || !covariance ? null : Math.sqrt(told * covariance.focalVariance());
  const asksFocal = mayBend && !byResiduals ? focalSigmaMm : null;
  const unmeasured = { main: usualBend(lens), witness: r.pair?.usualBend ?? null };
  const asked = { main: unmeasured.main !== null || asksFocal !== null, witness: unmeasured.witness !== null };
  const response = (asked.main || asked.witness) && covariance && told > 0 ? bendResponse(covariance.factored, asked) : null;
  const bending = byResiduals ?? (response && asksFocal !== null ? bendFelt(r, along, told, asksFocal, response) : null);
  // from here on everything is known so much worse as the lens may bend
  if (response && covariance && (unmeasured.main ?? unmeasured.witness) !== null) covariance.withNuisances(unmeasuredColumns(response, unmeasured, told));
  if (bending) warnings.push(SOLVE.LENS_BENDS(bending.k1, rmsPx, rmsPx * Math.sqrt(bending.remaining), bending.movesFocal));
  else if (drift.factor > WORTH_SAYING) warnings.push(SOLVE.TRACKS_DRIFT(Math.sqrt(along)));
  if (!covariance) warnings.push(SOLVE.NO_DEVIATIONS());
  const moving = story.trimmed.filter((t) => t.frame === null);
  if (moving.length > 0) warnings.push(SOLVE.TRACKS_MOVE(moving.length, r.obs.trackIds.length));
  const few = frameOf.filter((_, c) => frameCount[c] < MIN_SHARED_TRACKS).length;
  if (few > 0) warnings.push(SOLVE.THIN_FRAMES(few, MIN_SHARED_TRACKS));
  const unplaced = r.poses.flatMap((p, f) => (p || f >= r.ownFrames ? [] : [r.obs.frames[f]]));
  return {
    problem,
    state,
    frameOf,
    trackOf,
    n,
    residual,
    frameSum,
    frameCount,
    pointSum,
    pointCount,
    rmsPx,
    variance,
    lacks: lacking(frameOf.length, n, unknowns),
    told,
    drift,
    along,
    bending,
    rowsLean: r.pair ? null : readoutLeft(r, problem, residual, obsOf, Math.sqrt(variance), lens.geometry.heightPx),
    covariance,
    unplaced,
    trimWould: story.trimmed.some((t) => t.reason === 'trim') ? null : trimWould(radiusPx, problem.point),
  };
}

/** Why what is left of the tracks is no solve; null: it is one. */
function lacking(frames: number, sightings: number, unknowns: number): string | null {
  if (frames >= 2 && sightings >= 2 * MIN_SHARED_TRACKS && 2 * sightings > unknowns) return null;
  return `too few tracks are left: ${sightings} sightings in ${frames} ${frames === 1 ? 'frame' : 'frames'} give ${2 * sightings} numbers for ${unknowns} unknowns, so that nothing would show a mistake`;
}

/** A distortion that was found, and how well. */
function foundLens(r: Reconstruction, lens: SolveLens, g: ReturnType<typeof gather>): SolveResult['distortion'] {
  const sigma: Record<string, number> = {};
  for (const { name } of g.problem.freeLens ?? []) if (name.startsWith('k') && g.covariance) sigma[name] = sigmaOf(g, name)!;
  return { ...r.lens.distortion, mode: r.lensPriors.k1 ? 'guided' : 'free', normalisedWithMm: lens.map.normaliserMm, follows: false, sigma };
}

/** Of an unknown of the lens that was found. */
function sigmaOf(g: ReturnType<typeof gather>, name: FreeLensUnknown['name']): number | null {
  const at = (g.problem.freeLens ?? []).findIndex((q) => q.name === name);
  return at < 0 || !g.covariance ? null : Math.sqrt(g.covariance.lensVariance(at) * g.told);
}

/** What is known beforehand says all there is: the tracks added nothing worth the name. */
const NOT_TOLD = 0.7;

/** Principal point and squeeze that were found, how well, and whether the tracks told them. */
function foundBesides(r: Reconstruction, lens: SolveLens, setup: SolveSetup, g: ReturnType<typeof gather>, warnings: Warning[]): Pick<SolveResult, 'found'> {
  if (!lens.alsoFree.some((name) => r.freeLens.includes(name))) return {};
  const told = (name: LensUnknown): boolean => (sigmaOf(g, name) ?? Infinity) < NOT_TOLD * lens.priors[name]!.sigma;
  const found: NonNullable<SolveResult['found']> = {};
  if (r.freeLens.includes('cx')) {
    found.principalPx = { x: r.lens.cx, y: r.lens.cy, sigmaX: sigmaOf(g, 'cx'), sigmaY: sigmaOf(g, 'cy'), told: told('cx') || told('cy') };
    if (!found.principalPx.told) warnings.push(SOLVE.CENTRE_NOT_TOLD(lens.priors.cx!.sigma));
  }
  if (lens.alsoFree.includes('ratio')) {
    const { pxPerMmX, pxPerMmY } = lens.geometry;
    const ratio = r.lens.pxPerMmX / r.lens.pxPerMmY;
    const value = ((setup.squeeze ?? 1) * (pxPerMmX / pxPerMmY)) / ratio;
    const sigma = sigmaOf(g, 'ratio');
    found.squeeze = { value, sigma: sigma === null ? null : (value * sigma) / ratio, told: told('ratio') };
    if (!found.squeeze.told) warnings.push(SOLVE.SQUEEZE_NOT_TOLD());
  }
  return { found };
}

/** Focal length over the common one, as the middle of all cameras. */
const meanProfile = (p: BundleProblem): number => (p.profile ? p.profile.reduce((s, v) => s + v, 0) / p.profile.length : 1);

/** Of each camera its focal length, and how well that is known where it zooms. */
function focalOf(r: Reconstruction, g: ReturnType<typeof gather>, camera: number): { focalMm: number; sigmaFocalMm?: number | null } {
  const ratio = g.problem.profile?.[camera] ?? 1;
  if (!g.problem.zoom) return { focalMm: r.focalMm * ratio };
  const { count, basis } = g.problem.zoom;
  const byZoom = Array.from({ length: count }, (_, k) => r.focalMm * basis[camera * count + k]);
  return { focalMm: r.focalMm * ratio, sigmaFocalMm: g.covariance ? Math.sqrt(g.covariance.focalVarianceAt(ratio, byZoom) * g.told) : null };
}

/** A factor that was counted from so many clusters, where it is above what chance makes of 1. */
const beyondChance = (c: { factor: number; effective: number } | undefined): number => (c && c.factor > 1 + Math.sqrt(2 / Math.max(1, c.effective)) ? c.factor : 1);

/** Variance of the focal length: from the tracks as they say it together, and from what was known beforehand. */
function varianceOfFocal(g: ReturnType<typeof gather>, covariance: BundleCovariance): number {
  const c = covariance.clustered({ focal: 1 }, g.variance);
  const whole = covariance.focalVariance();
  return g.told * (whole - c.own) + g.variance * Math.max(g.along, beyondChance(c)) * c.own;
}

/** How well a focal length is known, and what of that an unmeasured lens makes. */
interface FocalKnown {
  sigmaFocalMm: number | null;
  sigmaByLensMm: number | null;
}

/** Of the middle of all cameras. */
function sigmaOfFocal(r: Reconstruction, g: ReturnType<typeof gather>): FocalKnown {
  const { covariance, told, problem } = g;
  // so few of many frames were not asked, and where it began is no knowledge
  if (problem.focal.held) return r.focalRule.held ? { sigmaFocalMm: 0, sigmaByLensMm: 0 } : { sigmaFocalMm: null, sigmaByLensMm: null };
  if (!covariance) return { sigmaFocalMm: null, sigmaByLensMm: null };
  const { zoom, cameraCount } = problem;
  if (!zoom) return { sigmaFocalMm: Math.sqrt(varianceOfFocal(g, covariance)), sigmaByLensMm: Math.sqrt(told * covariance.focalVarianceByNuisances()) };
  const byZoom = Array.from({ length: zoom.count }, (_, k) => {
    let sum = 0;
    for (let c = 0; c < cameraCount; c += 1) sum += zoom.basis[c * zoom.count + k];
    return (r.focalMm * sum) / cameraCount;
  });
  const byFocal = meanProfile(problem);
  return { sigmaFocalMm: Math.sqrt(covariance.focalVarianceAt(byFocal, byZoom) * told), sigmaByLensMm: Math.sqrt(covariance.focalVarianceByNuisances(byFocal, byZoom) * told) };
}

/** The lens makes more of what is not known than all else. */
const MOSTLY_LENS = Math.SQRT1_2;

/** What every solve says, of whatever motion. */
function common(r: Reconstruction, lens: SolveLens, setup: SolveSetup, story: Story, g: ReturnType<typeof gather>, { sigmaFocalMm, sigmaByLensMm }: FocalKnown) {
  // by the move, whatever the lens makes of it
  const byTracksMm = sigmaByTracks({ sigmaFocalMm, sigmaByLensMm });
  if (g.problem.focal.held && !r.focalRule.held) story.warnings.push(SOLVE.FOCAL_NOT_ASKED(g.frameOf.length, r.obs.frames.length));
  if (byTracksMm !== null && byTracksMm > 0.03 * r.focalMm) story.warnings.push(SOLVE.FOCAL_HARDLY_SEEN(byTracksMm));
  if (sigmaFocalMm && sigmaByLensMm && sigmaByLensMm > MOSTLY_LENS * sigmaFocalMm && !g.bending) story.warnings.push(SOLVE.LENS_UNMEASURED(sigmaFocalMm, sigmaByLensMm));
  return {
    width: lens.geometry.widthPx,
    height: lens.geometry.heightPx,
    focalMm: r.focalMm * meanProfile(g.problem),
    sigmaFocalMm,
    sigmaByLensMm,
    focalMode: story.focalMode as SolveResult['focalMode'],
    distortion: lens.freeDistortion ? foundLens(r, lens, g) : describeLens(lens, r.lens.follows),
    ...foundBesides(r, lens, setup, g, story.warnings),
    rmsPx: g.rmsPx,
    rmsPerMille: (g.rmsPx / lens.geometry.widthPx) * 1000,
    noisePx: Math.sqrt(g.variance),
    driftFactor: g.drift.factor,
    trimmed: story.trimmed,
    trimWould: g.trimWould,
    bending: g.bending,
    rowsLean: g.rowsLean,
    warnings: story.warnings,
    iterations: story.iterations,
  };
}

export const unplacedWords = (unplaced: readonly number[], of: number): string =>
  `${unplaced.length} of ${of} frames could not be placed (${ranges(unplaced)}): too few tracks connect them to the rest`;

/** A camera that moved: places, points, and how they are tied to the world. */
export function assembleFree(r: Reconstruction, lens: SolveLens, setup: SolveSetup, story: Story): Tied & { mirrored: string | null } {
  const { obs } = r;
  const { warnings } = story;
  const g = gather(r, lens, story);
  const { problem, state, frameOf, trackOf, frameSum, frameCount, pointSum, pointCount, told, covariance, unplaced } = g;
  const poses = frameOf.map((f) => r.poses[f]!);
  const anchored = anchorSolve(
    {
      frames: frameOf.map((f) => obs.frames[f]),
      lastFrame: obs.frames[r.ownFrames - 1],
      centers: poses.map(centerOf),
      rotations: poses.map((p) => p.rotation),
      translations: poses.map((p) => p.translation),
      trackIds: trackOf.map((t) => obs.trackIds[t]),
      points: trackOf.map((t) => r.points[t]!),
      variance: told,
      covariance,
    },
    setup.anchors ?? {},
  );
  warnings.push(...anchored.warnings);
  const sim = anchored.similarity;
  const cameraSpread = frameOf.map((_, index) => anchored.positionCovarianceM2({ kind: 'camera', index }));
  const pointSpread = trackOf.map((_, index) => anchored.positionCovarianceM2({ kind: 'point', index }));

  const known = sigmaOfFocal(r, g);
  // where it is well seen the curvature says it; where it is not, the cost itself is asked
  const bySlope = sigmaByTracks(known);
  const asked = bySlope !== null && !problem.focal.priorSigmaMm && !problem.zoom && bySlope > POORLY_SEEN * r.focalMm ? focalProfile(problem, state, lens.recordedMm, told) : null;
  const sigmaFocalMm = bySlope === null || asked === null ? known.sigmaFocalMm : Math.hypot(Math.max(bySlope, asked), known.sigmaByLensMm ?? 0);
  const solved = unplaced.length === 0;
  const frames = frameOf.map((f, c) => ({
    frame: obs.frames[f],
    position: applySimilarity(sim, centerOf(poses[c])),
    rotation: cameraToWorld(poses[c].rotation, sim.rotation),
    ...focalOf(r, g, c),
    rmsPx: Math.sqrt(frameSum[c] / Math.max(1, frameCount[c])),
    tracks: frameCount[c],
    sigmaPositionM: cameraSpread[c] && meanSigma(cameraSpread[c]),
    covarianceM2: cameraSpread[c],
  }));
  return {
    status: g.lacks !== null ? 'failed' : solved ? 'solved' : 'partial',
    reason: g.lacks ?? (solved ? null : unplacedWords(unplaced, r.ownFrames)),
    ...common(r, lens, setup, story, g, { ...known, sigmaFocalMm }),
    frames,
    ...(r.pair ? { witness: pairedWitness(r, g, sim, frames, anchored.sigmaScale) } : {}),
    points: trackOf.map((t, p) => ({
      track: obs.trackIds[t],
      position: applySimilarity(sim, r.points[t]!),
      sigmaM: pointSpread[p] && meanSigma(pointSpread[p]),
      covarianceM2: pointSpread[p],
      rmsPx: Math.sqrt(pointSum[p] / Math.max(1, pointCount[p])),
      observations: pointCount[p],
    })),
    anchoring: {
      scale: anchored.scaled ? sim.scale : null,
      sigmaScalePct: anchored.sigmaScale === null ? null : (100 * anchored.sigmaScale) / sim.scale,
      datum: anchored.datum,
      residuals: anchored.residuals,
      undecided: anchored.undecided,
      angles: (setup.anchors?.cameraAngles ?? []).map(({ frame, of }) => {
        const asked = frame === 'last' ? obs.frames[r.ownFrames - 1] : frame;
        const camera = frameOf.findIndex((f) => obs.frames[f] === asked);
        const a = camera < 0 ? null : anchored.anglesOf(camera);
        return a && (of === 'tilt' ? { rad: a.tiltRad, sigmaRad: a.sigmaTiltRad } : { rad: a.rollRad, sigmaRad: a.sigmaRollRad });
      }),
    },
    focalTold: anchored.focalTold,
    along: g.along,
    mirrored: mirroredSeen(
      heightsOverMarks(
        poses.map((p) => applySimilarity(sim, centerOf(p))[1]),
        (setup.anchors?.level ?? []).flatMap((id) => {
          const at = trackOf.findIndex((t) => obs.trackIds[t] === id);
          return at < 0 ? [] : [applySimilarity(sim, r.points[trackOf[at]]!)[1]];
        }),
      ),
      new Map(trackOf.map((t) => [obs.trackIds[t], r.points[t]!])),
      setup.anchors ?? {},
    ),
  };
}

/** The witness that the cameras carry: where it sat on them, in metres where they are, and where it was in each frame. */
function pairedWitness(r: Reconstruction, g: ReturnType<typeof gather>, sim: Similarity, frames: readonly SolvedFrame[], sigmaScale: number | null): PairedWitness {
  const pair = r.pair!;
  const { obs } = r;
  const own = pupilOf(pair.rotation, pair.translation);
  const translation: Vec3 = [sim.scale * own[0], sim.scale * own[1], sim.scale * own[2]];
  const turn = turnOfWitness(pair.rotation);
  const three = (names: readonly FreeLensUnknown['name'][]): number | null => {
    const each = names.map((name) => sigmaOf(g, name));
    return each.some((v) => v === null) ? null : Math.hypot(...(each as number[])) / Math.sqrt(3);
  };
  const off = three(['offX', 'offY', 'offZ']);
  const turned = three(['turnX', 'turnY', 'turnZ']);
  const byScale = sigmaScale === null ? 0 : (norm(own) * sigmaScale) / Math.sqrt(3);
  const sigmaM = off === null ? null : Math.hypot(sim.scale * off, byScale);
  const [sums, counts] = [new Map<number, number>(), new Map<number, number>()];
  g.problem.camera.forEach((c, i) => {
    if (!g.problem.pair?.of[i]) return;
    const frame = obs.frames[g.frameOf[c]];
    sums.set(frame, (sums.get(frame) ?? 0) + (g.residual[2 * i] ** 2 + g.residual[2 * i + 1] ** 2) / g.problem.weight[i]);
    counts.set(frame, (counts.get(frame) ?? 0) + 1);
  });
  // weights were made equal to the main camera's noise: its own pixels again
  const total = (m: ReadonlyMap<number, number>) => [...m.values()].reduce((s, v) => s + v, 0);
  return {
    name: '',
    focalMm: pair.focalMm,
    sigmaFocalMm: pair.focalRule.held ? 0 : sigmaOf(g, 'witnessMm'),
    rmsPx: Math.sqrt(total(sums) / Math.max(1, total(counts))),
    translation,
    rotation: matToQuat(turn),
    sigmaM,
    sigmaDeg: turned === null ? null : (turned * 180) / Math.PI,
    frames: frames.flatMap((f): SolvedFrame[] => {
      const tracks = counts.get(f.frame);
      if (!tracks) return [];
      const main = quatToMat(f.rotation);
      const at = mulMatVec(main, translation);
      return [
        {
          frame: f.frame,
          position: [f.position[0] + at[0], f.position[1] + at[1], f.position[2] + at[2]],
          rotation: matToQuat(mulMat3(main, turn)),
          focalMm: pair.focalMm,
          rmsPx: Math.sqrt(sums.get(f.frame)! / tracks),
          tracks,
          sigmaPositionM: f.sigmaPositionM === null || sigmaM === null ? null : Math.hypot(f.sigmaPositionM, sigmaM),
        },
      ];
    }),
    shared: [],
    addFrames: 0,
  };
}

/** A turn of less than so many times the noise of a track is none. */
const STILL_NOISES = 3;
/** By how much a small turn moves the picture, px: about the line of sight it moves what lies half way out, else all of it. */
function shiftOfTurnPx(from: Mat3, to: Mat3, slopeToPx: number, outPx: number): number {
  const m = mulMat3(to, transpose3(from));
  return Math.hypot(slopeToPx * (m[7] - m[5]), slopeToPx * (m[2] - m[6]), outPx * (m[3] - m[1])) / 2;
}

/** A camera that only turned. Nothing of it is in metres; what is up is known by tilt and roll where they were recorded. */
export function assembleTurn(r: Reconstruction, lens: SolveLens, setup: SolveSetup, story: Story): SolveResult {
  const { obs } = r;
  if (r.placedFrames().length === 0) return failed(setup, lens, 'as a turn no frame holds: the tracks do not fit a camera that only turns', story.warnings);
  const g = gather(r, lens, story);
  const { frameOf, trackOf, frameSum, frameCount, pointSum, pointCount, unplaced } = g;
  const rotations = frameOf.map((f) => r.poses[f]!.rotation);
  const world = uprightTurn(
    frameOf.map((f) => obs.frames[f]),
    rotations,
    setup.anchors ?? {},
  );
  const asked = setup.motion === 'pan';
  const { widthPx, heightPx } = lens.geometry;
  const most = Math.max(0, ...rotations.map((to) => shiftOfTurnPx(rotations[0], to, r.slopeToPx, Math.hypot(widthPx, heightPx) / 4)));
  const still = most < STILL_NOISES * Math.sqrt(g.variance);
  if (!asked && !still) story.warnings.unshift(SOLVE.CAMERA_TURNS());
  if (still) story.warnings.unshift(SOLVE.CAMERA_STANDS());
  const whole = unplaced.length === 0;
  const reasons = [
    ...(asked ? [] : [`no parallax: the camera ${still ? 'stands still' : 'turns but does not move'}, so directions are seen and no depth`]),
    ...(whole ? [] : [unplacedWords(unplaced, obs.frames.length)]),
  ];
  return {
    motion: 'pan',
    status: g.lacks !== null ? 'failed' : reasons.length === 0 ? 'solved' : 'partial',
    reason: g.lacks ?? (reasons.length === 0 ? null : reasons.join('; ')),
    ...common(r, lens, setup, story, g, sigmaOfFocal(r, g)),
    frames: frameOf.map((f, c) => ({
      frame: obs.frames[f],
      position: [0, 0, 0],
      rotation: turnToWorld(rotations[c], world.rotation),
      ...focalOf(r, g, c),
      rmsPx: Math.sqrt(frameSum[c] / Math.max(1, frameCount[c])),
      tracks: frameCount[c],
      sigmaPositionM: null,
      covarianceM2: null,
    })),
    points: [],
    directions: trackOf.map((t, p) => ({
      track: obs.trackIds[t],
      direction: mulMatVec(world.rotation, r.points[t]!),
      rmsPx: Math.sqrt(pointSum[p] / Math.max(1, pointCount[p])),
      observations: pointCount[p],
    })),
    anchoring: { scale: null, sigmaScalePct: null, datum: [world.datum, 'the camera at the origin'], residuals: [], undecided: null, angles: (setup.anchors?.cameraAngles ?? []).map(() => null) },
  };
}

/** Picture axes (x right, y down, z forward) to the conventions' camera (x right, y up, looking along −z), then to the anchored world. */
function cameraToWorld(worldToCamera: Mat3, anchorRotation: Mat3): Quat {
  return matToQuat(mulMat3(mulMat3(anchorRotation, transpose3(worldToCamera)), FLIP));
}

/** "12–40, 55": consecutive frame numbers in one. */
function ranges(frames: readonly number[]): string {
  const out: string[] = [];
  for (let i = 0; i < frames.length;) {
    let j = i;
    while (j + 1 < frames.length && frames[j + 1] === frames[j] + 1) j += 1;
    out.push(i === j ? String(frames[i]) : `${frames[i]}–${frames[j]}`);
    i = j + 1;
  }
  return out.length > 6 ? `${out.slice(0, 6).join(', ')} …` : out.join(', ');
}
