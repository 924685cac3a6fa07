import { draws, normals } from '@mesure/synthetic';
import type { Vec3 } from '../math';
import type { SolveSetup } from '../solve';
import type { NetFact } from '../facts';
import { wordsOf } from '../warnings';
import { checkLineUp } from './check-line-up';
import { lineUpByLengths } from './line-up-lengths';
import type { LineUpMark } from './line-up-result';

const [W, H, FOCAL, HEIGHT] = [4096, 2160, 27.4, 1.42];
const [TILT, ROLL] = [-0.21, 0.02];
/** A plate saw that its lens does not bend. */
const NO_BEND: SolveSetup['distortion'] = { mode: 'held', model: 'radial', k: [0, 0, 0] };
const setupOf = (change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: W, height: H },
  sensor: { widthMm: 24, heightMm: 12.65625 },
  focal: { mode: 'free', mm: 32 },
  distortion: { mode: 'none' },
  ...change,
});

/** This file's own camera: over the origin, looks along −Z tilted by TILT, then rolled clockwise as seen from behind; bent by k1. */
function place([x, y, z]: Vec3, k1 = 0): { xPx: number; yPx: number } {
  const dy = y - HEIGHT;
  const forward = -Math.cos(TILT) * z + Math.sin(TILT) * dy;
  const up = Math.cos(TILT) * dy + Math.sin(TILT) * z;
  const [right, rise] = [Math.cos(ROLL) * x - Math.sin(ROLL) * up, Math.sin(ROLL) * x + Math.cos(ROLL) * up];
  const f = (FOCAL / 24) * W;
  const [sx, sy] = [right / forward, -rise / forward];
  const by = 1 + k1 * (sx * sx + sy * sy);
  return { xPx: W / 2 + f * sx * by, yPx: H / 2 + f * sy * by };
}
/** On the floor, on a wall, and a pole. */
const PLACES: Record<string, Vec3> = {
  F1: [-1.1, 0, -3.4],
  F2: [0.9, 0, -3.1],
  F3: [1.5, 0, -5.6],
  F4: [-1.6, 0, -6.1],
  P1: [-1.1, 1.35, -3.4],
  W1: [-1, 0.4, -8.3],
  W2: [1.2, 0.5, -6.4],
  W3: [1.2, 2, -6.4],
  W4: [-1, 1.9, -8.3],
};
// square to the camera's own axis
for (const [i, [right, up]] of [
  [-1.4, -0.7],
  [1.3, -0.6],
  [1.3, 0.8],
  [-1.4, 0.7],
].entries())
  PLACES[`V${i + 1}`] = [right, HEIGHT + 6.6 * Math.sin(TILT) + up * Math.cos(TILT), -6.6 * Math.cos(TILT) + up * Math.sin(TILT)];
const apart = (a: string, b: string) => Math.hypot(...PLACES[a].map((v, k) => v - PLACES[b][k]));
const marked = (ids: readonly string[], noisePx = 0, seed = 1, k1 = 0): LineUpMark[] => {
  const n = normals(seed);
  return ids.map((id) => {
    const q = place(PLACES[id], k1);
    return { id, xPx: q.xPx + noisePx * n(), yPx: q.yPx + noisePx * n() };
  });
};
const SIGMA_M = 0.0025;
const ties = (pairs: readonly string[], noiseM = 0, seed = 2): NetFact[] => {
  const n = normals(seed);
  return pairs.map((p) => {
    const [a, b] = p.split(' ');
    return { kind: 'tie', a, b, m: apart(a, b) + noiseM * n(), sigmaM: SIGMA_M };
  });
};
const onFloor = (ids: readonly string[], noiseM = 0, seed = 3): NetFact[] => {
  const n = normals(seed);
  return ids.map((id) => ({ kind: 'height', id, m: noiseM * n(), sigmaM: 0.004 }));
};
const FLOOR = ['F1', 'F2', 'F3', 'F4'];
const FLOOR_TIES = ['F1 F2', 'F2 F3', 'F3 F4', 'F4 F1', 'F1 F3', 'F2 F4'];
const WALL = ['W1', 'W2', 'W3', 'W4'];
const WALL_TIES = ['W1 W2', 'W2 W3', 'W3 W4', 'W4 W1', 'W1 W3', 'W2 W4'];

