import { leastSquares } from '../estimate';
import { cross, dot, norm, sub, type Vec3 } from '../math';
import { pointsOfFact } from '../facts';
import { turnOf } from './mirror';
import { rowsOf, type Net, type Places } from './net';
import type { NetInput } from './net-result';
import { planFit } from './to-plan';

/** On which side of others a point stands: from a over it to c the way turns, as seen from above; or it stands above or below a. */
export interface SideSaid {
  id: string;
  a: string;
  c: string | null;
  answer: 'left' | 'right' | 'above' | 'below';
}

/** Points that could as well stand on the other side of the points they are tied to. */
export interface TwinQuestion {
  ids: string[];
  /** null: neither a turn nor a height tells both sides apart, and a further tie must */
  ask: Omit<SideSaid, 'answer'> | null;
  /** where they are put for now */
  now: SideSaid['answer'] | null;
  words: string;
}

export interface SidesSettled {
  placed: Places;
  /** something was put to its other side */
  turned: boolean;
  open: TwinQuestion[];
}

/** So near to a plane counts as on it, m; whether the other side fits is asked of the facts. */
const ON_PLANE_M = 0.03;
/** Sides that lie closer together than this make no difference, m. */
const APART_M = 0.1;
/** What turns over together is small, and smaller than what it turns over at. */
const MOST_TOGETHER = 8;
const TOGETHER_SHARE = 1 / 3;
const MOST_NEIGHBOURS = 8;
/** The other side fits as well when its squares grow by no more: three sigmas. */
const AS_WELL = 9;
/** Nothing stands so far under the floor, m. */
const UNDER_FLOOR_M = -0.1;
/** The plan must speak for one side so much more clearly than for the other. */
const PLAN_SHARE = 0.6;
/** A plane whose normal rises by less stands upright. */
const UPRIGHT = 0.3;

interface Plane {
  normal: Vec3;
  through: Vec3;
}

/**
 * Lengths to points that lie in one plane fit on both its sides. Each small group of points that could stand on the other side of a plane through
 * its neighbours is told by what somebody said, by the floor, or by the plan; else it is asked.
 * @param skip facts that were left out as contradicting
 * @param upKnown false: heights are only taken, and nothing is under a floor
 */
export function settleSides(net: Net, start: Places, input: NetInput, skip: ReadonlySet<number>, upKnown: boolean): SidesSettled {
  let placed = start;
  let turned = false;
  const open: TwinQuestion[] = [];
  const known = new Set(net.known.map((k) => net.index.get(k.id)!));
  const asked = new Set<string>();
  for (const p of start.keys()) {
    for (const plane of planesAbout(net, p, placed)) {
      const group = together(net, p, placed, plane, skip);
      if (!group || group.some((q) => known.has(q))) continue;
      const key = [...group].sort((a, b) => a - b).join();
      if (asked.has(key)) continue;
      const others = [...placed.keys()].filter((q) => !group.includes(q));
      // the rest lies in that plane: it is the whole net's mirror image, which is asked of the whole
      if (others.length < 3 || (Math.abs(plane.normal[1]) < UPRIGHT && others.every((q) => Math.abs(off(plane, placed.get(q)!)) < ON_PLANE_M))) continue;
      const here = fitGroup(net, placed, group, skip);
      const there = fitGroup(net, reflected(placed, group, plane), group, skip);
      if (there.cost > here.cost + AS_WELL || farthestMove(placed, there.placed, group) < APART_M) continue;
      asked.add(key);
      const told = tell(net, group, here.placed, there.placed, plane, input, upKnown);
      if (told.side === 'there') {
        placed = there.placed;
        turned = true;
      }
      if (told.question) open.push(told.question);
    }
  }
  return { placed, turned, open };
}

const off = (plane: Plane, x: Vec3): number => dot(plane.normal, sub(x, plane.through));

/** Planes through three points that p is tied to, and upright ones through two of them. */
function planesAbout(net: Net, p: number, placed: Places): Plane[] {
  const id = net.ids[p];
  const near = net.factsOf[p].flatMap((i) => {
    const f = net.facts[i];
    const other = f.kind === 'tie' ? placed.get(net.index.get(f.a === id ? f.b : f.a)!) : undefined;
    return other ? [other] : [];
  });
  const planes: Plane[] = [];
  const at = placed.get(p)!;
  const add = (through: Vec3, n: Vec3) => {
    const length = norm(n);
    if (length < 1e-3) return;
    const plane: Plane = { through, normal: [n[0] / length, n[1] / length, n[2] / length] };
    if (2 * Math.abs(off(plane, at)) > APART_M) planes.push(plane);
  };
  const some = near.slice(0, MOST_NEIGHBOURS);
  for (let i = 0; i < some.length; i += 1)
    for (let j = i + 1; j < some.length; j += 1) {
      add(some[i], cross(sub(some[j], some[i]), [0, 1, 0]));
      for (let k = j + 1; k < some.length; k += 1) add(some[i], cross(sub(some[j], some[i]), sub(some[k], some[i])));
    }
  return planes;
}

