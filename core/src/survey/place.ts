import { expSO3, leastSquares, mulMatVec, seededRandom, type Mat3, type Vec3 } from '../math';
import { adjust, orderPoints } from './adjust';
import { NetRows, pointsOfFact, type KnownPoint, type NetFact } from './facts';
import { relaxNet } from './relax';
import { intersect, offSurface, type Surface } from './intersect';

/** A net as the search for first coordinates reads it: points are indices. */
export interface Net {
  ids: readonly string[];
  index: ReadonlyMap<string, number>;
  facts: readonly NetFact[];
  factsOf: readonly (readonly number[])[];
  known: readonly KnownPoint[];
  /** about where a point is thought to be, from a plan */
  near: ReadonlyMap<number, Vec3>;
}

export type Places = Map<number, Vec3>;

/** First coordinates wander by so much before they are adjusted, m: twins and blunders lie farther apart. */
const WANDER_M = 0.03;
/** A fact that is farther off than this many sigmas counts no more against a place: it may be a blunder. */
const CAP = 25;
/** Two places whose caps differ by less than this fit alike. */
const ALIKE = 4;
const TWIN_M = 0.1;
const MOST_TRIPLES = 30;

/** Surfaces on which a point lies, by facts to points that are placed. `level`: up is known, so that heights count. */
function surfacesOf(net: Net, p: number, placed: Places, level: boolean): Surface[] {
  const out: Surface[] = [];
  const id = net.ids[p];
  const there = (other: string): Vec3 | undefined => placed.get(net.index.get(other)!);
  const plane = (normal: Vec3, offsetM: number, sigmaM: number) => out.push({ kind: 'plane', normal, offsetM, sigmaM });
  for (const i of net.factsOf[p]) {
    const f = net.facts[i];
    if (f.kind === 'tie') {
      const centre = there(f.a === id ? f.b : f.a);
      if (centre) out.push({ kind: 'sphere', centre, radiusM: f.m, sigmaM: f.sigmaM });
    } else if (!level) continue;
    else if (f.kind === 'height') plane([0, 1, 0], f.m, f.sigmaM);
    else if (f.kind === 'level' || f.kind === 'plumb') {
      const other = there(f.a === id ? f.b : f.a);
      if (!other) continue;
      if (f.kind === 'level') plane([0, 1, 0], other[1], f.sigmaM);
      else {
        plane([1, 0, 0], other[0], f.sigmaM);
        plane([0, 0, 1], other[2], f.sigmaM);
      }
    }
  }
  return out;
}

const scoreOf = (surfaces: readonly Surface[], x: Vec3, wanderM: number): number => surfaces.reduce((sum, s) => sum + Math.min(CAP, (offSurface(s, x) / Math.hypot(s.sigmaM, wanderM)) ** 2), 0);

/** Places that fit the surfaces best: the first, and a second one when it fits about as well. */
function candidates(surfaces: readonly Surface[], random: () => number, wanderM = WANDER_M): Vec3[] {
  const n = surfaces.length;
  const triples: [number, number, number][] = [];
  if (n <= 6) {
    for (let i = 0; i < n; i += 1) for (let j = i + 1; j < n; j += 1) for (let k = j + 1; k < n; k += 1) triples.push([i, j, k]);
  } else {
    for (let t = 0; t < MOST_TRIPLES; t += 1) {
      const i = Math.floor(random() * n);
      const j = (i + 1 + Math.floor(random() * (n - 1))) % n;
      const k = Math.floor(random() * n);
      if (k !== i && k !== j) triples.push([i, j, k]);
    }
  }
  const found = triples.flatMap(([i, j, k]) => intersect([surfaces[i], surfaces[j], surfaces[k]])).map((x) => ({ x, score: scoreOf(surfaces, x, wanderM) }));
  if (found.length === 0) return [];
  found.sort((a, b) => a.score - b.score);
  const [best] = found;
  const twin = found.find((c) => c.score < best.score + ALIKE && Math.hypot(c.x[0] - best.x[0], c.x[1] - best.x[1], c.x[2] - best.x[2]) > TWIN_M);
  return twin ? [best.x, twin.x] : [best.x];
}

export interface Grown {
  placed: Places;
  /** points of which two places fitted alike when they were placed */
  guessed: number[];
}

