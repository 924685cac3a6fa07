import { chartSheets, planChart, PAPERS } from '.';

// 32 mm on 24 × 12.66 mm: at 1 m the frame is 0.75 m wide and 0.3956 m high
const setup = { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 } };

test('one sheet: how far the camera stands, and the chart reaches beyond the frame there', () => {
  const plan = planChart(setup, { paper: 'A0' });
  expect(plan).toMatchObject({ sheetsAcross: 1, sheetsDown: 1, landscape: true });
  expect(plan.fieldWidthMm).toBeCloseTo((1000 * plan.distanceM * 24) / 32, 6);
  expect(plan.chartWidthMm).toBeGreaterThanOrEqual(plan.fieldWidthMm);
  expect(plan.chartHeightMm).toBeGreaterThanOrEqual(plan.fieldHeightMm);
  // one side fits closely: nothing of the paper is wasted on both
  expect(Math.min(plan.chartWidthMm / plan.fieldWidthMm, plan.chartHeightMm / plan.fieldHeightMm)).toBeCloseTo(1.06, 6);
  expect(plan.cellPx).toBeCloseTo((plan.cellMm * 4096) / plan.fieldWidthMm, 6);
  expect(plan.chartWidthMm).toBeLessThanOrEqual(PAPERS.A0[1] - 16);
});

test('a distance: as many sheets as cover the frame, and what is wrong with it is said', () => {
  const plan = planChart(setup, { paper: 'A3', distanceM: 2 });
  expect(plan.fieldWidthMm).toBeCloseTo(1500, 6);
  expect(plan.chartWidthMm).toBeGreaterThan(1500);
  expect((plan.sheetsAcross - 1) * plan.cellsAcross * plan.cellMm).toBeLessThan(1.06 * 1500);
  expect(planChart(setup, { paper: 'A4', distanceM: 4 }).remarks.join(' ')).toMatch(/sheets must be laid flat/);
  expect(planChart(setup, { paper: 'A4', closeFocusM: 0.6 }).remarks.join(' ')).toMatch(/focuses to 0\.6 m; at 0\.\d\d m the chart is out of focus/);
  expect(planChart(setup, { paper: 'A0', cellMm: 3 }).remarks.join(' ')).toMatch(/only \d+ px/);
});

test('a squeeze is counted in, and a tall frame turns the sheet', () => {
  const wide = planChart({ ...setup, squeeze: 2 }, { paper: 'A1', distanceM: 1 });
  expect(wide.fieldWidthMm).toBeCloseTo(1500, 6);
  expect(planChart({ ...setup, image: { width: 2160, height: 4096 }, sensor: { widthMm: 12.66, heightMm: 24 } }, { paper: 'A1' }).landscape).toBe(false);
});

test('what cannot be is refused', () => {
  expect(() => planChart(setup, { paper: 'A9' as never })).toThrow(/must be one of A4/);
  expect(() => planChart(setup, { paper: 'A4', distanceM: -1 })).toThrow(/distanceM/);
  expect(() => planChart(setup, { paper: 'A4', cellMm: 150 })).toThrow(/does not go twice/);
});

test('the pattern runs on from sheet to sheet, and cells keep their size', () => {
  const plan = planChart(setup, { paper: 'A3', distanceM: 1, cellMm: 25 });
  const sheets = chartSheets(plan, 'A3', 'chequer');
  expect(sheets).toHaveLength(plan.sheetsAcross * plan.sheetsDown);
  // colour of the cell (i, j) of the whole chart, read from the rectangles
  const darkAt = (i: number, j: number) => {
    const s = sheets[Math.floor(j / plan.cellsDown) * plan.sheetsAcross + Math.floor(i / plan.cellsAcross)];
    const left = (s.widthMm - plan.cellsAcross * 25) / 2;
    const [x, y] = [left + ((i % plan.cellsAcross) + 0.5) * 25, 8 + ((j % plan.cellsDown) + 0.5) * 25];
    return s.dark.some((r) => x > r.x && x < r.x + r.width && y > r.y && y < r.y + r.height);
  };
  const [across, down] = [plan.cellsAcross * plan.sheetsAcross, plan.cellsDown * plan.sheetsDown];
  for (let j = 0; j < down; j += 1) for (let i = 0; i < across; i += 1) expect(darkAt(i, j)).toBe((i + j) % 2 === 0);
  expect(sheets[0].words).toMatch(/Cell 25 mm.*100 %.*Sheet 1\.1 of/);
  const ruled = chartSheets(plan, 'A3', 'ruled')[0];
  expect(ruled.dark).toHaveLength(plan.cellsAcross + 1 + plan.cellsDown + 1);
});
