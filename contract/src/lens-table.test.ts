import { DIRECTIONS, FOCUS_INFINITY_M } from '@mesure/core';
import { lensesNamed, planLensTable, type LensRow, type LensTableInput } from '.';

const frameAt = (focalMm: number) => ({ widthPx: 4096, heightPx: 2160, fxPx: (4096 * focalMm) / 24, fyPx: (4096 * focalMm) / 24, effectiveFocalMm: focalMm });
const plan = (rows: LensRow[], change: Partial<LensTableInput> = {}) =>
  planLensTable({
    rows,
    said: { formula: 'polynomial', over: 'focal length', direction: DIRECTIONS[0] },
    focusUnit: 'm',
    lens: null,
    minFocalMm: 24,
    maxFocalMm: 70,
    known: [],
    frameAt: frameAt as unknown as LensTableInput['frameAt'],
    ...change,
  });

test('each row becomes a plate of its setting, in the units that were said', () => {
  const lines = plan(
    [
      { focal_mm: '24', focus: '4', k1: '-0.09', k2: '0.01', p1: '', center_x_px: '3.5' },
      { focal_mm: '70', focus: '2,5 m', k1: '0.02', k2: '' },
      { focal_mm: '35', focus: 'inf', k1: '-0.05', k2: '' },
    ],
    { focusUnit: 'ft' },
  );
  expect(lines.map((l) => l.what)).toEqual(['new', 'new', 'new']);
  expect(lines[0].plate).toMatchObject({ focalMm: 24, given: { what: 'coefficients', k: [-0.09, 0.01], p: [0, 0], center: [3.5, 0], focalMm: null } });
  expect(lines[0].plate!.focusM).toBeCloseTo(1.2192, 6);
  expect(lines[1].plate!.focusM).toBeCloseTo(2.5, 9);
  expect(lines[2].plate!.focusM).toBe(FOCUS_INFINITY_M);
  // −0.09 r² at a corner that is 0.4 of a focal length off
  expect(lines[0]).toMatchObject({ note: expect.stringMatching(/^barrel \d+\.\d\d % at the corner$/) });
  expect(lines[1]).toMatchObject({ note: expect.stringMatching(/^pincushion/) });
});

test.each([
  ['a focal length that the lens does not have', { focal_mm: '135', k1: '-0.01' }, /24 to 70 mm/],
  ['a normaliser ten times too small', { focal_mm: '24', k1: '-9' }, /corner/],
  ['a focus that is none', { focal_mm: '24', focus: 'near', k1: '-0.01' }, /near/],
])('%s cannot be read, and says why', (_what, row, why) => {
  expect(plan([row as LensRow])).toEqual([{ row: 1, label: expect.any(String), what: 'problem', why: expect.stringMatching(why), plate: null }]);
});

test('what is here already is passed over, twice in the table too; another reading of it is another', () => {
  const row: LensRow = { focal_mm: '24', k1: '-0.09' };
  const [first, second] = plan([row, row]);
  expect([first.what, second.what]).toEqual(['new', 'same']);
  const known = [{ focalMm: 24, focusM: null, given: Object.fromEntries(Object.entries(first.plate!.given).reverse()) as unknown as NonNullable<(typeof first)['plate']>['given'] }];
  expect(plan([row], { known })[0].what).toBe('same');
  expect(plan([row], { known, said: { formula: 'polynomial', over: 'half diagonal', direction: DIRECTIONS[0] } })[0].what).toBe('new');
});

test('of several lenses one is taken', () => {
  const rows: LensRow[] = [
    { lens: 'Orrinel', focal_mm: '24', k1: '-0.09' },
    { lens: 'Tessin', focal_mm: '50', k1: '-0.02' },
    { lens: 'Orrinel', focal_mm: '70', k1: '0.01' },
  ];
  expect(lensesNamed(rows)).toEqual(['Orrinel', 'Tessin']);
  expect(plan(rows, { lens: 'Orrinel' }).map((l) => [l.row, l.plate?.focalMm])).toEqual([
    [1, 24],
    [3, 70],
  ]);
});
