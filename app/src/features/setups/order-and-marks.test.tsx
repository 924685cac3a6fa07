import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../test-day';
import { FloorScreen } from '../floor/floor-screen';
import { MarkSheet } from './mark-sheet';

const length = { typed: '2 m', unit: 'm' as const, valueM: 2, toleranceM: 0.005 };
const tie = (id: string, from: string, to: string) => record('tie', id, { setId: ID.set, from, to, length, instrument: 'tape', measuredAt: '2026-11-23T09:00:00.000Z' });

function withMarks(): FakeServer {
  const server = new FakeServer([...dayRecords(), tie('t1', 'K1', 'K2'), tie('t2', 'K1', 'K3')]);
  const setup = server.records.get(ID.setup)!;
  server.records.set(ID.setup, { ...setup, body: { ...(setup.body as RecordBodies['setup']), levelMarks: ['K1', 'K2'], headingMarks: ['K1', 'K2'] } });
  return server;
}
const openMark = (server: FakeServer) => open(<MarkSheet set={server.records.get(ID.set) as never} mark="K1" onClose={() => undefined} />, server);

describe('the order of the day', () => {
  test('a setup moves by one place, and everything else keeps its own', async () => {
    const server = new FakeServer();
    const first = server.records.get(ID.setup)!.body as RecordBodies['setup'];
    for (const n of [2, 3]) server.records.set(`s${n}`, record('setup', `s${n}`, { ...first, name: `Setup ${n}`, scene: `4${n}`, order: n }));
    await open(<FloorScreen setupId={null} />, server);
    fireEvent.press(screen.getByTestId('order-setups'));
    fireEvent.press(screen.getByLabelText('Setup 3: earlier'));
    await settle();
    const order = [...server.records.values()].filter((r) => r.kind === 'setup').sort((a, b) => (a.body as RecordBodies['setup']).order - (b.body as RecordBodies['setup']).order);
    expect(order.map((r) => r.id)).toEqual([ID.setup, 's3', 's2']);
    expect(screen.getByLabelText('Dolly past the stove: earlier')).toBeDisabled();
  });
  test('one setup has no order', async () => {
    await open(<FloorScreen setupId={null} />, new FakeServer());
    expect(screen.queryByTestId('order-setups')).toBeNull();
  });
});

describe('a mark', () => {
  test('that is another one: what changes stands there, then both are one everywhere, and one step takes it back', async () => {
    const server = withMarks();
    await openMark(server);
    fireEvent.press(screen.getByRole('radio', { name: 'K2' }));
    expect(seen('K1 and K2 become one')).toBe(true);
    expect(seen('tie K1 – K3')).toBe(true);
    expect(seen('Hidden, because it would be between K2 and itself')).toBe(true);
    fireEvent.press(screen.getByTestId('keep-mark-name'));
    await settle();
    expect(server.records.get('t1')).toMatchObject({ deleted: true });
    expect(server.records.get('t2')!.body).toMatchObject({ from: 'K2', to: 'K3' });
    expect(server.records.get(ID.setup)!.body).toMatchObject({ levelMarks: ['K2'], headingMarks: null });
    expect(server.records.get(ID.set)!.body).toMatchObject({ marks: ['K2', 'K3'] });
  });
  test('gets a name of its own; without one, and with the one that it has, nothing can be kept', async () => {
    const server = withMarks();
    await openMark(server);
    expect(screen.queryByTestId('keep-mark-name')).toBeNull();
    fireEvent.changeText(screen.getByTestId('mark-new-name'), 'K1');
    expect(screen.queryByTestId('keep-mark-name')).toBeNull();
    fireEvent.changeText(screen.getByTestId('mark-new-name'), 'Stove left');
    expect(seen('K1 becomes Stove left')).toBe(true);
    fireEvent.press(screen.getByTestId('keep-mark-name'));
    await settle();
    expect(server.records.get('t1')!.body).toMatchObject({ from: 'Stove left', to: 'K2' });
    expect(server.records.get(ID.set)!.body).toMatchObject({ marks: ['Stove left', 'K2', 'K3'] });
  });
});
