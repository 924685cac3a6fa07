import { distance, type Vec3 } from '../math';
import { SOLVE } from '../warnings';
import { unplacedWords } from './assemble';
import { isLine, type PlacedPart } from './join-parts';
import type { SolveResult } from './result';
import type { AnchorFacts } from '../facts';
import type { SolveSetup } from './setup';

/** A result with its stretches; `stretches` has the numbers of their frames. */
export interface Parted {
  solved: SolveResult;
  stretches: { part: PlacedPart['part']; frames: number[] }[];
  /** of all frames with tracks */
  frames: readonly number[];
}

const LEAST_SURVEYED = 3;
/** Places of two stretches that are surveyed both, and differ by more sigmas than this, are not one place. */
const SAME_SIGMAS = 5;
/** Focal lengths of two stretches that differ by more sigmas than this are two. */
const CHANGED_SIGMAS = 4;
const CHANGED_SHARE = 0.01;

/**
 * Stretches that no tracks tie, each put into the world by surveyed places of its own, three at least and on no line. They are not adjusted
 * together: a survey is all that they share.
 * @param solveStretch solves some frames by themselves, with these anchors
 */
export function joinSurveyed({ solved, stretches, frames }: Parted, setup: SolveSetup, solveStretch: (frames: ReadonlySet<number>, anchors: AnchorFacts) => SolveResult): SolveResult {
  const anchors = setup.anchors ? atFrames(setup.anchors, frames[frames.length - 1]) : {};
  let whole = solved;
  for (const { part, frames: own } of stretches) {
    if (part.holds !== 'nothing' || surveyedIn(whole, setup).length < LEAST_SURVEYED || !spread(whole, setup)) continue;
    const side = solveStretch(new Set(own), anchors);
    if (side.status === 'failed' || side.motion === 'pan' || surveyedIn(side, setup).length < LEAST_SURVEYED || !spread(side, setup)) continue;
    const apart = notOne(whole, side);
    if (apart.length > 0) {
      whole = { ...whole, warnings: [...whole.warnings, SOLVE.PARTS_CONTRADICT(part.from, part.to, apart.slice(0, 3))] };
      continue;
    }
    part.holds = 'surveyed';
    part.by = surveyedIn(side, setup);
    whole = merged(whole, side, frames);
  }
  return whole;
}

/** The last frame of the take is another one than that of a stretch. */
function atFrames(anchors: AnchorFacts, last: number): AnchorFacts {
  const at = <T extends { frame: number | 'last' }>(list: readonly T[] | undefined): T[] | undefined => list?.map((f) => (f.frame === 'last' ? { ...f, frame: last } : f));
  return { ...anchors, cameraHeights: at(anchors.cameraHeights), distances: at(anchors.distances), cameraAngles: at(anchors.cameraAngles) };
}

/** Surveyed tracks that a solve stands on. */
function surveyedIn(solve: SolveResult, setup: SolveSetup): string[] {
  const out = new Set(solve.anchoring.residuals.filter((f) => f.kind === 'surveyed' && f.leftOut).map((f) => f.index));
  const solved = new Set(solve.points.map((p) => p.track));
  return (setup.anchors?.points ?? []).flatMap((p, i) => (solved.has(p.track) && !out.has(i) ? [p.track] : []));
}

/** Do they span a plane? */
function spread(solve: SolveResult, setup: SolveSetup): boolean {
  const at = surveyedIn(solve, setup).map((id): Vec3 => {
    const p = setup.anchors!.points!.find((q) => q.track === id)!;
    return [p.x, p.y, p.z];
  });
  return at.some((a, i) => at.some((b, j) => j > i && at.some((c, k) => k > j && !isLine([a, b, c]))));
}

/** Tracks that both have, and that lie elsewhere in the one than in the other. */
function notOne(a: SolveResult, b: SolveResult): string[] {
  const there = new Map(b.points.map((p) => [p.track, p]));
  return a.points.flatMap((p) => {
    const q = there.get(p.track);
    if (!q || p.sigmaM === null || q.sigmaM === null) return [];
    return distance(p.position, q.position) > SAME_SIGMAS * Math.sqrt(3) * Math.hypot(p.sigmaM, q.sigmaM) ? [p.track] : [];
  });
}