/** Puts point after point to those that are placed, the best braced first; what two places fit waits until nothing else is left. */
export function grow(net: Net, start: Places, level: boolean, random: () => number, guess: () => boolean): Grown {
  const placed: Places = new Map(start);
  const guessed: number[] = [];
  let refineAt = Math.max(8, 2 * placed.size);
  const open = new Set(net.ids.map((_, p) => p).filter((p) => !placed.has(p)));
  for (;;) {
    let best: { p: number; surfaces: Surface[] } | null = null;
    const waiting: { p: number; pair: Vec3[]; count: number }[] = [];
    const ready = [...open].map((p) => ({ p, surfaces: surfacesOf(net, p, placed, level) })).filter((q) => q.surfaces.length >= 3);
    ready.sort((a, b) => b.surfaces.length - a.surfaces.length || a.p - b.p);
    let put: Vec3 | null = null;
    for (const q of ready) {
      const found = candidates(q.surfaces, random);
      if (found.length === 1) {
        best = q;
        [put] = found;
        break;
      }
      if (found.length === 2) waiting.push({ p: q.p, pair: found, count: q.surfaces.length });
    }
    if (!best && waiting.length > 0) {
      const [w] = waiting;
      const near = net.near.get(w.p);
      const off = (x: Vec3) => Math.hypot(x[0] - near![0], x[1] - near![1], x[2] - near![2]);
      const second = near && net.known.length > 0 ? off(w.pair[1]) < off(w.pair[0]) : guess();
      best = { p: w.p, surfaces: [] };
      put = w.pair[second ? 1 : 0];
      guessed.push(w.p);
    }
    if (!best || !put) return { placed, guessed };
    placed.set(best.p, put);
    open.delete(best.p);
    if (placed.size >= refineAt) {
      refine(net, placed, level);
      refineAt *= 2;
    }
  }
}

/** Rows of all facts between the placed points, over the indices of `order`. */
export function rowsOf(net: Net, placed: Places, level: boolean): { rows: NetRows; order: number[] } {
  const order = [...placed.keys()].sort((a, b) => a - b);
  const index = new Map(order.map((p, k) => [net.ids[p], k]));
  const rows = new NetRows();
  net.facts.forEach((f, i) => (level || f.kind === 'tie') && rows.addFact(f, i, index));
  if (level) for (const k of net.known) if (index.has(k.id)) [0, 1, 2].forEach((axis) => rows.addCoordinate(index.get(k.id)!, axis, k.at[axis], k.sigmaM[axis]));
  return { rows, order };
}

/** A few rounds of least squares in which far residuals count less (Huber), so that a blunder does not bend what is already placed. */
export function refine(net: Net, placed: Places, level: boolean, rounds = 2): void {
  const { rows, order } = rowsOf(net, placed, level);
  let x: Float64Array = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const slot = orderPoints(rows, order.length);
  const g = new Float64Array(9);
  for (let round = 0; round < rounds; round += 1) {
    for (let r = 0; r < rows.count; r += 1) {
      const off = Math.abs(rows.measured[r] - rows.evaluate(r, x, g)) / rows.sigma[r];
      rows.weight[r] = off > 2 ? 2 / off : 1;
    }
    x = adjust(rows, x, slot, 3).x;
  }
  order.forEach((p, k) => placed.set(p, [x[3 * k], x[3 * k + 1], x[3 * k + 2]]));
}

/**
 * What remains against the placed points: mean capped square over all facts between them, how many of them are far off, and at how many
 * points so many are that the point must lie wrong rather than the lengths.
 */
export function misfit(net: Net, placed: Places): { cost: number; far: number; folded: number } {
  const { rows, order } = rowsOf(net, placed, true);
  const x = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const g = new Float64Array(9);
  const farAt = new Int32Array(order.length),
    factsAt = new Int32Array(order.length);
  let sum = 0,
    far = 0;
  for (let r = 0; r < rows.count; r += 1) {
    const there = [0, 1, 2].map((k) => rows.point[3 * r + k]).filter((p) => p >= 0);
    for (const p of there) factsAt[p] += 1;
    const square = ((rows.measured[r] - rows.evaluate(r, x, g)) / Math.hypot(rows.sigma[r], 0.005)) ** 2;
    sum += Math.min(CAP, square);
    if (square <= CAP) continue;
    far += 1;
    for (const p of there) farAt[p] += 1;
  }
  let folded = 0;
  for (let p = 0; p < order.length; p += 1) if (farAt[p] >= 2 && farAt[p] >= FOLDED_SHARE * factsAt[p]) folded += 1;
  return { cost: rows.count > 0 ? sum / rows.count : 0, far, folded };
}

/** Neighbours that are adjusted lie right to about this, m. */
const SETTLED_M = 0.006;
/** A better place must be better by this much, in capped squares. */
const BETTER = 9;
/** Passes go on while they mend; each costs about a refinement. */
const PASSES = 30;
const IDLE_PASSES = 3;

