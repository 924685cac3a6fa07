import { readCells, writeTabs } from './table';

test.each([
  [
    'slate,take\n41A,1\n',
    [
      ['slate', 'take'],
      ['41A', '1'],
    ],
  ],
  [
    '\uFEFFslate;take\r\n41A;"1; 2"\r\n\r\n',
    [
      ['slate', 'take'],
      ['41A', '1; 2'],
    ],
  ],
  [
    '41A\t1, 2\n42\t3\n',
    [
      ['41A', '1, 2'],
      ['42', '3'],
    ],
  ],
  ['a,"two\nlines"\n', [['a', 'two\nlines']]],
  ['', []],
])('%j', (text, rows) => {
  expect(readCells(text)).toEqual(rows);
});
test.each([
  ['a,"open\n1,2', /quotation mark/],
  ['PK\u0000\u0003', /no text/],
  [`${'a\n'.repeat(5001)}`, /5001 rows/],
  [`${'a,'.repeat(300)}`, /columns/],
  ['x'.repeat(5_000_001), /5 MB/],
])('refused, with its file: %#', (text, why) => {
  expect(() => readCells(text, 'day.csv')).toThrow(why);
  expect(() => readCells(text, 'day.csv')).toThrow(/^day\.csv/);
});
test('what is copied and pasted again is the same, with line breaks as spaces', () => {
  const rows = [
    ['41A', 'a, b', '1.4 m'],
    ['', '"x"', 'y'],
  ];
  expect(readCells(`${writeTabs(rows)}\n`)).toEqual(rows);
  expect(writeTabs([['two\nlines\tand a tab']])).toBe('two lines and a tab');
});