test('four marks on the floor with sides and a diagonal give height, tilt, roll and focal length exactly, from a record that is 17 % off', () => {
  const r = lineUpByLengths(marked(FLOOR), [...ties(FLOOR_TIES), ...onFloor(FLOOR)], setupOf());
  expect(r).toMatchObject({ status: 'solved', frame: 'floor' });
  expect(r.focalMm).toBeCloseTo(FOCAL, 3);
  expect(r.position![1]).toBeCloseTo(HEIGHT, 4);
  expect(r.angles!.tiltRad).toBeCloseTo(TILT, 4);
  expect(r.angles!.rollRad).toBeCloseTo(ROLL, 4);
  for (const p of r.places) p.position.forEach((v, k) => expect(v).toBeCloseTo(PLACES[p.id][k], 3));
});

test('a wall with its sides and diagonals, and no floor, gives focal length and distances; a lens that bends is freed of its bend', () => {
  const lens = setupOf({ distortion: { mode: 'held', model: 'radial', k: [-0.05, 0, 0], focalMm: FOCAL } });
  const r = lineUpByLengths(marked(WALL, 0, 1, -0.05), ties(WALL_TIES), lens);
  expect(r).toMatchObject({ status: 'solved', frame: 'camera', position: [0, 0, 0], angles: null });
  expect(r.focalMm).toBeCloseTo(FOCAL, 2);
  for (const p of r.places) expect(Math.hypot(...p.position)).toBeCloseTo(Math.hypot(PLACES[p.id][0], PLACES[p.id][1] - HEIGHT, PLACES[p.id][2]), 2);
});

test.each([
  ['the floor, focal length unknown', FLOOR, FLOOR_TIES, FLOOR, 'free'],
  ['a wall, focal length unknown', WALL, WALL_TIES, [], 'free'],
  ['floor and pole, focal length held', ['F1', 'F2', 'F3', 'P1'], ['F1 F2', 'F2 F3', 'F1 F3', 'F1 P1'], ['F1', 'F2', 'F3'], 'held'],
  ['floor and wall, focal length unknown', [...FLOOR, ...WALL], [...FLOOR_TIES, ...WALL_TIES, 'F3 W2', 'F4 W1'], FLOOR, 'free'],
] as const)('errors are what their sigmas say, over many pictures: %s', (_what, ids, pairs, floor, mode) => {
  const runs = draws(100, ids.length > 4 ? 8 : 14);
  const z2: Record<string, number[]> = { focal: [], height: [], tilt: [], distance: [] };
  for (let i = 0; i < runs; i += 1) {
    const plumb: NetFact[] = (ids as readonly string[]).includes('P1') ? [{ kind: 'plumb', a: 'F1', b: 'P1', sigmaM: 0.004 }] : [];
    const facts = [...ties(pairs, SIGMA_M, 100 + i), ...onFloor(floor, 0.004, 300 + i), ...plumb];
    const r = lineUpByLengths(marked(ids, 0.7, 10 + i), facts, setupOf({ focal: { mode, mm: mode === 'held' ? FOCAL : 32 }, distortion: NO_BEND }));
    expect(r.status).toBe('solved');
    // where two answers are as good the sigma reaches to both
    if (r.warnings.some((w) => w.code === 'LENGTHS_FIT_TWICE')) {
      expect(Math.abs(r.focalMm! - FOCAL) / r.sigmaFocalMm!).toBeLessThan(2.5);
      continue;
    }
    if (mode === 'free') z2.focal.push(((r.focalMm! - FOCAL) / r.sigmaFocalMm!) ** 2);
    if (r.frame === 'floor') {
      z2.height.push(((r.position![1] - HEIGHT) / r.sigmaPositionM![1]) ** 2);
      z2.tilt.push(((r.angles!.tiltRad - TILT) / r.angles!.sigmaTiltRad) ** 2);
    }
    const [p] = r.places;
    const truth = Math.hypot(PLACES[p.id][0], PLACES[p.id][1] - HEIGHT, PLACES[p.id][2]);
    z2.distance.push(((Math.hypot(p.position[0], p.position[1] - r.position![1], p.position[2]) - truth) / p.sigmaM!) ** 2);
  }
  for (const [what, list] of Object.entries(z2)) {
    if (list.length === 0) continue;
    const mean = list.reduce((s, v) => s + v, 0) / list.length;
    expect([what, mean > Math.max(0.05, 1 - 3.3 * Math.sqrt(2 / list.length)), mean < 1 + 4.2 * Math.sqrt(2 / list.length), mean]).toEqual([what, true, true, mean]);
  }
});