/** p and what is bound to it other than through points of the plane; null when that is more than a small group. */
function together(net: Net, p: number, placed: Places, plane: Plane, skip: ReadonlySet<number>): number[] | null {
  const group = [p];
  const most = Math.min(MOST_TOGETHER, Math.floor(TOGETHER_SHARE * placed.size));
  if (most < 1) return null;
  for (let head = 0; head < group.length; head += 1) {
    for (const i of net.factsOf[group[head]]) {
      if (skip.has(i)) continue;
      for (const name of pointsOfFact(net.facts[i])) {
        const q = net.index.get(name)!;
        const at = placed.get(q);
        if (!at || group.includes(q) || Math.abs(off(plane, at)) < ON_PLANE_M) continue;
        if (group.length === most) return null;
        group.push(q);
      }
    }
  }
  return group;
}

function reflected(placed: Places, group: readonly number[], plane: Plane): Places {
  const out: Places = new Map(placed);
  for (const p of group) {
    const x = placed.get(p)!;
    const d = 2 * off(plane, x);
    out.set(p, [x[0] - d * plane.normal[0], x[1] - d * plane.normal[1], x[2] - d * plane.normal[2]]);
  }
  return out;
}

/** The group where its facts want it, the others held; and the squares that remain, in sigmas. */
function fitGroup(net: Net, placed: Places, group: readonly number[], skip: ReadonlySet<number>): { placed: Places; cost: number } {
  const { rows, order } = rowsOf(net, placed, true);
  const slot = new Map(order.map((p, k) => [p, k]));
  const free = new Map(group.map((p, g) => [slot.get(p)!, g]));
  const mine = Array.from({ length: rows.count }, (_, r) => r).filter((r) => !skip.has(rows.fact[r]) && [0, 1, 2].some((k) => free.has(rows.point[3 * r + k])));
  const x = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const gradient = new Float64Array(9);
  const jacobian = new Float64Array(3 * group.length);
  const lay = (v: ArrayLike<number>) => group.forEach((p, g) => [0, 1, 2].forEach((axis) => (x[3 * slot.get(p)! + axis] = v[3 * g + axis])));
  const fit = leastSquares(
    group.flatMap((p) => placed.get(p)!),
    {
      maxIterations: 20,
      costTolerance: 1e-6,
      covariance: false,
      rows(v, row) {
        lay(v);
        for (const r of mine) {
          const computed = rows.evaluate(r, x, gradient);
          jacobian.fill(0);
          for (let k = 0; k < 3; k += 1) {
            const g = free.get(rows.point[3 * r + k]);
            if (g !== undefined) for (let axis = 0; axis < 3; axis += 1) jacobian[3 * g + axis] -= gradient[3 * k + axis] / rows.sigma[r];
          }
          row((rows.measured[r] - computed) / rows.sigma[r], jacobian);
        }
      },
    },
  );
  const out: Places = new Map(placed);
  group.forEach((p, g) => out.set(p, [fit.x[3 * g], fit.x[3 * g + 1], fit.x[3 * g + 2]]));
  return { placed: out, cost: fit.status === 'failed' ? Infinity : 2 * fit.finalCost };
}

const farthestMove = (a: Places, b: Places, group: readonly number[]): number => Math.max(...group.map((p) => norm(sub(a.get(p)!, b.get(p)!))));

/**
 * Which of two ways in which some points may stand is meant, by the floor (nothing stands under it) or by the plan; null: neither tells.
 * @param upKnown false: heights are only taken, and nothing is under a floor
 */
export function sideTold(net: Net, group: readonly number[], here: Places, there: Places, upKnown: boolean): 'here' | 'there' | null {
  const under = (q: Places) => Math.min(...group.map((p) => q.get(p)![1])) < UNDER_FLOOR_M;
  if (upKnown && under(here) !== under(there)) return under(here) ? 'there' : 'here';
  const [a, b] = [offPlan(net, group, here), offPlan(net, group, there)];
  if (a !== null && b !== null && Math.min(a, b) < PLAN_SHARE * Math.max(a, b)) return a <= b ? 'here' : 'there';
  return null;
}

