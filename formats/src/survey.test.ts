import { netOnPlan, solveNet, type NetFact } from '@mesure/core';
import { readHeightsCsv, readPointsCsv, readTiesCsv } from '.';
import { writeSurveyDxf } from './survey-dxf';
import { writeSurveyCsv, writeSurveyPly } from './survey';

describe('ties, heights and points in files', () => {
  test('a tie keeps what was written beside what it means; units and tolerances are its row’s', () => {
    const ties = readTiesCsv(`to,from,unit,value,tolerance\nB,A,ft-in,"4' 7 1/4""",0.25\nC,A,cm,"140,3",\nD,A,in,55 1/4,0.125\n`, 'ties.csv');
    // 55.25 in = 1.40335 m; a quarter inch is 6.35 mm
    expect(ties[0]).toMatchObject({ from: 'A', to: 'B', typed: `4' 7 1/4"`, unit: 'ft-in', line: 2 });
    expect(ties[0].toleranceM).toBeCloseTo(0.00635, 9);
    expect(ties[0].valueM).toBeCloseTo(1.40335, 9);
    expect(ties[1].toleranceM).toBeNull();
    expect(ties[1].valueM).toBeCloseTo(1.403, 9);
    expect(ties[2].valueM).toBeCloseTo(1.40335, 9);
    expect(ties[2].toleranceM).toBeCloseTo(0.003175, 9);
  });
  test('heights may lie below the floor, points may be held', () => {
    expect(readHeightsCsv('id,value,unit\nA,-12.5,cm\nB,0,m\n', 'h.csv').map((h) => h.valueM)).toEqual([-0.125, 0]);
    expect(readPointsCsv('id,x,y,z,sigma_x,sigma_y,sigma_z\nA,1,2,-3,0.001,,0.002\n', 'p.csv')).toEqual([{ id: 'A', at: [1, 2, -3], sigmaM: [0.001, 0, 0.002] }]);
    expect(readPointsCsv('id,x,y,z\nA,1,2,-3\n', 'p.csv')[0].sigmaM).toEqual([0, 0, 0]);
    // 2 m right, 1.4 m up, 3 m before
    expect(readPointsCsv('id,x,y,z,sigma_x,sigma_y,sigma_z,unit,up\nA,200,300,140,1,9,2,cm,Z\n', 'p.csv')).toEqual([
      { id: 'A', at: [2, expect.closeTo(1.4, 12), -3], sigmaM: [0.01, 0.02, expect.closeTo(0.09, 12)] },
    ]);
  });
  test.each([
    ['id,value,unit\n,1,m\n', /h\.csv.*line 2.*id.*empty/],
    ['id,value,unit\nA,one,m\n', /line 2.*value/],
    ['id,value,unit,tolerance\nA,1,m,-2\n', /tolerance.*above 0/],
  ])('a height that cannot be read is named by line and field', (text, message) => expect(() => readHeightsCsv(text, 'h.csv')).toThrow(message));
  test.each([
    ['id,x,y,z\nA,1,2,3\nA,1,2,3\n', /A stands there twice/],
    ['id,x,y,z\nA,1,2,\n', /z.*is not a number/],
    ['id,x,y,z,sigma_x\nA,1,2,3,-1\n', /sigma_x.*must not be below 0/],
    // points of a solve that nothing tied to metres are no surveyed places
    ['id,x,y,z,unit\nA,1,2,3,of the solve\n', /line 2.*unit.*of the solve.*must be one of m, cm, mm/],
    ['id,x,y,z,up\nA,1,2,3,X\n', /up.*must be Y or Z/],
  ])('a point that cannot be read is named', (text, message) => expect(() => readPointsCsv(text, 'p.csv')).toThrow(message));
});

test('surveyed points go out and come in again as the same points', () => {
  const at: Record<string, [number, number, number]> = { A: [0, 0, 0], B: [3, 0, 0], C: [3, 0, -2], D: [0, 1, -2] };
  const ids = Object.keys(at);
  const facts = ids.flatMap((p, i) => ids.slice(i + 1).map((q): NetFact => ({ kind: 'tie', a: p, b: q, m: Math.hypot(...[0, 1, 2].map((k) => at[p][k] - at[q][k])), sigmaM: 0.002 })));
  const points = netOnPlan(solveNet({ facts }).points, new Map(Object.entries(at)));
  const back = readPointsCsv(writeSurveyCsv(points), 'survey.csv');
  expect(back).toEqual(points.map((p) => ({ id: p.id, at: p.at, sigmaM: p.sigmaM.map((s) => s ?? 0) })));
  const ply = writeSurveyPly([{ ...points[0], id: 'A\nB', sigmaM: [0.001, null, 0.002] }]).split('\n');
  expect(ply.slice(0, 2)).toEqual(['ply', 'format ascii 1.0']);
  expect(ply).toContain('comment vertex 0 A B');
  expect(ply).toContain('element vertex 1');
  expect(ply.at(-2)).toMatch(/ 0\.001 -1 0\.002$/);
});

test('DXF: metres, a point and its name for each, heights along Z as drawing programs count them', () => {
  const dxf = writeSurveyDxf([{ id: 'K1\nx', at: [1, 0.5, -2], sigmaM: [0.001, 0.001, 0.001], covarianceM2: [] as never, redundancy: 1, facts: 3 }]);
  const pairs = dxf.split('\n').map((l) => l.trim());
  const after = (from: number, code: string) => pairs[pairs.indexOf(code, from) + 1];
  // $INSUNITS 6 is metres (DXF reference, header section)
  expect(after(pairs.indexOf('$INSUNITS'), '70')).toBe('6');
  const point = pairs.indexOf('POINT');
  expect([after(point, '10'), after(point, '20'), after(point, '30')].map(Number)).toEqual([1, 2, 0.5]);
  expect(pairs).toContain('K1 x');
  expect(pairs.at(-1) === 'EOF' || pairs.at(-2) === 'EOF').toBe(true);
});