/** Points that lie folded over to the wrong side of their neighbours are put where their own facts want them. */
export function unfold(net: Net, placed: Places, random: () => number): void {
  let best = { ...misfit(net, placed), at: new Map(placed) };
  let idle = 0;
  for (let pass = 0; pass < PASSES && idle < IDLE_PASSES; pass += 1) {
    let moved = 0;
    for (const [p, at] of placed) {
      const surfaces = surfacesOf(net, p, placed, true);
      if (surfaces.length < 4) continue;
      const now = scoreOf(surfaces, at, SETTLED_M);
      if (now < CAP) continue;
      const [found] = candidates(surfaces, random, SETTLED_M);
      if (!found || scoreOf(surfaces, found, SETTLED_M) > now - BETTER) continue;
      placed.set(p, found);
      moved += 1;
    }
    if (moved === 0) break;
    refine(net, placed, true, 1);
    const now = misfit(net, placed);
    const better = now.far < best.far || (now.far === best.far && now.cost < best.cost);
    idle = better ? 0 : idle + 1;
    if (better) best = { ...now, at: new Map(placed) };
  }
  for (const [p, at] of best.at) placed.set(p, at);
}

/** Turns and moves a cloud so that heights, plumb lines and known points fit; tried from all sides, and mirrored. */
export function alignCloud(net: Net, placed: Places): Places {
  const { rows, order } = rowsOf(net, placed, true);
  const outer: number[] = [];
  for (let r = 0; r < rows.count; r += 1) if (rows.fact[r] < 0 || net.facts[rows.fact[r]].kind !== 'tie') outer.push(r);
  if (outer.length === 0) return placed;
  const at = order.map((p) => placed.get(p)!);
  const mean = [0, 1, 2].map((a) => at.reduce((s, q) => s + q[a] / at.length, 0));
  const local = at.map((q): Vec3 => [q[0] - mean[0], q[1] - mean[1], q[2] - mean[2]]);
  const g = new Float64Array(9);
  const jac = new Float64Array(6);
  const x = new Float64Array(3 * order.length);
  const put = (start: Mat3, mirrored: boolean, t: ArrayLike<number>) => {
    const turn = expSO3([t[0], t[1], t[2]]);
    local.forEach((q, k) => {
      const v = mulMatVec(turn, mulMatVec(start, mirrored ? [q[0], q[1], -q[2]] : q));
      for (let a = 0; a < 3; a += 1) x[3 * k + a] = v[a] + t[3 + a];
    });
  };
  let best: { cost: number; wrong: number; places: Vec3[] } | null = null;
  for (const start of SIDES)
    for (const mirrored of [false, true]) {
      // a cloud that lies right already is only moved
      if (best && best.wrong === 0 && best.cost < LIES_RIGHT * outer.length) break;
      const fit = leastSquares(new Float64Array(6), {
        covariance: false,
        maxIterations: 40,
        rows: (t, row, derivatives) => {
          const values = (s: ArrayLike<number>) => {
            put(start, mirrored, s);
            return outer.map((r) => (rows.evaluate(r, x, g) - rows.measured[r]) / Math.hypot(rows.sigma[r], 0.005));
          };
          const now = values(t);
          const moved = derivatives ? Array.from({ length: 6 }, (_, k) => values(Array.from(t, (v, i) => (i === k ? v + 1e-6 : v)))) : [];
          now.forEach((v, i) => {
            for (let k = 0; k < moved.length; k += 1) jac[k] = (moved[k][i] - v) / 1e-6;
            row(v, jac);
          });
          // what no fact speaks of stays as it is
          for (let k = 0; k < 6; k += 1) {
            jac.fill(0);
            jac[k] = HOLD;
            row(HOLD * t[k], jac);
          }
        },
      });
      put(start, mirrored, fit.x);
      const wrong = wrongWayUp(net, order, x);
      const cost = fit.finalCost + WRONG_WAY_UP * wrong;
      if (best === null || cost < best.cost * 0.999 - 1e-9) best = { cost, wrong, places: order.map((_, k): Vec3 => [x[3 * k], x[3 * k + 1], x[3 * k + 2]]) };
    }
  return new Map(order.map((p, k) => [p, best!.places[k]]));
}
const HOLD = 1e-3;
/** Weighs like a fact that is two sigmas off: it tells between images that fit alike, and no more. */
const WRONG_WAY_UP = 2;