test('lenses that bend as lenses do and that nobody measured are in what lengths say of height, tilt and focal length', () => {
  const runs = draws(60, 8);
  const usual = 0.015 / ((12 ** 2 + 6.328125 ** 2) / FOCAL ** 2);
  const n = normals(8);
  const z2 = { bearing: [0, 0, 0], straight: [0, 0, 0] };
  const offMm2 = { bearing: 0, straight: 0 };
  for (let i = 0; i < runs; i += 1) {
    const facts = [...ties([...FLOOR_TIES, ...WALL_TIES, 'F3 W2', 'F4 W1'], SIGMA_M, 100 + i), ...onFloor(FLOOR, 0.004, 300 + i)];
    const marks = marked([...FLOOR, ...WALL], 0.7, 10 + i, usual * n());
    for (const [way, distortion] of [
      ['bearing', undefined],
      ['straight', NO_BEND],
    ] as const) {
      const r = lineUpByLengths(marks, facts, setupOf(distortion ? { distortion } : {}));
      offMm2[way] += (r.focalMm! - FOCAL) ** 2 / runs;
      z2[way][0] += ((r.focalMm! - FOCAL) / r.sigmaFocalMm!) ** 2 / runs;
      z2[way][1] += ((r.position![1] - HEIGHT) / r.sigmaPositionM![1]) ** 2 / runs;
      z2[way][2] += ((r.angles!.tiltRad - TILT) / r.angles!.sigmaTiltRad) ** 2 / runs;
    }
  }
  console.info(`off by ${Math.sqrt(offMm2.bearing).toFixed(3)} mm, as a straight lens ${Math.sqrt(offMm2.straight).toFixed(3)}; z² of focal length, height, tilt: ${JSON.stringify(z2)}`);
  for (const z of z2.bearing) expect(Math.abs(z - 1)).toBeLessThan(4.2 * Math.sqrt(2 / runs));
  expect(offMm2.straight).toBeGreaterThan(1.2 * offMm2.bearing);
});

test('a wall seen square-on hardly shows the focal length: what is said of it is wide and reaches the truth, or nothing is said', () => {
  const runs = draws(60, 6);
  let wide = 0;
  for (let i = 0; i < runs; i += 1) {
    const pairs = WALL_TIES.map((p) => p.replaceAll('W', 'V'));
    const r = lineUpByLengths(marked(['V1', 'V2', 'V3', 'V4'], 0.7, 10 + i), ties(pairs, SIGMA_M, 100 + i), setupOf());
    if (r.status === 'failed') expect(r.reason).toMatch(/do not determine/);
    else expect(Math.abs(r.focalMm! - FOCAL)).toBeLessThan(3 * r.sigmaFocalMm!);
    if (r.status === 'failed' || r.sigmaFocalMm! > 0.04 * FOCAL) wide += 1;
  }
  expect(wide).toBeGreaterThan(0.8 * runs);
});

test('a length in feet taken for metres, one with its digits changed, and a mark on another thing are each found, named, and left out', () => {
  const ids = [...FLOOR, ...WALL];
  const all = [...FLOOR_TIES, ...WALL_TIES, 'F3 W2', 'F4 W1', 'F2 W2'];
  const right = [...ties(all, SIGMA_M), ...onFloor(FLOOR, 0.003)];
  const wrong = (a: string, b: string, m: number) => right.map((f) => (f.kind === 'tie' && f.a === a && f.b === b ? { ...f, m } : f));
  for (const [a, b, m] of [
    ['F2', 'F3', apart('F2', 'F3') / 0.3048],
    ['W1', 'W3', apart('W1', 'W3') + 0.27],
  ] as const) {
    const r = lineUpByLengths(marked(ids, 0.7), wrong(a, b, m), setupOf());
    expect(wordsOf(r.warnings).join(' ')).toMatch(new RegExp(`The length ${a} – ${b} of .* left out`));
    expect(r.facts.filter((f) => f.left).map((f) => f.fact)).toEqual([expect.objectContaining({ a, b })]);
    expect(Math.abs(r.focalMm! - FOCAL)).toBeLessThan(4 * r.sigmaFocalMm!);
  }
  const moved = marked(ids, 0.7).map((q) => (q.id === 'W4' ? { ...q, xPx: q.xPx - 260, yPx: q.yPx + 210 } : q));
  const r = lineUpByLengths(moved, right, setupOf());
  expect(r.marks.filter((q) => q.left).map((q) => q.id)).toEqual(['W4']);
  expect(Math.abs(r.position![1] - HEIGHT)).toBeLessThan(4 * r.sigmaPositionM![1]);
});

