import { seededNormal, type Vec3 } from '../math';
import { METRES_PER } from '../units';
import { doubtPlaces, type KnownOfPlaces } from './places-check';

const random = seededNormal(5);
/** A set of nine marks, and what a crew knows of them: five ties with a tape's error, four heights, a plan that is turned, shifted and off by centimetres. */
const TRUE: Vec3[] = Array.from({ length: 9 }, (_, i) => [1.7 * (i % 3) + 0.2 * random(), 0.4 + 0.5 * Math.abs(random()), -2.1 * Math.floor(i / 3) + 0.3 * random()]);
const id = (i: number) => `K${i}`;
const known: KnownOfPlaces = {
  ties: [[0, 1], [1, 4], [2, 7], [3, 8], [0, 8]].map(([a, b]) => ({ a: id(a), b: id(b), m: Math.hypot(...TRUE[a].map((v, k) => v - TRUE[b][k])) + 0.003 * random() })), // prettier-ignore
  heights: [0, 3, 5, 8].map((i) => ({ id: id(i), m: TRUE[i][1] + 0.003 * random() })),
  plan: new Map(TRUE.map(([x, y, z], i) => [id(i), [5 + 0.6 * x - 0.8 * z + 0.02 * random(), y, 1 + 0.8 * x + 0.6 * z + 0.02 * random()] as Vec3])),
};
const places = (of: (p: Vec3) => Vec3) => TRUE.map((p, i) => ({ id: id(i), at: of(p).map((v) => v + 0.001 * random()) as unknown as Vec3 }));
const codes = (of: (p: Vec3) => Vec3, k: KnownOfPlaces = known) => doubtPlaces(places(of), k).map((d) => d.code);

test('places that are what they say are not doubted, wherever the instrument had its zero and its heading', () => {
  expect(codes((p) => p)).toEqual([]);
  expect(codes(([x, y, z]) => [100 + 0.8 * x + 0.6 * z, y + 12.3, 50 - 0.6 * x + 0.8 * z])).toEqual([]);
});

test('a unit is named by what was taped; where none explains it, it is said all the same', () => {
  for (const unit of ['ft', 'in', 'cm', 'mm'] as const) {
    const [d] = doubtPlaces(
      places((p) => p.map((v) => v / METRES_PER[unit]) as unknown as Vec3),
      known,
    );
    expect(d).toMatchObject({ code: 'UNIT', unit, from: 5 });
  }
  // metres that were taken for centimetres
  expect(
    doubtPlaces(
      places((p) => p.map((v) => v / 100) as unknown as Vec3),
      known,
      'cm',
    )[0],
  ).toMatchObject({ code: 'UNIT', unit: 'm' });
  const [odd] = doubtPlaces(
    places((p) => p.map((v) => 1.31 * v) as unknown as Vec3),
    known,
  );
  expect(odd).toMatchObject({ code: 'UNIT', unit: null, ratio: expect.closeTo(1.31, 2) });
});

test('the axis that is up is found by heights, with the floor at any height of the instrument’s', () => {
  // Z up read as Y up
  expect(codes(([x, y, z]) => [x, -z, y + 7])).toContain('UP');
});

test('a table with two axes changed over fits the plan only as its mirror image', () => {
  expect(codes(([x, y, z]) => [z, y, x])).toEqual(['MIRRORED']);
  // marks in a row tell no mirror image
  const row = new Map([0, 1, 2].map((i) => [id(i), [i, 0, 0] as Vec3]));
  expect(doubtPlaces([0, 1, 2].map((i) => ({ id: id(i), at: [-i, 0, 0] as Vec3 })), { ties: [], heights: [], plan: row })).toEqual([]); // prettier-ignore
});

test('where nothing else is known nothing is doubted', () => expect(codes((p) => p.map((v) => 3 * v) as unknown as Vec3, { ties: [], heights: [], plan: new Map() })).toEqual([]));
