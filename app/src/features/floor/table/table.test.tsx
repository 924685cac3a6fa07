import { act, fireEvent, screen } from '@testing-library/react-native';
import type { RecordBodies } from '@mesure/contract';
import { FakeServer, ID, open, pushed, record, seen, settle, takeBody } from '../../test-day';
import { TableScreen } from './table-screen';

jest.mock('./virtual-rows', () => ({
  ROW_PX: 40,
  useVisibleRows: (count: number) => ({ rows: Array.from({ length: count }, (_, index) => ({ index, top: 40 * index })), height: 40 * count, show: () => undefined }),
}));
let mockChosen: { name: string; text: () => Promise<string> } | null = null;
jest.mock('../../../ui/pick-file', () => ({ pickFile: async () => mockChosen, pickFiles: async () => [] }));

const stored = (server: FakeServer, id: string = ID.take) => server.records.get(id)!.body as RecordBodies['take'];
const key = (name: string, more: object = {}) =>
  fireEvent(screen.getByTestId('table'), 'keyDown', { key: name, shiftKey: false, ctrlKey: false, metaKey: false, altKey: false, preventDefault: () => undefined, ...more });
const cell = (take: number, field: string) => screen.getByTestId(`cell-41A-${take}-${field}`);
const at = (take: number, field: string) => fireEvent.press(cell(take, field), { nativeEvent: {} });

async function day() {
  const server = new FakeServer();
  server.records.set('t2', record('take', 't2', takeBody({ take: 2, loggedAt: '2026-11-23T10:00:00.000Z', carried: ['focusM'] })));
  server.records.set('t3', record('take', 't3', takeBody({ take: 3, loggedAt: '2026-11-23T11:00:00.000Z' })));
  await open(<TableScreen setupId={null} />, server);
  return server;
}

test('one row a take, carried values marked; typing replaces, Enter keeps and goes down, Tab goes on', async () => {
  const server = await day();
  expect(cell(2, 'focusM')).toHaveTextContent('↷ 3.000 m');
  at(1, 'focusM');
  key('4');
  fireEvent.changeText(screen.getByTestId('cell-input'), '4.5 m');
  key('Enter');
  await settle();
  expect(stored(server).focusM).toBe(4.5);
  key('F2');
  expect(screen.getByTestId('cell-input').props.value).toBe('3.000 m');
  fireEvent.changeText(screen.getByTestId('cell-input'), '2 m');
  key('Tab');
  await settle();
  expect(stored(server, 't2')).toMatchObject({ focusM: 2, carried: [] });
  key('5');
  key('.');
  fireEvent.changeText(screen.getByTestId('cell-input'), '5.6');
  fireEvent(screen.getByTestId('cell-input'), 'blur');
  await settle();
  expect(stored(server, 't2').stop).toBe(5.6);
});

test('what cannot be read stays in its cell and says why; Escape gives it up', async () => {
  const server = await day();
  at(1, 'stop');
  key('x');
  key('Enter');
  expect(seen(/T-stop: The stop must be a number from 0\.5 to 64/)).toBe(true);
  expect(screen.getByTestId('cell-input').props.value).toBe('x');
  key('Escape');
  expect(screen.queryByTestId('cell-input')).toBeNull();
  await settle();
  expect(server.records.get(ID.take)!.version).toBe(1);
});

test('arrows and Shift select; Delete clears all of them with one step', async () => {
  const server = await day();
  at(1, 'focusM');
  key('ArrowDown', { shiftKey: true });
  key('Delete');
  await settle();
  expect([stored(server).focusM, stored(server, 't2').focusM, stored(server, 't3').focusM]).toEqual([null, null, 3]);
  key('Home');
  key('ArrowRight');
  fireEvent.press(screen.getByTestId('row-41A-2').children[0] as never);
  expect(pushed()).toEqual(['/floor/take/t2']);
});

test('a CSV: columns guessed and changed, every row seen before it is done', async () => {
  const server = await day();
  mockChosen = { name: 'day.csv', text: async () => 'Slate;Take;Hole;Lens note\n41A;1;2,8;clean\n41A;2;wide;x\n41A;7;4;y\n' };
  fireEvent.press(screen.getByTestId('open-import'));
  fireEvent.press(screen.getByTestId('choose-csv'));
  await settle();
  expect(screen.getByTestId('import-preview')).toHaveTextContent(/0 changed, 1 new, 2 the same/);
  fireEvent.press(screen.getByTestId('column-2'));
  fireEvent.press(screen.getByRole('radio', { name: 'T-stop' }));
  expect(screen.getByTestId('import-preview')).toHaveTextContent(/1 changed, 1 new, 0 the same, 1 cannot be read.*41A take 1: t-stop – → 2\.8.*row 3, 41A take 2: T-stop: The stop must be/);
  fireEvent.press(screen.getByTestId('apply-import'));
  await settle(20);
  const takes = [...server.records.values()].filter((r) => r.kind === 'take').map((r) => r.body as RecordBodies['take']);
  expect(takes.map((t) => [t.take, t.stop])).toEqual([
    [1, 2.8],
    [2, undefined],
    [3, undefined],
    [7, 4],
  ]);
});

test('a file that is no table says so and changes nothing', async () => {
  const server = await day();
  mockChosen = { name: 'day.xls', text: async () => 'PK\u0000' };
  fireEvent.press(screen.getByTestId('open-import'));
  fireEvent.press(screen.getByTestId('choose-csv'));
  await act(async () => undefined);
  await settle();
  expect(seen(/day\.xls: this is no text.*Nothing was changed/)).toBe(true);
  expect(server.records.get(ID.take)!.version).toBe(1);
});