test('of a pair that was taped twice the reading that does not fit is named by its value, and the other one stays', () => {
  const twice: NetFact = { kind: 'tie', a: 'F2', b: 'F3', m: apart('F2', 'F3') + 0.2, sigmaM: SIGMA_M };
  const r = lineUpByLengths(marked(FLOOR, 0.5), [...ties(FLOOR_TIES, SIGMA_M), twice, ...onFloor(FLOOR, 0.003)], setupOf());
  expect(r.facts.filter((f) => f.left).map((f) => f.fact)).toEqual([twice]);
  expect(wordsOf(r.warnings).join(' ')).toContain(`The length F2 – F3 of ${twice.m.toFixed(3)} m`);
  expect(Math.abs(r.position![1] - HEIGHT)).toBeLessThan(4 * r.sigmaPositionM![1]);
});

test('where nothing tells which length is wrong that is said, and none is left out', () => {
  // a wall that is checked by one number: any of its lengths can be blamed
  const facts = ties(WALL_TIES).map((f, i) => (i === 0 && f.kind === 'tie' ? { ...f, m: f.m + 0.15 } : f));
  const r = lineUpByLengths(marked(WALL), facts, setupOf({ focal: { mode: 'held', mm: FOCAL } }));
  expect(r.facts.every((f) => !f.left)).toBe(true);
  expect(wordsOf(r.warnings).join(' ')).toMatch(/nothing tells whether it is .* or |times what is usual/);
});

test('too little is said with how much is missing, and what tells nothing takes no part', () => {
  expect(lineUpByLengths(marked(FLOOR), ties(['F1 F2', 'F2 F3', 'F3 F4', 'F4 F1']), setupOf())).toMatchObject({ status: 'failed', reason: expect.stringMatching(/one length is missing/) });
  expect(lineUpByLengths(marked(FLOOR), ties(['F1 F2']), setupOf())).toMatchObject({ status: 'failed', reason: expect.stringMatching(/0 of the marks have lengths between them/) });
  const lonely = lineUpByLengths(marked([...FLOOR, 'P1']), [...ties([...FLOOR_TIES, 'F1 P1']), ...onFloor(FLOOR)], setupOf());
  expect(lonely.status).toBe('solved');
  expect(lonely.places.map((p) => p.id)).toEqual(FLOOR);
  expect(wordsOf(lonely.warnings).join(' ')).toMatch(/P1/);
  // one height over the floor does not say how the camera was tilted: the rest is answered
  const one = lineUpByLengths(marked(WALL), [...ties(WALL_TIES), { kind: 'height', id: 'W1', m: 0.4, sigmaM: 0.004 }], setupOf());
  expect(one).toMatchObject({ status: 'solved', frame: 'camera' });
});

test('a tie that nobody can have measured, and marks that are no numbers, are refused', () => {
  expect(() => lineUpByLengths(marked(FLOOR), [{ kind: 'tie', a: 'F1', b: 'F2', m: -1, sigmaM: 0.01 }], setupOf())).toThrow(/F1 – F2/);
  expect(() => lineUpByLengths([{ id: 'F1', xPx: Number.NaN, yPx: 1 }], [], setupOf())).toThrow(/must be numbers/);
});

test('a record is judged by it: height, tilt, distance and focal length that are right agree, wrong ones are contradicted alone', () => {
  const facts = [...ties(FLOOR_TIES, SIGMA_M), ...onFloor(FLOOR, 0.003)];
  const judged = (heightM: number, mm = FOCAL) => {
    const anchors: SolveSetup['anchors'] = {
      cameraHeights: [{ frame: 7, m: heightM, sigmaM: 0.005 }],
      distances: [{ frame: 7, to: 'F2', m: Math.hypot(PLACES.F2[0], HEIGHT, PLACES.F2[2]), sigmaM: 0.02 }],
      cameraAngles: [{ frame: 7, of: 'tilt', rad: TILT }],
    };
    const { report } = checkLineUp({ marks: marked(FLOOR, 0.6), facts, setup: setupOf({ anchors, focal: { mode: 'free', mm } }) });
    return Object.fromEntries(report!.items.map((i) => [i.quantity, i.verdict]));
  };
  const all = { focalLength: 'agrees', cameraHeight: 'agrees', distance: 'agrees', tilt: 'agrees' };
  expect(judged(HEIGHT)).toEqual(all);
  expect(judged(1.7)).toEqual({ ...all, cameraHeight: 'contradicts' });
  expect(judged(HEIGHT, 40)).toEqual({ ...all, focalLength: 'contradicts' });
  // without a floor nothing is said of heights and angles
  const wall = checkLineUp({
    marks: marked(WALL, 0.6),
    facts: ties(WALL_TIES),
    setup: setupOf({ anchors: { cameraHeights: [{ frame: 7, m: 9, sigmaM: 0.005 }], cameraAngles: [{ frame: 7, of: 'tilt', rad: 1 }] } }),
  });
  expect(wall.report!.items.map((i) => i.quantity)).toEqual(['focalLength']);
});
