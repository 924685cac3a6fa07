import { seededNormal, seededRandom, type Vec3 } from '../math';
import { alignCloud } from './align-cloud';
import type { NetFact } from '../facts';
import { endsOfFarFacts, misfit, refine, unfold } from './fit-places';
import { grow } from './grow';
import type { Net, Places } from './net';
import { placeNet } from './place';
import { netOf } from './read-input';
import { relaxNet } from './relax';
import { coreOf } from './seeds';

// Twelve points of a room, all tied; places by this file.
const random = seededRandom(21);
const ROOM: Vec3[] = Array.from({ length: 12 }, (_, i): Vec3 => [6 * random() - 3, i < 4 ? 0 : 0.3 + 2.4 * random(), -1 - 4 * random()]);
const apart = (a: Vec3, b: Vec3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
const name = (i: number) => `p${i}`;
const tie = (i: number, j: number, more = 0): NetFact => ({ kind: 'tie', a: name(i), b: name(j), m: apart(ROOM[i], ROOM[j]) + more, sigmaM: 0.002 });
const height = (i: number): NetFact => ({ kind: 'height', id: name(i), m: ROOM[i][1], sigmaM: 0.002 });
const all = (noise: () => number = () => 0) => ROOM.flatMap((_, i) => ROOM.slice(i + 1).map((__, k) => tie(i, i + 1 + k, noise())));
const heights = [0, 1, 2, 3].map(height);
const net = (facts: NetFact[]): Net => netOf({ facts });
const truth = (): Places => new Map(ROOM.map((q, i) => [i, q]));
/** Largest error of a distance: free of turning, moving and mirroring. */
const shapeError = (placed: Places) => {
  let worst = 0;
  for (const [i, a] of placed) for (const [j, b] of placed) worst = Math.max(worst, Math.abs(apart(a, b) - apart(ROOM[i], ROOM[j])));
  return worst;
};

test('the true places fit, and one that is folded over shows as one', () => {
  const n = net([...all(), ...heights]);
  expect(misfit(n, truth())).toMatchObject({ far: 0, folded: 0 });
  expect(misfit(n, truth()).cost).toBeCloseTo(0, 12);
  const folded = truth().set(6, [ROOM[6][0] + 0.8, ROOM[6][1], ROOM[6][2] - 0.5]);
  const m = misfit(n, folded);
  expect(m.folded).toBe(1);
  expect(m.far).toBeGreaterThan(5);
  expect(endsOfFarFacts(n, folded).has(6)).toBe(true);
});
test('a folded point is put where its own ties want it, blunders among them notwithstanding', () => {
  const facts = [...all(), ...heights];
  const i = facts.findIndex((f) => f.kind === 'tie' && f.a === 'p6');
  facts[i] = { ...facts[i], m: 0.4 } as NetFact;
  const n = net(facts);
  const placed = truth().set(6, [ROOM[6][0] + 0.8, ROOM[6][1], ROOM[6][2] - 0.5]);
  unfold(n, placed, seededRandom(1));
  expect(shapeError(placed)).toBeLessThan(0.02);
});
test('a blunder of metres bends a robust refinement by millimetres', () => {
  const facts = [...all(), ...heights];
  facts[3] = { ...facts[3], m: (facts[3] as { m: number }).m + 2 } as NetFact;
  const placed = truth();
  refine(net(facts), placed, true, 4);
  expect(shapeError(placed)).toBeLessThan(0.02);
});
test('the layout in five dimensions finds a room from its ties alone, with noise and three blunders', () => {
  const normal = seededNormal(3);
  const facts = all(() => 0.002 * normal());
  for (const i of [5, 30, 61]) facts[i] = { ...facts[i], m: (facts[i] as { m: number }).m * 1.7 } as NetFact;
  const n = net(facts);
  for (const seed of [1, 2, 3]) {
    const placed = relaxNet(
      n,
      ROOM.map((_, i) => i),
      seed,
    );
    refine(n, placed, false, 3);
    expect(shapeError(placed)).toBeLessThan(0.03);
  }
});
test('shaken from a fold it swings over', () => {
  const n = net([...all(), ...heights]);
  // two neighbours under the floor: a fold that no single point can leave without the other
  const folded = truth().set(5, [ROOM[5][0], -ROOM[5][1], ROOM[5][2]]).set(7, [ROOM[7][0], -ROOM[7][1], ROOM[7][2]]);
  const placed = relaxNet(
    n,
    ROOM.map((_, i) => i),
    4,
    { from: folded, stirred: new Set([5, 7]) },
  );
  refine(n, placed, true, 3);
  expect(shapeError(placed)).toBeLessThan(0.01);
});
test('a net grows from three placed points, and stops where two facts are left', () => {
  const facts = [...all().filter((f) => f.kind === 'tie' && f.b !== 'p11'), tie(0, 11), tie(1, 11), ...heights];
  const grown = grow(net(facts), new Map([0, 1, 2].map((i) => [i, ROOM[i]])), true, seededRandom(2), () => false);
  expect([...grown.placed.keys()].sort((a, b) => a - b)).toEqual(ROOM.map((_, i) => i).slice(0, 11));
  expect(shapeError(grown.placed)).toBeLessThan(1e-3);
});
test('a cloud that was built without up is set upright by its heights, whichever way it lay', () => {
  const n = net([...all(), ...[0, 1, 2, 5].map(height)]);
  for (const lay of [(q: Vec3): Vec3 => [q[2], q[0], q[1]], (q: Vec3): Vec3 => [q[0] + 4, -q[1] - 2, -q[2]], (q: Vec3): Vec3 => [-q[1], q[2], q[0]]]) {
    const upright = alignCloud(n, new Map(ROOM.map((q, i) => [i, lay(q)])));
    for (const [i, q] of upright) expect(q[1]).toBeCloseTo(ROOM[i][1], 3);
  }
});
test('what hangs on too few facts, or apart from the rest, is left out of the core', () => {
  const facts = [...all(), { ...tie(0, 1), a: 'lone', b: 'other' } as NetFact, { ...tie(0, 1), b: 'dangling' } as NetFact];
  const n = net(facts);
  expect(
    coreOf(n)
      .map((p) => n.ids[p])
      .sort(),
  ).toEqual(ROOM.map((_, i) => name(i)).sort());
  expect(placeNet(n).size).toBe(ROOM.length);
});
