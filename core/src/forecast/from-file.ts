import { CoreError } from '../errors';
import { USUAL_SIGMA } from '../facts';
import { quatToMat, type Mat3, type Quat, type Vec3 } from '../math';
import { pictureGeometry } from '../optics';
import { inFrame, projectAt } from '../setup';
import type { SolveSetup } from '../solve';
import { measurementsLeft, ranked, type Measurement } from './changes';
import { forecast, type Forecast } from './forecast';
import type { ForecastPlan } from './plan';

/** The PLAN of the command line: a setup of conventions.md with a path, marks and noise. */
export interface ForecastFile extends SolveSetup {
  path: readonly { frame: number; position: Vec3; rotation: Quat; focalMm?: number }[];
  marks: readonly { id: string; position: Vec3 }[];
  noisePx?: number;
  /** places of the set where slip is looked at */
  places?: readonly Vec3[];
}

export interface ForecastAnswer extends Forecast {
  /** the best first; `makesKnown` names scale or height where it was not observable before */
  nextBest: { kind: string; words: string; at: Vec3 | null; gainPct: number; makesKnown: string | null }[];
}

const USUAL_NOISE_PX = 0.5;
/** More sampled frames than this change no figure. */
const SAMPLED = 60;

function triple(value: unknown, field: string, length: number): void {
  if (!Array.isArray(value) || value.length !== length || !value.every((v) => Number.isFinite(v))) throw new CoreError('NON_FINITE_INPUT', `${field} must be ${length} numbers`, field);
}

/**
 * The forecast of a plan as it stands in a file. Nothing hides anything here: a mark is seen when it lies in the frame.
 * @throws CoreError with the field's path for what cannot be read as a plan
 */
export function forecastFile(file: ForecastFile, onProgress: (fraction: number) => void = () => undefined): ForecastAnswer {
  const geometry = pictureGeometry(file);
  if (!Array.isArray(file.path) || file.path.length < 2) throw new CoreError('TOO_FEW_OBSERVATIONS', 'path must hold at least two frames', 'path');
  if (!Array.isArray(file.marks)) throw new CoreError('INVALID_OPTION', 'marks must be a list', 'marks');
  const ids = new Set<string>();
  file.marks.forEach((m, i) => {
    triple(m.position, `marks[${i}].position`, 3);
    if (typeof m.id !== 'string' || ids.has(m.id)) throw new CoreError('INVALID_OPTION', `marks[${i}].id is "${String(m.id)}"; every mark needs an id of its own`, `marks[${i}].id`);
    ids.add(m.id);
  });
  let last = -Infinity;
  file.path.forEach((f, i) => {
    if (!Number.isInteger(f.frame) || f.frame <= last) throw new CoreError('INVALID_OPTION', `path[${i}].frame is ${f.frame}; frames must be whole and rise`, `path[${i}].frame`);
    last = f.frame;
    triple(f.position, `path[${i}].position`, 3);
    triple(f.rotation, `path[${i}].rotation`, 4);
  });
  const noisePx = file.noisePx ?? USUAL_NOISE_PX;
  if (!(noisePx > 0 && noisePx < 100)) throw new CoreError('INVALID_OPTION', `noisePx is ${noisePx}; it must be above 0 and below 100`, 'noisePx');
  const mode = file.focal.mode ?? 'held';
  if (!['held', 'guided', 'free', 'zoom'].includes(mode)) throw new CoreError('INVALID_OPTION', `focal.mode is "${mode}"; it must be held, guided, free or zoom`, 'focal.mode');
  if (mode === 'guided' && !((file.focal.sigmaMm ?? 0) > 0)) throw new CoreError('INVALID_OPTION', 'focal.sigmaMm must be above 0 when the focal length is guided', 'focal.sigmaMm');

  // the frames of a long path are sampled; those with a measured height are among them
  const heights = (file.anchors?.cameraHeights ?? []).map((h, i) => {
    const at = h.frame === 'last' ? file.path.length - 1 : file.path.findIndex((f) => f.frame === h.frame);
    if (at < 0) throw new CoreError('INVALID_OPTION', `anchors.cameraHeights[${i}].frame is ${h.frame}, which the path does not have`, `anchors.cameraHeights[${i}].frame`);
    return { at, sigmaM: h.sigmaM ?? USUAL_SIGMA.heightM };
  });
  const wanted = Math.min(SAMPLED, file.path.length);
  const chosen = [...new Set([...Array.from({ length: wanted }, (_, i) => Math.round((i * (file.path.length - 1)) / (wanted - 1))), ...heights.map((h) => h.at)])].sort((a, b) => a - b);
  const standsFor = file.path.length / chosen.length;
  const effective = (mm: number) => mm * (file.adapterFactor ?? 1);
  const frames = chosen.map((k) => {
    const f = file.path[k];
    const m = quatToMat(f.rotation);
    // camera to world with y up and looking along −z, read as rows right, down, forward
    const toCamera: Mat3 = [m[0], m[3], m[6], -m[1], -m[4], -m[7], -m[2], -m[5], -m[8]];
    return { frame: f.frame, position: f.position, toCamera, effectiveMm: effective(f.focalMm ?? file.focal.mm), standsFor };
  });
  const plan: ForecastPlan = {
    geometry,
    frames,
    points: file.marks.map((m) => ({ id: m.id, at: m.position })),
    sigmaPx: seenWith(geometry, frames, file.marks, noisePx),
    focal: { mode: mode === 'zoom' ? (file.focal.sigmaMm ? 'guided' : 'free') : mode, sigmaMm: effective(file.focal.sigmaMm ?? 0), perFrame: mode === 'zoom' },
    bend: bendOf(file),
    facts: {
      level: file.anchors?.level ?? [],
      levelSigmaM: USUAL_SIGMA.levelM,
      lengths: (file.anchors?.lengths ?? []).map((l) => ({ a: l.a, b: l.b, sigmaM: l.sigmaM ?? USUAL_SIGMA.tieM })),
      cameraHeights: heights.map((h) => ({ frame: chosen.indexOf(h.at), sigmaM: h.sigmaM })),
      surveyed: (file.anchors?.points ?? []).map((p) => ({ id: p.track, sigmaM: p.sigmaM ?? USUAL_SIGMA.surveyedM })),
      origin: file.anchors?.origin ?? null,
      heading: file.anchors?.heading ?? null,
    },
    ...(file.places ? { places: file.places } : {}),
  };
  const result = forecast(plan);
  return { ...result, nextBest: rankChanges(plan, result, noisePx, onProgress) };
}

