import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { KitScreen } from './kit-screen';
import { FloorScreen } from '../floor/floor-screen';
import { FakeServer, ID, open, pushed, seen, settle } from '../test-day';

const picked: { file: File | null } = { file: null };
const mockPicked = () => picked.file;
jest.mock('../../ui/pick-file', () => ({ pickFile: async () => mockPicked() }));

async function choose(server = new FakeServer()): Promise<FakeServer> {
  picked.file = new File(['x'], 'grid.jpg');
  await open(<KitScreen packageId={ID.pack} />, server);
  fireEvent.press(screen.getByTestId('add-plate'));
  await settle();
  return server;
}
const plates = (server: FakeServer) => [...server.records.values()].filter((r) => r.kind === 'plate').map((r) => r.body as RecordBodies['plate']);

test('a plate keeps focal length, focus, chart and cell, is measured at once, and opens', async () => {
  const server = await choose();
  fireEvent.changeText(screen.getAllByLabelText('Focus distance').at(-1)!, '8 ft');
  fireEvent.press(screen.getByRole('radio', { name: /ruled/ }));
  fireEvent.changeText(screen.getByLabelText('Size of a cell'), '1 1/2 in');
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle(20);
  expect(plates(server)).toHaveLength(1);
  expect(plates(server)[0]).toMatchObject({ lensId: ID.lens, packageId: ID.pack, focalMm: 32, chart: 'ruled' });
  expect(plates(server)[0].focusM).toBeCloseTo(2.4384, 9);
  expect(plates(server)[0].cellM).toBeCloseTo(0.0381, 9);
  const order = server.asked.filter((a) => /files|records\/plate|POST .*analyses$/.test(a)).map((a) => /files|plate|analyses/.exec(a)![0]);
  expect(order).toEqual(['files', 'plate', 'analyses']);
  expect(pushed().at(-1)).toMatch(/^\/kit\/plate\//);
});

test.each([
  ['a cell without a unit', 'Size of a cell', '40', /unit/],
  ['a focus that is no length', 'Focus distance', 'far', /▲/],
])('%s is asked about at its field and nothing is sent', async (_name, label, text, message) => {
  const server = await choose();
  fireEvent.changeText(screen.getAllByLabelText(label).at(-1)!, text);
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle();
  expect(seen(message)).toBe(true);
  expect(server.asked.some((a) => a.includes('/files'))).toBe(false);
});

test('a picture that the server refuses is still on the device, and nothing was added', async () => {
  const server = new FakeServer();
  server.failing.set('/files', server.problem('UNREADABLE_FILE', 422, 'grid.jpg: is not a picture.'));
  await choose(server);
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle();
  expect(seen(/is not a picture.*still on this device; nothing was added/)).toBe(true);
  expect(plates(server)).toEqual([]);
});

test('a solver has no button that the server would refuse', async () => {
  await open(<KitScreen packageId={ID.pack} />, new FakeServer(), 'solver');
  fireEvent.press(screen.getByRole('radio', { name: /reducer/ }));
  for (const id of ['add-plate', 'save-package', 'copy-package', 'remove-package']) expect(screen.queryByTestId(id)).toBeNull();
  screen.unmount();
  await open(<FloorScreen setupId={ID.setup} />, new FakeServer(), 'solver');
  for (const id of ['log-take', 'add-tie']) expect(screen.queryByTestId(id)).toBeNull();
});
