import { focalWitnesses, sameOrOther, type Analysis, type StoredRecord } from '.';

const record = (kind: string, id: string, body: object) => ({ kind, id, version: 1, deleted: false, body }) as unknown as StoredRecord;
const RECORDS = [
  record('plate', 'p1', { packageId: 'A', picture: { name: 'A_grid.jpg' } }),
  record('plate', 'p2', { packageId: 'B', picture: { name: 'B_grid.jpg' } }),
  record('setup', 's1', { name: 'Boat on its table' }),
  record('plan', 'l1', { setupId: 's1', stills: { packageId: 'A' } }),
  record('take', 't1', { packageId: 'A', slate: '41A', take: 1 }),
  record('take', 't2', { packageId: 'A', slate: '41A', take: 2 }),
  record('take', 't3', { packageId: 'B', slate: '42B', take: 1 }),
];
const all = ((kind: string) => RECORDS.filter((r) => r.kind === kind)) as unknown as Parameters<typeof focalWitnesses>[3];
const item = (recorded: number, solved: number | null, sigma: number | null) => ({
  quantity: 'focalLength',
  about: 'focal length',
  unit: 'mm',
  recorded,
  recordedSigma: 0.3,
  solved,
  sigma,
  verdict: 'contradicts',
  causes: [],
});
const analysis = (outcome: object, change: Partial<Analysis> = {}) => ({ status: 'done', outcome, ...change }) as unknown as Analysis;
const plate = (mm: number, sigmaMm: number, recorded = 32) => analysis({ kind: 'grid', report: { focalFromDistance: null, focalFromTilt: { mm, sigmaMm }, distortion: { focalMm: recorded } } });
const solve = (...i: Parameters<typeof item>) => analysis({ kind: 'solve', reconcile: { items: [item(...i)] } });
const walk = (...i: Parameters<typeof item>) => analysis({ kind: 'walk', reconcile: { items: [item(...i)] } });

test('a plate, a walk and another take of the package are its witnesses; another package’s and the take itself are not', () => {
  const bySubject = { p1: plate(22.7, 0.2), p2: plate(25, 0.1, 25), s1: walk(32, 22.8, 0.1), t1: solve(32, 22.7, 0.05), t2: solve(24, 17.05, 0.06), t3: solve(25, 25, 0.1) };
  const witnesses = focalWitnesses('A', 't1', bySubject, all);
  expect(witnesses.map((w) => [w.kind, w.name, w.recordedMm, w.foundMm])).toEqual([
    ['plate', 'A_grid.jpg', 32, 22.7],
    ['walk', 'Boat on its table', 32, 22.8],
    ['take', '41A take 2', 24, 17.05],
  ]);
  // a zoom that stood at 24 speaks of the same reducer as one at 32
  expect(sameOrOther(item(32, 22.7, 0.05), witnesses)).toEqual({ same: witnesses, other: [] });
  // a verdict that agrees is contradicted by all of them
  expect(sameOrOther(item(32, 32.1, 0.05), witnesses).other).toHaveLength(3);
});

test('what is known poorly, was not told, is not done or has failed says nothing', () => {
  const none = (bySubject: Record<string, Analysis>) => focalWitnesses('A', 't1', bySubject, all);
  expect(none({ p1: plate(22.7, 1) })).toEqual([]);
  expect(none({ p1: analysis({ kind: 'grid', report: { focalFromDistance: null, focalFromTilt: null, distortion: { focalMm: 32 } } }) })).toEqual([]);
  expect(none({ t2: solve(32, null, null) })).toEqual([]);
  expect(none({ t2: analysis({ kind: 'solve', reconcile: null }) })).toEqual([]);
  expect(none({ t2: { ...solve(32, 22.7, 0.1), status: 'running' } })).toEqual([]);
  expect(none({ s1: analysis({ kind: 'walk', reconcile: null }) })).toEqual([]);
  expect(sameOrOther(item(32, null, null), none({ p1: plate(22.7, 0.2) }))).toEqual({ same: [], other: [] });
});

test('of two ways a plate tells it the better one counts; one of the record before a change says so', () => {
  const both = analysis(
    { kind: 'grid', report: { focalFromDistance: { mm: 22.9, sigmaMm: 0.05 }, focalFromTilt: { mm: 22.2, sigmaMm: 0.4 }, distortion: { focalMm: 32 } } },
    { stale: { when: '', who: '', what: 'package A' } },
  );
  expect(focalWitnesses('A', 't1', { p1: both }, all)).toMatchObject([{ foundMm: 22.9, sigmaMm: 0.05, stale: true }]);
});