/** A distortion that is found from the tracks alone is as good as unknown before. */
const UNKNOWN_AT_CORNER = 10 * USUAL_SIGMA.bendAtCorner;

/** What the lens of a file may bend besides what the file says of it. */
function bendOf({ distortion }: ForecastFile): ForecastPlan['bend'] {
  if (distortion?.mode === 'free') return { sigmaAtCorner: UNKNOWN_AT_CORNER, later: 'found' };
  return (distortion?.mode ?? 'none') === 'none' ? { sigmaAtCorner: USUAL_SIGMA.bendAtCorner, later: 'straight' } : null;
}

function seenWith(geometry: ForecastPlan['geometry'], frames: ForecastPlan['frames'], marks: readonly { position: Vec3 }[], noisePx: number): Float64Array {
  const sigma = new Float64Array(frames.length * marks.length);
  const place = new Float64Array(3);
  frames.forEach((f, i) =>
    marks.forEach((mark, p) => {
      projectAt(geometry, f.effectiveMm, f, mark.position, place);
      if (inFrame(geometry, place)) sigma[i * marks.length + p] = noisePx;
    }),
  );
  return sigma;
}

/** The same measurements as a planned setup is offered, and a further mark: mirrored through the middle of those that are there, above and below it. */
function rankChanges(plan: ForecastPlan, now: Forecast, noisePx: number, onProgress: (fraction: number) => void): ForecastAnswer['nextBest'] {
  const { points, facts } = plan;
  if (points.length === 0) return [];
  const inSight = points.filter((_, p) => plan.frames.some((__, i) => plan.sigmaPx[i * points.length + p] > 0));
  const planned = { level: facts.level, lengths: facts.lengths, heights: facts.cameraHeights.length };
  const measurements = measurementsLeft({ inSight, facts: planned, lensHeld: plan.focal.mode === 'held' && plan.bend === null, start: plan.frames[0].position });
  const changes: Change[] = [...furtherMarks(plan, noisePx), ...measurements.map((m) => ({ kind: m.kind, words: m.words, at: m.at, plan: withMeasurement(plan, m) }))];
  return ranked(now, changes, (c) => forecast(c.plan), onProgress).map(({ kind, words, at, gainPct, makesKnown }) => ({ kind, words, at, gainPct, makesKnown }));
}

type Change = { kind: string; words: string; at: Vec3 | null; plan: ForecastPlan };

function withMeasurement(plan: ForecastPlan, m: Measurement): ForecastPlan {
  const measured = (more: Partial<ForecastPlan['facts']>): ForecastPlan => ({ ...plan, facts: { ...plan.facts, ...more } });
  if (m.kind === 'tie') return measured({ lengths: [...plan.facts.lengths, { a: m.a, b: m.b, sigmaM: m.sigmaM }] });
  if (m.kind === 'level') return measured({ level: [...plan.facts.level, ...m.ids] });
  if (m.kind === 'height') return measured({ cameraHeights: [...plan.facts.cameraHeights, { frame: 0, sigmaM: m.sigmaM }] });
  return { ...plan, focal: { ...plan.focal, mode: 'held' }, bend: null };
}

function furtherMarks(plan: ForecastPlan, noisePx: number): Change[] {
  const { points } = plan;
  const mean = [0, 1, 2].map((a) => points.reduce((s, p) => s + p.at[a], 0) / points.length);
  const reach = [0, 1, 2].map((a) => Math.max(0.5, ...points.map((p) => Math.abs(p.at[a] - mean[a]))));
  return [
    [-1, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, -1],
    [0, 0, 1],
    [-1, 1, 1],
    [1, 1, -1],
  ].map(([x, y, z]) => {
    const at: Vec3 = [mean[0] + x * reach[0], mean[1] + y * reach[1], mean[2] + z * reach[2]];
    const more = [...points, { id: 'further mark', at }];
    const marks = more.map((p) => ({ position: p.at }));
    return { kind: 'mark', words: `A mark at ${at.map((v) => v.toFixed(2)).join(', ')} m`, at, plan: { ...plan, points: more, sigmaPx: seenWith(plan.geometry, plan.frames, marks, noisePx) } };
  });
}
