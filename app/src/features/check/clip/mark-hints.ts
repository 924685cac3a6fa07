import { mountPackage, type FootageBody, type StoredRecord } from '@mesure/contract';
import { computeOptics, momentAt, pictureOf } from '@mesure/core';
import { isWhole, useAll, useAnalysesState, useFind } from '../../../data';

/** Where a mark of the set is expected in a frame, px of the clip. */
export interface MarkHint {
  name: string;
  x: number;
  y: number;
}
export interface MarkHints {
  /** what says so; null: nothing does */
  from: 'solve' | 'plan' | null;
  list: MarkHint[];
}
/** A thumb that lets go within this share of the width of a hint means it. */
const MEANT_SHARE = 0.06;

/** Marks of the take's set that are not marked in this frame, where its test solve sees them, or else where the plan would have them. */
export function useMarkHints(take: StoredRecord<'take'>, footage: FootageBody, index: number): MarkHints {
  const find = useFind();
  const plan = useAll('plan').find((q) => q.body.setupId === take.body.setupId);
  const solve = useAnalysesState((s) => s.bySubject[take.id]);
  const setup = find('setup', take.body.setupId);
  const set = find('set', setup?.body.setId ?? '');
  const pack = find('package', take.body.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : null;
  if (!set) return { from: null, list: [] };
  const open = new Set(set.body.marks.filter((m) => !footage.marks.some((q) => q.name === m && q.index === index)));
  const within = (name: string, at: readonly [number, number] | null): MarkHint[] =>
    at && at[0] >= 0 && at[0] <= footage.widthPx && at[1] >= 0 && at[1] <= footage.heightPx ? [{ name, x: at[0], y: at[1] }] : [];
  const outcome = solve?.status === 'done' && solve.outcome?.kind === 'solve' && isWhole(solve) && solve.outcome.solve.status !== 'failed' ? solve.outcome : null;
  if (outcome && outcome.solve.points.some((q) => set.body.marks.includes(q.track))) {
    const at = pictureOf(outcome.setup, outcome.solve)(index + footage.firstFrame + (take.body.tracksCounted?.addFrames ?? 0));
    const share = footage.widthPx / outcome.setup.image.width;
    const list = at
      ? outcome.solve.points
          .filter((q) => open.has(q.track))
          .flatMap((q) => {
            const seen = at(q.position);
            return within(q.track, seen && [share * seen[0], share * seen[1]]);
          })
      : [];
    return { from: 'solve', list };
  }
  if (!plan || !mounted || 'missing' in mounted || (set.body.sheet ?? []).length === 0) return { from: null, list: [] };
  const { mode, lens, adapter } = mounted;
  const optics = computeOptics({
    image: { width: mode.widthPx, height: mode.heightPx },
    sensor: { widthMm: mode.sensorWidthMm, heightMm: mode.sensorHeightMm },
    squeeze: lens.squeeze,
    adapterFactor: adapter?.factor ?? 1,
    focal: { mm: take.body.focalMm },
  });
  const share = footage.widthPx / mode.widthPx;
  const { stations } = plan.body.move;
  const { position, toCamera: r } = momentAt(plan.body.move, stations[0].timeS + index / (footage.fps ?? mode.fps ?? 24));
  const list = (set.body.sheet ?? [])
    .filter((m) => open.has(m.id))
    .flatMap((m) => {
      const d = m.at.map((v, k) => v - position[k]);
      const [x, y, z] = [0, 3, 6].map((k) => r[k] * d[0] + r[k + 1] * d[1] + r[k + 2] * d[2]);
      return z > 0.05 ? within(m.id, [footage.widthPx / 2 + (share * optics.fxPx * x) / z, footage.heightPx / 2 + (share * optics.fyPx * y) / z]) : [];
    });
  return { from: 'plan', list };
}

/** The mark that a thumb means, where it let go near to where one is expected. */
export function meantBy(hints: readonly MarkHint[], x: number, y: number, widthPx: number): string | null {
  const nearest = hints.reduce<{ name: string; far: number } | null>((best, h) => {
    const far = Math.hypot(h.x - x, h.y - y);
    return best && best.far <= far ? best : { name: h.name, far };
  }, null);
  return nearest && nearest.far < MEANT_SHARE * widthPx ? nearest.name : null;
}