function tell(net: Net, group: readonly number[], here: Places, there: Places, plane: Plane, input: NetInput, upKnown: boolean): { side: 'here' | 'there'; question: TwinQuestion | null } {
  const ids = group.map((p) => net.ids[p]);
  for (const said of input.sides ?? []) {
    if (!ids.includes(said.id)) continue;
    const [now, then] = [answerOf(net, here, said), answerOf(net, there, said)];
    if (now !== then && (now === said.answer || then === said.answer)) return { side: now === said.answer ? 'here' : 'there', question: null };
  }
  const told = sideTold(net, group, here, there, upKnown);
  if (told) return { side: told, question: null };
  const ask = askOf(net, group, here, there, plane);
  const one = ids.length === 1;
  const lead = `${ids.join(', ')} would fit on the other side of the points that ${one ? 'it is' : 'they are'} tied to as well`;
  if (!ask) return { side: 'here', question: { ids, ask: null, now: null, words: `${lead}: a further tie across is needed.` } };
  const now = answerOf(net, here, ask)!;
  const words = ask.c ? `${lead}. Here the way from ${ask.a} over ${ask.id} to ${ask.c} turns ${now}, as seen from above: is that so?` : `${lead}. Here ${ask.id} stands ${now} ${ask.a}: is that so?`;
  return { side: 'here', question: { ids, ask, now, words } };
}

function answerOf(net: Net, placed: Places, { id, a, c }: Omit<SideSaid, 'answer'>): SideSaid['answer'] | null {
  if (c !== null) {
    const left = turnOf(net, placed, [a, id, c]);
    return left === null ? null : left ? 'left' : 'right';
  }
  const [p, q] = [id, a].map((name) => placed.get(net.index.get(name) ?? -1));
  return p && q ? (p[1] > q[1] ? 'above' : 'below') : null;
}

/** The question whose answer differs most visibly between both sides; null when neither a turn nor a height tells them apart. */
function askOf(net: Net, group: readonly number[], here: Places, there: Places, plane: Plane): Omit<SideSaid, 'answer'> | null {
  const p = [...group].sort((a, b) => norm(sub(here.get(b)!, there.get(b)!)) - norm(sub(here.get(a)!, there.get(a)!)))[0];
  const id = net.ids[p];
  const on = [...here.keys()].filter((q) => !group.includes(q) && Math.abs(off(plane, here.get(q)!)) < ON_PLANE_M).slice(0, 40);
  let best: { area: number; a: string; c: string } | null = null;
  for (const i of on)
    for (const j of on) {
      if (i >= j) continue;
      const [a, b, c] = [here.get(i)!, here.get(p)!, here.get(j)!];
      const area = Math.abs((b[0] - a[0]) * (c[2] - b[2]) - (b[2] - a[2]) * (c[0] - b[0]));
      const ask = { id, a: net.ids[i], c: net.ids[j] };
      if (area > Math.max(1e-2, best?.area ?? 0) && answerOf(net, here, ask) !== answerOf(net, there, ask)) best = { area, a: ask.a, c: ask.c };
    }
  if (best) return { id, a: best.a, c: best.c };
  const level = on.find((q) => answerOf(net, here, { id, a: net.ids[q], c: null }) !== answerOf(net, there, { id, a: net.ids[q], c: null }));
  return level === undefined ? null : { id, a: net.ids[level], c: null };
}

/** How far the group lies off its places on the plan when the rest is laid on it, root mean square, m; null where the plan does not say. */
function offPlan(net: Net, group: readonly number[], placed: Places): number | null {
  const planned = [...net.near].filter(([p]) => placed.has(p));
  const fit = planFit(planned.filter(([p]) => !group.includes(p)).map(([p, at]) => [placed.get(p)!, at] as const));
  const mine = planned.filter(([p]) => group.includes(p));
  if (!fit || mine.length === 0) return null;
  const [c, s] = [Math.cos(fit.turnRad), Math.sin(fit.turnRad)];
  const squares = mine.map(([p, at]) => {
    const q = placed.get(p)!;
    const [x, z] = [q[0] - fit.from[0], q[2] - fit.from[1]];
    return (fit.to[0] + c * x - s * z - at[0]) ** 2 + (fit.to[1] + s * x + c * z - at[2]) ** 2 + (q[1] - at[1]) ** 2;
  });
  return Math.sqrt(squares.reduce((sum, v) => sum + v, 0) / squares.length);
}
