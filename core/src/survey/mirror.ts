import { cross, dot, norm, sub, type Vec3 } from '../math';
import { misfit } from './fit-places';
import type { Net, Places } from './net';
import type { NetInput } from './net-result';
import { planFit } from './to-plan';

export interface MirrorChoice {
  /** settled: by known points, by what was said, or by the plan; open: both images fit */
  status: 'settled' | 'open';
  /** the question, or how it was settled */
  words: string;
  /** three points by which to ask: from a over b to c the way turns left, as the points are given now */
  ask?: { a: string; b: string; c: string; left: boolean };
}

/** An image that fits worse by this much, in mean capped squares, is not meant. */
const WORSE = 0.02;
/** The plan must fit one image so much better than the other before it decides. */
const PLAN_SHARE = 0.6;

/** Ties say nothing of left and right: the net and its mirror image fit alike, unless known points, a person or the plan tell them apart. */
export function chooseMirror(net: Net, placed: Places, input: NetInput): { placed: Places; choice: MirrorChoice } {
  const twin = mirrorImage(net, placed);
  if (!twin) return { placed, choice: { status: 'settled', words: 'the known points tell left from right' } };
  const [here, there] = [misfit(net, placed).cost, misfit(net, twin).cost];
  if (there > here + WORSE) return { placed, choice: { status: 'settled', words: 'the known points tell left from right' } };
  if (here > there + WORSE) return { placed: twin, choice: { status: 'settled', words: 'the known points tell left from right' } };
  if (input.turn) {
    const { a, b, c, left } = input.turn;
    const side = turnOf(net, placed, [a, b, c]);
    if (side !== null) return { placed: side === left ? placed : twin, choice: { status: 'settled', words: `from ${a} over ${b} to ${c} it turns ${left ? 'left' : 'right'}, as was said` } };
  }
  const both = [placed, twin].map((q) => offPlan(net, q));
  if (both[0] !== null && both[1] !== null && Math.min(both[0], both[1]) < PLAN_SHARE * Math.max(both[0], both[1]))
    return { placed: both[0] <= both[1] ? placed : twin, choice: { status: 'settled', words: 'the plan tells left from right' } };
  const ask = widest(net, placed);
  return {
    placed,
    choice: ask
      ? {
          status: 'open',
          ask,
          words: `The mirror image fits as well. Here the way from ${ask.a} over ${ask.b} to ${ask.c} turns ${ask.left ? 'left' : 'right'}, as seen from above: is that so?`,
        }
      : { status: 'settled', words: 'all points stand in one upright plane' },
  };
}

/** The net reflected so that what is known stays: through the plane of the known points, else through an upright one. */
function mirrorImage(net: Net, placed: Places): Places | null {
  const known = net.known.map((k) => k.at);
  let normal: Vec3 = [0, 0, 1];
  const through: Vec3 = known[0] ?? [0, 0, 0];
  if (known.length >= 2) {
    const d = known.map((k) => sub(k, through)).sort((a, b) => norm(b) - norm(a));
    const n =
      known.length >= 3
        ? d
            .slice(1)
            .map((v) => cross(d[0], v))
            .sort((a, b) => norm(b) - norm(a))[0]
        : cross(d[0], [0, 1, 0]);
    const length = norm(n);
    if (length > 1e-6) {
      normal = [n[0] / length, n[1] / length, n[2] / length];
      // off that plane: four known points stand in space
      if (d.some((v) => Math.abs(dot(v, normal)) > 0.02)) return null;
    }
  }
  return new Map(
    [...placed].map(([p, q]) => {
      const off = 2 * dot(sub(q, through), normal);
      return [p, [q[0] - off * normal[0], q[1] - off * normal[1], q[2] - off * normal[2]] as Vec3];
    }),
  );
}

/** Whether from a over b to c the way turns left as seen from above; null when it hardly turns. */
export function turnOf(net: Net, placed: Places, ids: readonly string[]): boolean | null {
  const q = ids.map((id) => placed.get(net.index.get(id) ?? -1));
  if (q.some((v) => !v)) return null;
  const [a, b, c] = q as Vec3[];
  const area = (b[0] - a[0]) * (c[2] - b[2]) - (b[2] - a[2]) * (c[0] - b[0]);
  // seen from above +Z points towards the reader: a turn from +X to −Z is to the left
  return Math.abs(area) < 1e-6 ? null : area < 0;
}

function widest(net: Net, placed: Places): MirrorChoice['ask'] | null {
  const all = [...placed.keys()].slice(0, 40);
  let best: { area: number; ids: [number, number, number] } | null = null;
  for (const i of all)
    for (const j of all)
      for (const k of all) {
        if (!(i < j && j < k)) continue;
        const [a, b, c] = [placed.get(i)!, placed.get(j)!, placed.get(k)!];
        const area = Math.abs((b[0] - a[0]) * (c[2] - b[2]) - (b[2] - a[2]) * (c[0] - b[0]));
        if (!best || area > best.area) best = { area, ids: [i, j, k] };
      }
  if (!best || best.area < 1e-3) return null;
  const [a, b, c] = best.ids.map((p) => net.ids[p]);
  return { a, b, c, left: turnOf(net, placed, [a, b, c])! };
}

/** How far off the plan the net lies at best; null below three planned points. */
function offPlan(net: Net, placed: Places): number | null {
  const pairs = [...net.near].flatMap(([p, at]) => (placed.has(p) ? [[placed.get(p)!, at] as const] : []));
  return pairs.length < 3 ? null : planFit(pairs)!.rmsM;
}