function merged(a: SolveResult, b: SolveResult, frames: readonly number[]): SolveResult {
  const placed = new Set([...a.frames, ...b.frames].map((f) => f.frame));
  const words = (of: ReadonlySet<number>): string | null => {
    const open = frames.filter((f) => !of.has(f));
    return open.length === 0 ? null : unplacedWords(open, frames.length);
  };
  const before = words(new Set(a.frames.map((f) => f.frame)));
  const now = words(placed);
  const rest = (a.reason ?? '').split('; ').filter((r) => r !== '' && r !== before);
  const reasons = [...rest, ...(now ? [now] : [])];
  const known = new Set(a.points.map((p) => p.track));
  // what one side alone does not have is no fault of the record
  const missing = new Set(['MARK_NOT_SOLVED', 'FRAME_NOT_PLACED']);
  const inBoth = new Set(b.warnings.map((w) => w.words));
  const mean = meanFocal(a, b);
  return {
    ...a,
    ...mean,
    status: a.status === 'failed' ? 'failed' : reasons.length === 0 ? 'solved' : 'partial',
    reason: reasons.length === 0 ? null : reasons.join('; '),
    rmsPx: together(a, b, (s) => s.rmsPx),
    rmsPerMille: together(a, b, (s) => s.rmsPerMille),
    noisePx: together(a, b, (s) => s.noisePx),
    ...(a.driftFactor === undefined ? {} : { driftFactor: Math.max(a.driftFactor, b.driftFactor ?? 1) }),
    frames: [...a.frames, ...b.frames].sort((p, q) => p.frame - q.frame),
    points: [...a.points, ...b.points.filter((p) => !known.has(p.track))],
    trimmed: [...a.trimmed, ...b.trimmed],
    anchoring: {
      ...a.anchoring,
      residuals: [...a.anchoring.residuals, ...b.anchoring.residuals],
      angles: a.anchoring.angles?.map((angle, i) => angle ?? b.anchoring.angles?.[i] ?? null),
      undecided: a.anchoring.undecided ?? b.anchoring.undecided,
    },
    warnings: a.warnings.filter((w) => !missing.has(w.code) || inBoth.has(w.words)).concat(b.warnings.filter((w) => !missing.has(w.code) && !a.warnings.some((v) => v.words === w.words))),
    iterations: a.iterations + b.iterations,
  };
}

/** Over all places seen, as the root of the mean square. */
function together(a: SolveResult, b: SolveResult, of: (s: SolveResult) => number | null): number | null {
  const seen = (s: SolveResult) => s.frames.reduce((n, f) => n + f.tracks, 0);
  const [p, q] = [of(a), of(b)];
  return p === null || q === null ? (p ?? q) : Math.sqrt((seen(a) * p * p + seen(b) * q * q) / Math.max(1, seen(a) + seen(b)));
}

/** Each stretch found a length of its own: the mean by what each knows; its frames keep their own. */
function meanFocal(a: SolveResult, b: SolveResult): Pick<SolveResult, 'focalMm' | 'sigmaFocalMm'> {
  if (a.focalMode === 'held' || a.focalMm === null || b.focalMm === null || !a.sigmaFocalMm || !b.sigmaFocalMm) return { focalMm: a.focalMm, sigmaFocalMm: a.sigmaFocalMm };
  const [p, q] = [1 / a.sigmaFocalMm ** 2, 1 / b.sigmaFocalMm ** 2];
  return { focalMm: (p * a.focalMm + q * b.focalMm) / (p + q), sigmaFocalMm: 1 / Math.sqrt(p + q) };
}

/**
 * A lens that was set otherwise while nothing could be followed: the stretches, each by itself, tell other focal lengths than the whole.
 * @returns longest over shortest; null: they agree, or do not tell
 */
export function zoomedBetween(solve: SolveResult, stretches: Parted['stretches']): number | null {
  if (solve.focalMode === 'held' || solve.focalMode === 'zoom' || solve.focalMm === null) return null;
  let most = 1;
  for (const { part } of stretches) {
    if (!part.alone || !part.alone.sigmaFocalMm) continue;
    const change = Math.abs(part.alone.focalMm / solve.focalMm - 1);
    if (change * solve.focalMm > CHANGED_SIGMAS * part.alone.sigmaFocalMm && change > CHANGED_SHARE) most = Math.max(most, 1 + change);
  }
  return most > 1 ? most : null;
}
