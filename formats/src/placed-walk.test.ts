import { quatToMat, type PlacedWalk } from '@mesure/core';
import { readStillMarksCsv, writePlacedStillsCsv, writeStillMarksCsv, writeWalkPlacesCsv } from '.';

/** A camera that looks along −X, and a place before it; written, and then projected from the table alone. */
const HALF = Math.SQRT1_2;
const walk = (change: Partial<PlacedWalk> = {}): PlacedWalk => ({
  status: 'partial',
  reason: null,
  turnsOnly: false,
  stills: [{ position: [2, 1.5, 0.25], rotation: [0, HALF, 0, HALF], sigma: 0.004, offStationM: 0.12, places: 40, rmsPx: 0.3 }, null],
  unplaced: [{ still: 1, why: 'nothing in it was found in another picture' }],
  lenses: [{ lens: 'Sorrel P1, 9 mm', stills: [0, 1], recordedPx: 650, focalPx: 655, sigmaPx: 1.2, told: true }],
  bends: { k1: -0.05, k2: 0.01, sigmaK1: 0.002 },
  places: [{ position: [-1, 1.9, -0.35], sigma: 0.01, stills: 3, mark: 'm1' }],
  noisePx: 0.2,
  scaledBy: 'measured',
  sigmaScalePct: 0.3,
  ties: [],
  warnings: [],
  ...change,
});
const pictures = [1, 2].map((n) => ({ file: `stills/a,b/${n}.jpg`, station: String(n), widthPx: 960, heightPx: 640 }));
const rowsOf = (csv: string) => csv.trim().split(/\r?\n/).map((line) => [...line.matchAll(/("([^"]*)"|[^,]*)(,|$)/g)].map((m) => m[2] ?? m[1])); // prettier-ignore
const table = (csv: string) => {
  const [header, ...rows] = rowsOf(csv);
  return rows.map((row) => Object.fromEntries(header.map((name, i) => [name, row[i]])));
};

test.each([
  ['metres, Y up', undefined],
  ['cm, Z up', { unit: 'cm', up: 'Z' } as const],
])('a place is where the picture shows it, by the table alone: %s', (_name, space) => {
  const file = { name: 'w', walk: walk(), pictures, space };
  const [row] = table(writePlacedStillsCsv(file));
  const [place] = table(writeWalkPlacesCsv(file));
  const n = (v: string) => Number(v);
  const m = quatToMat([n(row.qx), n(row.qy), n(row.qz), n(row.qw)]);
  const d = [n(place.x) - n(row.x), n(place.y) - n(row.y), n(place.z) - n(row.z)];
  const [right, up, back] = [0, 1, 2].map((k) => m[k] * d[0] + m[3 + k] * d[1] + m[6 + k] * d[2]);
  // 3 m before the lens, 0.6 m to the right of a camera that looks along −X, 0.4 m over it
  expect([right / -back, up / -back].map((v) => Number(v.toFixed(9)))).toEqual([0.2, 0.133333333]);
  expect(n(row.cx_px) + (n(row.focal_px) * right) / -back).toBeCloseTo(480 + 655 * 0.2, 6);
  expect([row.unit, row.up]).toEqual(space ? ['cm', 'Z'] : ['m', 'Y']);
  expect(n(row.sigma)).toBeCloseTo(space ? 0.4 : 0.004, 9);
  expect([row.k1, row.k2, row.normalised_px, row.off_station_m]).toEqual(['-0.05', '0.01', '650', '0.12']);
});

test('a picture without a place stays in the table and says why; without a metre the unit is the walk’s own', () => {
  const [, none] = table(writePlacedStillsCsv({ name: 'w', walk: walk(), pictures }));
  expect(none).toMatchObject({ file: 'stills/a,b/2.jpg', x: '', qw: '', focal_px: '', why_not: 'nothing in it was found in another picture' });
  const [own] = table(writePlacedStillsCsv({ name: 'w', walk: walk({ scaledBy: null, sigmaScalePct: null }), pictures, space: { unit: 'cm', up: 'Y' } }));
  expect([own.unit, own.x]).toEqual(['of the solve', '2']);
});

test('marks come back as they left; what is doubled, unnamed or no number is refused with its line', () => {
  const marks = [
    { file: 'a, b.jpg', id: 'm1', xPx: 10.25, yPx: 20 },
    { file: 'c.jpg', id: 'm1', xPx: 11, yPx: 21.5 },
  ];
  expect(readStillMarksCsv(writeStillMarksCsv(marks), 'marks.csv')).toEqual(marks);
  const bad = (lines: string[]) => () => readStillMarksCsv(['file,id,x,y', ...lines].join('\n'), 'marks.csv');
  expect(bad(['a.jpg,m1,1,2', 'a.jpg,m1,3,4'])).toThrow(/marks\.csv.*line 3.*already in line 2/);
  expect(bad(['a.jpg,,1,2'])).toThrow(/line 2.*id.*empty/);
  expect(bad(['a.jpg,m1,one,2'])).toThrow(/line 2/);
  expect(bad([])).toThrow(/holds no marks/);
});
