import { readTable } from './csv-table';
import { readEdgesCsv } from './edges-csv';

describe('tables', () => {
  test('columns in any order and case, with a byte order mark, empty lines and quotes', () => {
    const { rows, columns } = readTable('\uFEFFY, X ,Edge\n1,2,"door, left"\n\n3.5e1,-4,b\n', 'f.csv', ['edge', 'x', 'y'], 'edge,x,y');
    expect(columns).toEqual(['y', 'x', 'edge']);
    expect(rows.map((r) => [r.line, r.text('edge'), r.number('x'), r.number('y')])).toEqual([
      [2, 'door, left', 2, 1],
      [4, 'b', -4, 35],
    ]);
    expect(rows[0].text('weight')).toBe('');
  });
  test.each([
    ['x,y\n1,2\n', /f\.csv, line 1, edge.*no column "edge"/],
    ['edge,x,y\na,1\n', /line 2.*has 2 values where the header names 3/],
    ['edge,x,y\na,1,\n', /line 2, y: "" is not a number/],
    ['edge,x,y\na,1,Infinity\n', /line 2, y: "Infinity" is not a number/],
    ['edge,x,y\n,1,2\n', /line 2, edge: is empty/],
    ['edge,x,y\n', /holds no edges/],
    ['', /no column "edge"/],
  ])('%j is refused with its place', (text, message) => {
    expect(() => readEdgesCsv(text, 'f.csv')).toThrow(message);
  });
});
