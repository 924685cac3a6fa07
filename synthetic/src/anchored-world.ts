import { normals, uniform } from './noise';

type V3 = [number, number, number];
type M3 = [number, number, number, number, number, number, number, number, number];

/** What a crew may write down wrongly, by how far it is off. */
export interface WrongFact {
  kind: 'length' | 'cameraHeight' | 'level' | 'surveyed';
  index: number;
}

/** A set with marks and a camera that went along it, as a solve without scale knows it, and facts about it of which some are wrong. */
export interface AnchoredWorld {
  input: {
    frames: number[];
    centers: V3[];
    rotations: M3[];
    translations: V3[];
    trackIds: string[];
    points: V3[];
    variance: number;
    covariance: {
      column(camera: Float64Array, point: Float64Array): { camera: Float64Array; point: Float64Array; focal: number };
      cameraBlock(camera: number): Float64Array;
      pointBlock(point: number): Float64Array;
    };
  };
  facts: {
    level: string[];
    lengths: { a: string; b: string; m: number; sigmaM: number }[];
    cameraHeights: { frame: number; m: number; sigmaM: number }[];
    points: { track: string; x: number; y: number; z: number; sigmaM: number }[];
  };
  wrong: WrongFact[];
  truth: { scale: number; points: V3[]; centers: V3[] };
}

const mul = (m: M3, v: V3): V3 => [m[0] * v[0] + m[1] * v[1] + m[2] * v[2], m[3] * v[0] + m[4] * v[1] + m[5] * v[2], m[6] * v[0] + m[7] * v[1] + m[8] * v[2]];
const mulT = (m: M3, v: V3): V3 => [m[0] * v[0] + m[3] * v[1] + m[6] * v[2], m[1] * v[0] + m[4] * v[1] + m[7] * v[2], m[2] * v[0] + m[5] * v[1] + m[8] * v[2]];
const times = (a: M3, b: M3): M3 => [0, 1, 2].flatMap((r) => [0, 1, 2].map((c) => a[3 * r] * b[c] + a[3 * r + 1] * b[3 + c] + a[3 * r + 2] * b[6 + c])) as M3;
/** Rodrigues' formula. */
function turn([x, y, z]: V3): M3 {
  const angle = Math.hypot(x, y, z);
  if (angle < 1e-15) return [1, 0, 0, 0, 1, 0, 0, 0, 1];
  const [i, j, k] = [x / angle, y / angle, z / angle];
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const d = 1 - c;
  return [c + i * i * d, i * j * d - k * s, i * k * d + j * s, j * i * d + k * s, c + j * j * d, j * k * d - i * s, k * i * d - j * s, k * j * d + i * s, c + k * k * d];
}

const FRAMES = 10;
const MARKS = 12;
/** Lengths and heights written in a wrong unit, or plainly wrong. */
const FACTORS = [2.54, 1 / 2.54, 0.3048, 1 / 0.3048, 10, 0.1];

/**
 * One draw. `counts` of each kind of fact, `wrong` of them changed beyond any tolerance. The solve's own errors are white in its unknowns,
 * by `noise` times the size of the set, and its covariance says so.
 */
