import type { RecordKind, StoredRecord } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, pushed, record, seen, settle } from '../../test-day';
import { NetScreen } from './net-screen';
import { NetTableScreen } from './net-table-screen';

let mockFile: File | null = null;
jest.mock('../../../ui/pick-file', () => ({ pickFile: async () => mockFile, pickFiles: async () => [] }));
const AT = '2026-11-28T09:00:00.000Z';
const tie = (n: number, from: string, to: string, m: number) =>
  record('tie', `00000000-0000-4000-8000-0000000000e${n}`, { setId: ID.set, from, to, length: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.004 }, instrument: 'tape', measuredAt: AT });
const kept = <K extends RecordKind>(server: FakeServer, kind: K): StoredRecord<K>[] => [...server.records.values()].filter((r) => r.kind === kind && !r.deleted) as StoredRecord<K>[];
const press = async (id: string) => {
  fireEvent.press(screen.getByTestId(id));
  await settle();
};

test('places of a total station come in: read as they were written, doubted by what was taped, and undone with one tap', async () => {
  const server = new FakeServer([...dayRecords(), tie(1, 'K1', 'K2', 3), tie(2, 'K1', 'K9', 4)]);
  await open(<NetScreen setupId={ID.setup} />, server);
  await press('net-from-table');
  expect(pushed()).toContain(`/floor/net/in/${ID.setup}`);
  screen.unmount();
  await open(<NetTableScreen setupId={ID.setup} />, server);
  // feet, though nobody says so
  mockFile = new File(['Point,E,N,H\nK1,0,0,4.5\nK2,9.8425,0,4.5\nK9,0,13.1234,4.5\nK8,north,1,1\n'], 'station.csv') as unknown as File;
  mockFile.text = async () => 'Point,E,N,H\nK1,0,0,4.5\nK2,9.8425,0,4.5\nK9,0,13.1234,4.5\nK8,north,1,1\n';
  await press('choose-list');
  expect(seen('3 new, 0 change, 0 same, 1 cannot be read')).toBe(true);
  expect(screen.getByTestId('line-5')).toHaveTextContent(/▲ K8.*row 5: "north" is no number for x/);
  expect(screen.getByTestId('doubt-UNIT')).toHaveTextContent(/3\.28 times as far as the 2 ties.*In ft they would agree/);
  expect(screen.getByTestId('bring-in')).toHaveTextContent('Bring in 3 rows all the same');
  await press('read-as-UNIT');
  expect(screen.queryByTestId('doubt-UNIT')).toBeNull();
  expect(screen.getByTestId('bring-in')).toHaveTextContent('Bring in 3 rows');
  fireEvent.changeText(screen.getByTestId('table-tolerance'), 'exact');
  await settle();
  expect(seen(/“exact” is no tolerance/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('table-tolerance'), '2 mm');
  await settle();
  await press('bring-in');
  const places = kept(server, 'fact').map((f) => f.body);
  expect(places).toHaveLength(3);
  const k9 = places.find((f) => f.marks[0] === 'K9')!;
  // 4 m north is 4 m away; 4.5 ft high
  [0, 1.3716, -4].forEach((v, i) => expect(k9.at![i]).toBeCloseTo(v, 3));
  expect(k9).toMatchObject({ what: 'point', toleranceM: 0.002, instrument: 'total station' });
  expect(kept(server, 'set')[0].body.marks).toEqual(['K1', 'K2', 'K3', 'K9']);
  expect(seen('✓ 3 new, 0 changed, 0 were here.')).toBe(true);
  // the same table again has nothing to do
  await press('choose-list');
  await press('read-as-UNIT');
  expect(seen('0 new, 0 change, 3 same, 1 cannot be read')).toBe(true);
  expect(screen.getByTestId('bring-in')).toBeDisabled();
});

test('ties are pasted from a spreadsheet; a column that was not known is told what it holds', async () => {
  const server = new FakeServer();
  await open(<NetTableScreen setupId={ID.setup} />, server);
  fireEvent.changeText(screen.getByTestId('paste-list'), 'from\tto\tspan\nK1\tK2\t3.42\nK2\tK3\t2.5\n');
  await settle();
  await press('read-pasted');
  expect(seen(/No column holds length or height/)).toBe(true);
  await press('list-column-2');
  fireEvent.press(screen.getByRole('radio', { name: 'length or height' }));
  await settle();
  expect(seen('2 new, 0 change, 0 same')).toBe(true);
  fireEvent.press(screen.getByRole('radio', { name: 'tape' }));
  await settle();
  await press('bring-in');
  expect(kept(server, 'tie').map((t) => [t.body.from, t.body.to, t.body.length.valueM, t.body.instrument])).toEqual([
    ['K1', 'K2', 3.42, 'tape'],
    ['K2', 'K3', 2.5, 'tape'],
  ]);
});

test('a table without rows, a file that is none, and a set that is gone are said', async () => {
  await open(<NetTableScreen setupId={ID.setup} />, new FakeServer());
  fireEvent.changeText(screen.getByTestId('paste-list'), 'from\tto\tvalue');
  await settle();
  await press('read-pasted');
  expect(seen(/no row below it. Nothing was changed/)).toBe(true);
  mockFile = Object.assign(new File([''], 'p.csv') as unknown as File, { text: async () => 'a\u0000b' });
  await press('choose-list');
  expect(seen(/this is no text.*Nothing was changed/)).toBe(true);
  screen.unmount();
  await open(<NetTableScreen setupId="gone" />, new FakeServer());
  expect(seen('No such set')).toBe(true);
});