/** Upper ends of plumb lines that came to lie below, and points under the floor where heights are counted from it. */
function wrongWayUp(net: Net, order: readonly number[], x: Float64Array): number {
  const slot = new Map(order.map((p, k) => [p, k]));
  const yOf = (id: string): number | null => {
    const k = slot.get(net.index.get(id)!);
    return k === undefined ? null : x[3 * k + 1];
  };
  let wrong = 0;
  for (const f of net.facts) {
    if (f.kind !== 'plumb') continue;
    const [low, high] = [yOf(f.a), yOf(f.b)];
    if (low !== null && high !== null && high < low) wrong += 1;
  }
  if (net.facts.some((f) => f.kind === 'height')) for (let k = 0; k < order.length; k += 1) if (x[3 * k + 1] < -0.1) wrong += 1;
  return wrong;
}

/** Half a squared residual in sigmas of a row, below which no other side is tried. */
const LIES_RIGHT = 4;
/** Each way that "up" could lie in a cloud that was built without it. */
const SIDES: Mat3[] = [
  [1, 0, 0, 0, 1, 0, 0, 0, 1],
  [1, 0, 0, 0, -1, 0, 0, 0, -1],
  [1, 0, 0, 0, 0, -1, 0, 1, 0],
  [1, 0, 0, 0, 0, 1, 0, -1, 0],
  [0, -1, 0, 1, 0, 0, 0, 0, 1],
  [0, 1, 0, -1, 0, 0, 0, 0, 1],
];

/** Ends of facts that are far off: among them are the points that lie folded. */
function endsOfFarFacts(net: Net, placed: Places): Set<number> {
  const { rows, order } = rowsOf(net, placed, true);
  const x = Float64Array.from(order.flatMap((p) => placed.get(p)!));
  const g = new Float64Array(9);
  const bad = new Set<number>();
  for (let r = 0; r < rows.count; r += 1)
    if (Math.abs(rows.measured[r] - rows.evaluate(r, x, g)) > 10 * Math.hypot(rows.sigma[r], 0.005))
      for (let k = 0; k < 3; k += 1) if (rows.point[3 * r + k] >= 0) bad.add(order[rows.point[3 * r + k]]);
  return bad;
}
/** Times that a layout with folds in it is shaken; each costs about a second with 200 points. */
const STIRS = 3;

const SEEDS = 5;
/** Choices between twins that are tried from one seed while the net fits badly. */
const TRIES = 6;
/** Where two facts and so large a share of a point's facts are far off, it is the point that lies wrong. */
const FOLDED_SHARE = 0.4;
/** One such point in so many is left to the search for blunders: laying the whole net out again costs more than it mends. */
const FOLDED_ONE_IN = 60;
/** More facts that are far off than this share, and the build is a wrong one: blunders are rarer. */
const FAR_SHARE = 0.08;

/** First coordinates of as many points as the facts determine. */
export function placeNet(net: Net): Places {
  // what has too few facts must not pull at the others
  const core = coreOf(net);
  const builds: { placed: Places; cost: number; far: number; folded: number }[] = [];
  const keep = (placed: Places) => builds.push({ placed, ...misfit(net, placed) });
  const finish = (placed: Places, seed: number) => {
    const random = seededRandom(seed);
    if (placed.size > 0) {
      refine(net, placed, true);
      unfold(net, placed, random);
    }
    const more = grow(net, placed, true, random, () => random() < 0.5).placed;
    if (more.size > placed.size) refine(net, more, true);
    keep(more);
  };
  const good = () => builds.some((b) => b.placed.size >= core.length && b.folded <= Math.floor(net.ids.length / FOLDED_ONE_IN) && b.far <= Math.max(1, FAR_SHARE * net.facts.length));
  const attempt = (start: Places, level: boolean) => {
    for (let t = 0; t < TRIES && !good(); t += 1) {
      const random = seededRandom(101 + t);
      const grown = grow(net, start, level, random, () => t > 0 && random() < 0.5);
      if (grown.placed.size < 3 && t > 0) return;
      finish(level ? grown.placed : alignCloud(net, grown.placed), 7 + t);
      if (grown.guessed.length <= 1) return;
    }
  };
  if (core.length >= 3) finish(alignCloud(net, relaxNet(net, core, 1)), 1);
  for (let t = 0; t < STIRS && builds.length > 0 && !good(); t += 1) {
    const best = builds.reduce((a, b) => (b.far < a.far ? b : a));
    finish(relaxNet(net, core, 11 + t, { from: best.placed, stirred: endsOfFarFacts(net, best.placed) }), 11 + t);
  }
  if (net.known.length > 0) attempt(new Map(net.known.filter((k) => net.index.has(k.id)).map((k) => [net.index.get(k.id)!, k.at])), true);
  for (const seed of levelSeeds(net)) if (!good()) attempt(seed, true);
  for (const seed of triangleSeeds(net)) if (!good()) attempt(seed, false);
  if (builds.length === 0) return new Map();
  builds.sort((a, b) => b.placed.size - a.placed.size || a.cost - b.cost);
  return builds[0].placed;
}