export function anchoredWorld(seed: number, counts: { level: number; lengths: number; heights: number; surveyed: number }, wrong: number, noise = 3e-4): AnchoredWorld {
  const u = uniform(seed);
  const n = normals(seed + 7919);
  const between = (a: number, b: number) => a + (b - a) * u();
  const points: V3[] = Array.from({ length: MARKS }, (_, i) => [between(-2, 2), i < 7 ? 0 : between(0.2, 2.2), between(-6, -2.5)]);
  // level marks are put down by eye: they are as uneven as their tolerance says
  for (let i = 0; i < counts.level; i += 1) points[i][1] += 0.005 * n();
  const heightM = between(1.1, 1.8);
  const centers: V3[] = Array.from({ length: FRAMES }, (_, f) => [-1 + (2 * f) / (FRAMES - 1), heightM + 0.02 * f, 0.1 * Math.sin(f)]);
  // x right, y down, z forward: a camera that looks along −Z of the world
  const looks: M3[] = centers.map((_, f) => times(turn([0.05, -0.1 + 0.02 * f, 0.01]), [1, 0, 0, 0, -1, 0, 0, 0, -1]));

  // the solve's own coordinates: x = R(X)/scale turned and shifted at will
  const scale = between(0.3, 4);
  const about = turn([between(-1, 1), between(-1, 1), between(-1, 1)]);
  const shift: V3 = [between(-3, 3), between(-3, 3), between(-3, 3)];
  const inward = (p: V3): V3 => mul(about, p).map((v, i) => v / scale + shift[i]) as V3;
  const sigma = (noise * 5) / scale;
  const sigmaTurn = noise;
  const own = points.map((p) => inward(p).map((v) => v + sigma * n()) as V3);
  const rotations: M3[] = [];
  const translations: V3[] = [];
  const ownCenters: V3[] = [];
  centers.forEach((c, f) => {
    const exact = times(looks[f], [about[0], about[3], about[6], about[1], about[4], about[7], about[2], about[5], about[8]]);
    const t0 = mul(exact, inward(c)).map((v) => -v) as V3;
    const r = times(turn([sigmaTurn * n(), sigmaTurn * n(), sigmaTurn * n()]), exact);
    const t = t0.map((v) => v + sigma * n()) as V3;
    rotations.push(r);
    translations.push(t);
    ownCenters.push(mulT(r, t).map((v) => -v) as V3);
  });
  const cameraVariance = (k: number) => (k % 6 < 3 ? sigmaTurn ** 2 : sigma ** 2);
  const block = (size: number, variance: (k: number) => number) => Float64Array.from({ length: size * size }, (_, i) => (i % (size + 1) === 0 ? variance(Math.floor(i / (size + 1))) : 0));

  const name = (i: number) => `m${i}`;
  const floor = Array.from({ length: 7 }, (_, i) => i).slice(0, counts.level);
  const far = (a: number, b: number) => Math.hypot(points[a][0] - points[b][0], points[a][1] - points[b][1], points[a][2] - points[b][2]);
  const pair = (): [number, number] => {
    for (;;) {
      const [a, b] = [Math.floor(u() * MARKS), Math.floor(u() * MARKS)];
      if (a !== b && far(a, b) > 0.7) return [a, b];
    }
  };
  const facts: AnchoredWorld['facts'] = {
    level: floor.map(name),
    lengths: Array.from({ length: counts.lengths }, () => {
      const [a, b] = pair();
      return { a: name(a), b: name(b), m: far(a, b) + 0.003 * n(), sigmaM: 0.003 };
    }),
    cameraHeights: Array.from({ length: counts.heights }, (_, i) => ({ frame: 1 + ((i * 4) % FRAMES), m: centers[(i * 4) % FRAMES][1] + 0.005 * n(), sigmaM: 0.005 })),
    points: Array.from({ length: counts.surveyed }, (_, i) => {
      const [x, y, z] = points[MARKS - 1 - i].map((v) => v + 0.003 * n());
      return { track: name(MARKS - 1 - i), x, y, z, sigmaM: 0.003 };
    }),
  };

  const all: WrongFact[] = [
    ...facts.lengths.map((_, index) => ({ kind: 'length' as const, index })),
    ...facts.cameraHeights.map((_, index) => ({ kind: 'cameraHeight' as const, index })),
    ...facts.level.map((_, index) => ({ kind: 'level' as const, index })),
    ...facts.points.map((_, index) => ({ kind: 'surveyed' as const, index })),
  ];
  const chosen: WrongFact[] = [];
  while (chosen.length < Math.min(wrong, all.length)) {
    const w = all[Math.floor(u() * all.length)];
    if (chosen.includes(w)) continue;
    chosen.push(w);
    const sign = u() < 0.5 ? -1 : 1;
    const share = u() < 0.4 ? FACTORS[Math.floor(u() * FACTORS.length)] : 1 + sign * between(0.05, 0.4);
    if (w.kind === 'length') facts.lengths[w.index].m *= share;
    else if (w.kind === 'cameraHeight') facts.cameraHeights[w.index].m *= share;
    else if (w.kind === 'surveyed') facts.points[w.index].x += sign * between(0.08, 0.6);
    else {
      // it does not lie on the floor
      const i = floor[w.index];
      points[i] = [points[i][0], between(0.08, 0.5), points[i][2]];
      own[i] = inward(points[i]).map((v) => v + sigma * n()) as V3;
      facts.lengths.forEach((l) => {
        if (l.a === name(i) || l.b === name(i)) {
          const isWrong = chosen.some((c) => c.kind === 'length' && facts.lengths[c.index] === l);
          if (!isWrong) l.m = far(Number(l.a.slice(1)), Number(l.b.slice(1))) + 0.003 * n();
        }
      });
    }
  }
  return {
    input: {
      frames: centers.map((_, f) => 1 + f),
      centers: ownCenters,
      rotations,
      translations,
      trackIds: points.map((_, i) => name(i)),
      points: own,
      variance: 1,
      covariance: {
        column: (camera, point) => ({ camera: camera.map((v, k) => v * cameraVariance(k)), point: point.map((v) => v * sigma ** 2), focal: 0 }),
        cameraBlock: () => block(6, cameraVariance),
        pointBlock: () => block(3, () => sigma ** 2),
      },
    },
    facts,
    wrong: chosen,
    truth: { scale, points, centers },
  };
}
