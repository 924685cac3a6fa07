import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { KitScreen } from '../kit-screen';
import { FloorScreen } from '../../floor/floor-screen';
import { FakeServer, ID, open, reopen, seen, settle } from '../../test-day';

const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => mockPicked() }));

/** What the pickers give: a name, bytes, and how long they are. */
const file = (name: string, text = 'x') => ({ name, size: text.length, lastModified: 1_763_888_400_000, arrayBuffer: async () => new TextEncoder().encode(text).buffer }) as unknown as File;

async function choose(server = new FakeServer(), files = [file('grid.jpg')]): Promise<FakeServer> {
  picked.files = files;
  await open(<KitScreen packageId={ID.pack} />, server);
  fireEvent.press(screen.getByTestId('add-plate'));
  await settle();
  return server;
}
const plates = (server: FakeServer) => [...server.records.values()].filter((r) => r.kind === 'plate').map((r) => r.body as RecordBodies['plate']);

test('a plate keeps focal length, focus, chart, cell and distance, and is measured at once', async () => {
  const server = await choose();
  fireEvent.changeText(screen.getByTestId('focus-grid.jpg'), '8 ft');
  fireEvent.changeText(screen.getByTestId('chart-distance'), '2.5 m');
  fireEvent.press(screen.getByRole('radio', { name: /ruled/ }));
  fireEvent.changeText(screen.getByLabelText('Size of a cell'), '1 1/2 in');
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle(20);
  expect(plates(server)).toHaveLength(1);
  expect(plates(server)[0]).toMatchObject({ lensId: ID.lens, packageId: ID.pack, focalMm: 32, chart: 'ruled', chartDistance: { typed: '2.5 m', valueM: 2.5 }, picture: { name: 'grid.jpg' } });
  expect(plates(server)[0].focusM).toBeCloseTo(2.4384, 9);
  expect(plates(server)[0].cellM).toBeCloseTo(0.0381, 9);
  const order = server.asked.filter((a) => /files|records\/plate|POST .*analyses$/.test(a)).map((a) => /files|plate|analyses/.exec(a)![0]);
  expect(order).toEqual(['files', 'plate', 'analyses']);
  // the next ones begin with the chart and the cell of the last
  fireEvent.press(screen.getByTestId('add-plate'));
  await settle();
  expect(screen.getByLabelText('Size of a cell').props.value).toBe('38.1 mm');
  expect(screen.getByRole('radio', { name: /ruled/, checked: true })).toBeTruthy();
});

test.each([
  ['a cell in the wrong unit', 'Size of a cell', '40 m', /no cell of a chart/],
  ['a focus that is no length', 'Focus distance', 'far', /▲/],
])('%s is asked about at its field and nothing is sent', async (_name, label, text, message) => {
  const server = await choose();
  fireEvent.changeText(screen.getAllByLabelText(label).at(-1)!, text);
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle();
  expect(seen(message)).toBe(true);
  expect(server.asked.some((a) => a.includes('/files'))).toBe(false);
});

test('several at once: each has its own line, and one can be left out', async () => {
  const server = await choose(new FakeServer(), [file('a.jpg'), file('b.jpg'), file('clip.mov')]);
  expect(seen('3 new grid plates')).toBe(true);
  expect(seen(/one frame of it is sent/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('focal-a.jpg'), '24');
  fireEvent.press(screen.getByLabelText('Leave out b.jpg'));
  fireEvent.changeText(screen.getByLabelText('Time of the frame'), '1.5');
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle(30);
  expect(plates(server).map((q) => [q.picture.name, q.focalMm])).toEqual([
    ['a.jpg', 24],
    ['clip.mov', 32],
  ]);
  // the server does not refuse what was already taken: nothing waits any more
  expect(screen.queryByTestId('waiting-a.jpg')).toBeNull();
});

test('a picture that the server refuses stays on the device and can be sent again or dropped', async () => {
  const server = new FakeServer();
  server.failing.set('/files/uploads', server.problem('UNREADABLE_FILE', 422, 'grid.jpg: is not a picture.'));
  await choose(server);
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle(20);
  expect(seen(/Not taken: grid\.jpg: is not a picture\. It is still on this device/)).toBe(true);
  expect(plates(server)).toEqual([]);
  server.failing.clear();
  fireEvent.press(screen.getByLabelText('Send grid.jpg again'));
  await settle(20);
  expect(plates(server)).toHaveLength(1);
  expect(screen.queryByTestId('waiting-grid.jpg')).toBeNull();
});

test('without a network pictures wait on the device and go when it is back', async () => {
  const server = await choose();
  server.cut = true;
  fireEvent.press(screen.getByTestId('measure-plate'));
  await settle(20);
  expect(seen(/kept on this device, waits to be sent/)).toBe(true);
  screen.unmount();
  // the page is opened again, still without a network, and then with one
  server.cut = false;
  await reopen(<KitScreen packageId={ID.pack} />, server);
  await settle(30);
  expect(plates(server)).toHaveLength(1);
});

test('a solver has no button that the server would refuse', async () => {
  await open(<KitScreen packageId={ID.pack} />, new FakeServer(), 'solver');
  fireEvent.press(screen.getByRole('radio', { name: /reducer/ }));
  for (const id of ['add-plate', 'save-package', 'copy-package', 'remove-package']) expect(screen.queryByTestId(id)).toBeNull();
  screen.unmount();
  await open(<FloorScreen setupId={ID.setup} />, new FakeServer(), 'solver');
  for (const id of ['log-take', 'add-tie']) expect(screen.queryByTestId(id)).toBeNull();
});
