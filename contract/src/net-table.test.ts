import { guessNetTable, planNetTable, type FactBody, type NetTableInput, type SetBody, type StoredRecord, type TieBody } from '.';

const AT = '2026-11-28T09:00:00.000Z';
const SET = '00000000-0000-4000-8000-000000000001';
const record = <K extends 'set' | 'tie' | 'fact'>(kind: K, id: string, body: unknown) => ({ id, kind, version: 1, deleted: false, body, updatedAt: AT, updatedBy: 'w' }) as unknown as StoredRecord<K>;
const set = record('set', SET, { name: 'Galley', marks: ['A'] });
const tie = (from: string, to: string, m: number) =>
  record('tie', `${from}${to}`, { setId: SET, from, to, length: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.004 }, instrument: 'tape', measuredAt: AT });
let made = 0;
const plan = (header: string, rows: string[], change: Partial<NetTableInput> = {}) => {
  const guessed = guessNetTable(header.split(','));
  made = 0;
  return planNetTable({
    ...{ ...guessed, unit: 'm' as const, toleranceM: 0.004, instrument: 'total station', set, ties: [], facts: [], now: AT },
    newId: () => `new ${(made += 1)}`,
    rows: rows.map((r) => r.split(',')),
    ...change,
  });
};
const bodies = (p: ReturnType<typeof plan>) => p.orders.flatMap((o) => (o.kind === 'set' ? [] : [o.change]));

test('what a table holds is told by its header', () => {
  expect(guessNetTable(['Point', 'E', 'N', 'H', 'remark'])).toEqual({ table: 'places', columns: ['mark', 'x', 'y', 'z', null], up: 'Z' });
  expect(guessNetTable(['id', 'x', 'y', 'z', 'unit'])).toEqual({ table: 'places', columns: ['mark', 'x', 'y', 'z', 'unit'], up: 'Y' });
  expect(guessNetTable(['From', 'To', 'Distance', 'tol'])).toEqual({ table: 'ties', columns: ['from', 'to', 'value', 'tolerance'], up: 'Y' });
  expect(guessNetTable(['mark', 'height'])).toEqual({ table: 'heights', columns: ['mark', 'value'], up: 'Y' });
});

test('places of an instrument become places of the set, in metres with Y up; marks that are new are marks of the set', () => {
  // 2 east, 3 north, 1.4 high: 2 right, 1.4 up, 3 away
  const p = plan('Point,E,N,H', ['A,2,3,1.4', 'B,"2"', 'C,x,1,1', 'D,1 2,1,1', 'E,1,2,3']);
  expect(p.lines.map((l) => [l.row, l.what])).toEqual([[2, 'new'], [3, 'problem'], [4, 'problem'], [5, 'problem'], [6, 'new']]); // prettier-ignore
  expect(bodies(p)[0]).toMatchObject({ setId: SET, what: 'point', marks: ['A'], at: [2, 1.4, -3], length: null, toleranceM: 0.004, instrument: 'total station' });
  const [order] = p.orders;
  if (order.kind !== 'set') throw new Error('the set takes the new marks first');
  expect(order.change({ name: 'Galley', marks: ['A', 'Z'] } as SetBody).marks).toEqual(['A', 'Z', 'E']);
});

test('a second table finds the first: what is the same is left, a place that moved is changed, a tie that was read again is another tie', () => {
  const before = plan('id,x,y,z', ['A,1,2,3', 'B,4,5,6']);
  const facts = bodies(before).map((b, i) => record('fact', `fact ${i}`, b));
  const again = plan('id,x,y,z', ['A,1,2,3', 'B,4,5,6.01'], { facts });
  expect(again.lines.map((l) => l.what)).toEqual(['same', 'change']);
  expect(again.orders.filter((o) => o.kind === 'fact').map((o) => o.id)).toEqual(['fact 1']);
  const read = plan('from,to,length', ['A,B,3', 'B,A,3', 'A,B,3.002'], { ties: [tie('A', 'B', 3)] });
  expect(read.lines.map((l) => l.what)).toEqual(['same', 'same', 'new']);
  expect((bodies(read)[0] as TieBody).length).toMatchObject({ valueM: 3.002, typed: '3.002 m', unit: 'm' });
});

test('units are a row’s, the table’s, or in the cell; two that contradict are a problem and no guess', () => {
  const p = plan('from,to,value,unit,tolerance', ['A,B,140.3,cm,0.5', 'A,C,10 ft,ft,', 'A,D,10 ft,m,', 'A,E,1,yard,', 'A,A,1,m,', 'A,F,,m,', 'A,G,-1,m,', 'A,H,1,m,0'], { unit: 'mm' });
  expect(p.lines.map((l) => (l.what === 'problem' ? l.why : l.what))).toEqual([
    'new',
    'new',
    expect.stringMatching(/in ft, and the table in m/),
    expect.stringMatching(/"yard" is no unit/),
    expect.stringMatching(/tied to itself/),
    expect.stringMatching(/no length/),
    expect.any(String),
    expect.any(String),
  ]);
  expect((bodies(p) as TieBody[]).map((t) => Number(t.length.valueM.toFixed(6)))).toEqual([1.403, 3.048]);
  expect((bodies(p)[0] as TieBody).length.toleranceM).toBeCloseTo(0.005, 9);
});

test('heights go to their marks; one mark twice, a column that is wanted and missing, and a place in another country are said', () => {
  const p = plan('mark,height', ['A,1.2', 'A,1.3', ',1']);
  expect(p.lines.map((l) => (l.what === 'problem' ? l.why : l.what))).toEqual(['new', expect.stringMatching(/A stands in row 2 already/), expect.stringMatching(/no name/)]);
  expect(bodies(p)[0] as FactBody).toMatchObject({ what: 'height', marks: ['A'], length: { valueM: 1.2 } });
  expect(plan('mark,height', ['A,1'], { table: 'places' }).lacking).toEqual(['x', 'y', 'z']);
  const [far] = plan('id,e,n,h', ['A,512345.1,5812345.2,30']).lines;
  expect(far).toMatchObject({ what: 'problem', why: expect.stringMatching(/5812 km away/) });
});

test('places that were read in the wrong unit are doubted by what was taped', () => {
  const rows = ['A,0,0,0', 'B,9.8425,0,0', 'C,0,0,-13.1234'];
  const ties = [tie('A', 'B', 3), tie('A', 'C', 4)];
  expect(plan('id,x,y,z', rows, { ties }).doubts).toMatchObject([{ code: 'UNIT', unit: 'ft', from: 2 }]);
  expect(plan('id,x,y,z', rows, { ties, unit: 'ft' }).doubts).toEqual([]);
});
