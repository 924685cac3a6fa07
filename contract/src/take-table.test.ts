import { guessColumns, pasteCells, planImport, takeField, type Column, type TakeBody, type TakeWords } from '.';

const words: TakeWords = {
  unit: 'm',
  packages: [
    { id: 'a', camera: 'A', focalMm: 32, fps: 24 },
    { id: 'b', camera: 'B', focalMm: 25, fps: 25 },
  ],
};
const body = (change: Partial<TakeBody> = {}): TakeBody => ({
  setupId: 's',
  slate: '41A',
  take: 1,
  packageId: 'a',
  focalMm: 32,
  focusM: 3,
  height: null,
  heightFrame: 1,
  circled: false,
  notes: '',
  tracks: null,
  loggedAt: '2026-11-23T09:00:00.000Z',
  carried: ['focusM'],
  ...change,
});
const takes = [
  { id: 't1', body: body() },
  { id: 't2', body: body({ take: 2 }) },
  { id: 't2b', body: body({ take: 2, packageId: 'b' }) },
];
const setups = [{ id: 's', body: { dayId: 'd', setId: 'x', name: 'Galley', scene: '41', order: 1, levelMarks: [], originMark: null, headingMarks: null } }];
const plan = (rows: string[][], columns: Column[], change = {}) => planImport({ rows, columns, takes, setups, setupId: 's', words, now: 'now', ...change });

test('headers are known by title, by key and by the trade’s short forms; each field once, the rest is not wanted', () => {
  expect(guessColumns(['Setup', 'SLATE', 'take', 'T-Stop', 'Focal length (mm)', 'TC in', 'Cam', 'Colour', 'focus', 'Focus distance', ''])).toEqual([
    'setup',
    'slate',
    'take',
    'stop',
    'focalMm',
    'timecodeIn',
    'camera',
    null,
    'focusM',
    null,
    null,
  ]);
});

test('a row changes its take, makes a new one, or says why it cannot; empty cells change nothing', () => {
  const columns: Column[] = ['slate', 'take', 'camera', 'focusM', 'packageId', null];
  const lines = plan(
    [
      ['41A', '1', '', '4 m', '', 'x'],
      ['41A', '1', 'A', '5 m', '', ''],
      ['41A', '2', '', '4 m', '', ''],
      ['41A', '2', 'B', '3', '', ''],
      ['41A', '9', '', 'far', '', ''],
      ['42', '1', '', '', 'B', ''],
      ['42', '1', '', '', 'B', ''],
      ['42', '2', '', '', 'C', ''],
    ],
    columns,
  );
  expect(lines.map((l) => l.what)).toEqual(['change', 'change', 'problem', 'same', 'problem', 'new', 'problem', 'problem']);
  expect(lines[0]).toMatchObject({ take: { id: 't1' }, changes: [{ title: 'Focus distance', before: '3.000 m', after: '4.000 m' }], body: { focusM: 4, carried: [] } });
  expect([2, 4, 6, 7].map((i) => (lines[i] as { why: string }).why)).toEqual([
    '2 takes have this slate and number; add the camera letter',
    expect.stringMatching(/^Focus distance: /),
    'row 6 is of the same take',
    expect.stringMatching(/no package "C"/),
  ]);
  expect(lines[5]).toMatchObject({ body: { setupId: 's', slate: '42', take: 1, packageId: 'b', loggedAt: 'now' } });
});

test('a timecode is read at the row’s own frame rate, wherever its column stands', () => {
  const [line] = plan([['10:00:00:47', '41A', '1', '48']], ['timecodeIn', 'slate', 'take', 'fps']);
  expect(line).toMatchObject({ what: 'change', body: { fps: 48, timecodeIn: '10:00:00:47' } });
});

test('new takes need a setup and a package, known by name or scene; without slate and take nothing can be matched', () => {
  const columns: Column[] = ['setup', 'slate', 'take'];
  expect(plan([['galley', '50', '1']], columns, { setupId: null })[0]).toMatchObject({ what: 'new', body: { setupId: 's' } });
  expect(plan([['', '50', '1']], columns, { setupId: null })[0]).toMatchObject({ what: 'problem', why: 'Say which setup new takes belong to' });
  expect(plan([['Jetty', '50', '1']], columns)[0]).toMatchObject({ what: 'problem', why: 'There is no setup "Jetty"' });
  expect(plan([['41', '50', '1']], columns, { words: { unit: 'm', packages: [] } })[0]).toMatchObject({ what: 'problem', why: /needs a package/ });
  expect(() => plan([['1']], ['take'])).toThrow(/slate and the take/);
});

test('pasted cells: what can be read is done, what cannot is said with its place; nothing beyond the table', () => {
  const fields = [takeField('stop')!, takeField('iso')!];
  const result = pasteCells(
    [
      ['2.8', '800', 'beyond'],
      ['open', '400'],
      ['4', ''],
      ['5.6', '100'],
    ],
    takes,
    fields,
    words,
  );
  expect(result.lines.map((l) => [l.take.id, l.body.stop, l.body.iso])).toEqual([
    ['t1', 2.8, 800],
    ['t2', undefined, 400],
    ['t2b', 4, undefined],
  ]);
  expect(result.problems).toEqual([{ row: 1, field: 'T-stop', why: expect.stringMatching(/from 0.5 to 64/) }]);
});