/** The points that are left when those with fewer than three facts to the others are taken away, again and again; the largest connected part. */
function coreOf(net: Net): number[] {
  const known = new Set(net.known.map((k) => net.index.get(k.id)));
  const inside = new Set(net.ids.map((_, p) => p));
  const others = (p: number, i: number) =>
    pointsOfFact(net.facts[i])
      .map((id) => net.index.get(id)!)
      .filter((q) => q !== p);
  const strength = (p: number) =>
    known.has(p)
      ? 3
      : net.factsOf[p].reduce((sum, i) => {
          const f = net.facts[i];
          return f.kind === 'wall' || !others(p, i).every((q) => inside.has(q)) ? sum : sum + (f.kind === 'plumb' ? 2 : 1);
        }, 0);
  // of three points that begin a net two have fewer facts than three: they count as soon as three others hang on them
  for (let changed = true; changed;) {
    changed = false;
    for (const p of [...inside])
      if (strength(p) < Math.min(3, Math.max(2, inside.size - 1))) {
        inside.delete(p);
        changed = true;
      }
  }
  let best: number[] = [];
  const seen = new Set<number>();
  for (const start of inside) {
    if (seen.has(start)) continue;
    const part = [start];
    seen.add(start);
    for (let head = 0; head < part.length; head += 1)
      for (const i of net.factsOf[part[head]])
        for (const q of others(part[head], i))
          if (inside.has(q) && !seen.has(q)) {
            seen.add(q);
            part.push(q);
          }
    if (part.length > best.length) best = part;
  }
  return best;
}

const tiesOf = (net: Net): Map<number, Map<number, number>> => {
  const out = new Map<number, Map<number, number>>();
  const put = (a: number, b: number, m: number) => {
    if (!out.has(a)) out.set(a, new Map());
    out.get(a)!.set(b, m);
  };
  for (const f of net.facts)
    if (f.kind === 'tie') {
      const [a, b] = pointsOfFact(f).map((id) => net.index.get(id)!);
      put(a, b, f.m);
      put(b, a, f.m);
    }
  return out;
};

/** Two tied points of known height, far apart and with many common neighbours: one at the origin, the other on +X. */
function levelSeeds(net: Net): Places[] {
  const heights = new Map<number, number>();
  for (const f of net.facts) if (f.kind === 'height') heights.set(net.index.get(f.id)!, f.m);
  const ties = tiesOf(net);
  const list: { places: Places; value: number }[] = [];
  for (const [a, others] of ties)
    for (const [b, m] of others) {
      if (b < a || !heights.has(a) || !heights.has(b)) continue;
      const level = m * m - (heights.get(a)! - heights.get(b)!) ** 2;
      if (level < 0.01) continue;
      const common = [...others.keys()].filter((c) => ties.get(b)!.has(c) && heights.has(c)).length;
      list.push({
        places: new Map<number, Vec3>([
          [a, [0, heights.get(a)!, 0]],
          [b, [Math.sqrt(level), heights.get(b)!, 0]],
        ]),
        value: (common + 0.1) * Math.sqrt(level),
      });
    }
  return list
    .sort((p, q) => q.value - p.value)
    .slice(0, SEEDS)
    .map((s) => s.places);
}

/** Three points tied to each other, wide and with many common neighbours, laid into the plane y = 0. */
function triangleSeeds(net: Net): Places[] {
  const ties = tiesOf(net);
  const list: { places: Places; value: number }[] = [];
  for (const [a, ofA] of ties)
    for (const [b, ab] of ofA) {
      if (b < a) continue;
      for (const [c, bc] of ties.get(b)!) {
        if (c < b || !ofA.has(c)) continue;
        const ac = ofA.get(c)!;
        const along = (ab * ab + ac * ac - bc * bc) / (2 * ab);
        const up = ac * ac - along * along;
        if (up < 0.01 * ac * ac) continue;
        const common = [...ofA.keys()].filter((d) => ties.get(b)!.has(d) && ties.get(c)!.has(d)).length;
        list.push({
          places: new Map<number, Vec3>([
            [a, [0, 0, 0]],
            [b, [ab, 0, 0]],
            [c, [along, 0, Math.sqrt(up)]],
          ]),
          value: (common + 0.1) * Math.sqrt(up),
        });
      }
    }
  return list
    .sort((p, q) => q.value - p.value)
    .slice(0, SEEDS)
    .map((s) => s.places);
}
