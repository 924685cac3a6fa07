import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { KitScreen } from './kit-screen';
import { nextCamera } from './package-words';
import { PartScreen } from './part-screen';
import { dayRecords, FakeServer, ID, open, pushed, record, seen, settle } from '../test-day';

const type = (id: string, text: string) => fireEvent.changeText(screen.getByTestId(id), text);
const shown = (id: string): string => screen.getByTestId(id).props.value as string;
const body = (server: FakeServer) => server.records.get(ID.body)!.body as RecordBodies['body'];
const pack = (camera: string) => record('package', camera, { camera, bodyId: ID.body, modeId: ID.open, lensId: ID.lens, adapterId: null, focalMm: 32 });

describe('a body', () => {
  test('photosites and pitch give the area; photosites and area give the pitch', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.body} />, server);
    expect(shown('mode-pitch')).toBe('5.859'); // 24 mm / 4096
    type('mode-pitch', '5');
    expect([shown('mode-width-mm'), shown('mode-height-mm')]).toEqual(['20.48', '10.8']);
    // what was entered last stays: the pitch, so the area follows the photosites
    type('mode-width-px', '5000');
    expect(shown('mode-width-mm')).toBe('25');
    type('mode-width-mm', '30');
    expect(shown('mode-pitch')).toBe('6');
    type('mode-width-px', '6000');
    expect([shown('mode-width-mm'), shown('mode-pitch')]).toEqual(['30', '5']);
  });
  test.each<[string, [string, string][], RegExp]>([
    ['a pitch that no sensor has', [['mode-width-mm', '110']], /pixel pitch would be 26\.86 µm/],
    ['an area larger than the chip', [['chip-width', '22']], /the chip is only 22 mm wide/],
    ['pixels that are not square', [['mode-height-mm', '12']], /1\.055 times as wide as high/],
    ['no number', [['mode-width-px', 'many']], /Enter a number/],
  ])('%s is remarked at its field', async (_name, entries, remark) => {
    await open(<PartScreen partId={ID.body} />, new FakeServer());
    entries.forEach(([id, text]) => type(id, text));
    expect(seen(remark)).toBe(true);
  });
  test('what cannot be is not saved; what can is, and is undone by Revert', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.body} />, server);
    type('mode-width-mm', '110');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect(server.records.get(ID.body)!.version).toBe(1);
    fireEvent.press(screen.getByText('Revert'));
    expect(shown('mode-width-mm')).toBe('24');
    fireEvent.press(screen.getByRole('radio', { name: /Super 35, 3-perf/ }));
    type('part-name', 'Tarvik H3');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect(body(server)).toMatchObject({ name: 'Tarvik H3', modes: [{ sensorWidthMm: 24.89, sensorHeightMm: 13.87 }, { name: 'windowed' }] });
  });
  test('modes are added and removed; one that is mounted stays', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.body} />, server);
    fireEvent.press(screen.getByTestId('add-mode'));
    type('mode-name', 'open gate 48');
    expect(screen.getAllByRole('radio', { name: /open gate/ })).toHaveLength(2);
    fireEvent.press(screen.getByRole('radio', { name: /windowed/ }));
    fireEvent.press(screen.getByText('Remove this mode'));
    fireEvent.press(screen.getByRole('radio', { name: /^open gate, / }));
    expect(screen.getByText('Mode is mounted')).toBeTruthy();
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect(body(server).modes.map((m) => m.name)).toEqual(['open gate', 'open gate 48']);
  });
  test('a part that is mounted cannot be removed; one that is not can, and comes back by undo', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.body} />, server);
    expect(seen('Body · mounted on A-cam')).toBe(true);
    expect(screen.getByTestId('remove-part')).toBeDisabled();
    screen.unmount();
    await open(<PartScreen partId={ID.reducer} />, server);
    fireEvent.press(screen.getByTestId('remove-part'));
    await settle();
    expect(server.records.get(ID.reducer)!.deleted).toBe(true);
    expect(seen('No such part')).toBe(true);
  });
});

describe('lens and adapter', () => {
  test('a prime has one focal length, a zoom its range in order', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.lens} />, server);
    type('lens-focal', '35');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect(server.records.get(ID.lens)!.body).toMatchObject({ minFocalMm: 35, maxFocalMm: 35 });
    fireEvent.press(screen.getByRole('radio', { name: 'zoom' }));
    type('lens-from', '50');
    expect(seen(/must not be below the shortest/)).toBe(true);
    expect(screen.getByTestId('save-part')).toBeDisabled();
    type('lens-to', '120');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect(server.records.get(ID.lens)!.body).toMatchObject({ kind: 'zoom', minFocalMm: 50, maxFocalMm: 120 });
  });
  test('an optional number may be emptied again', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.lens} />, server);
    type('lens-circle', '31.5');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    type('lens-circle', '');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect(server.records.get(ID.lens)!.body).toMatchObject({ imageCircleMm: null });
  });
  test('a factor out of range is said and not saved', async () => {
    await open(<PartScreen partId={ID.reducer} />, new FakeServer());
    type('adapter-factor', '9');
    expect(seen(/must be less than or equal to 4/)).toBe(true);
    expect(screen.getByTestId('save-part')).toBeDisabled();
  });
  test('a solver reads', async () => {
    await open(<PartScreen partId={ID.lens} />, new FakeServer(), 'solver');
    type('lens-focal', '35');
    expect(screen.queryByTestId('save-part')).toBeNull();
    expect(screen.queryByTestId('remove-part')).toBeNull();
  });
});

describe('packages', () => {
  test('letters count up over gaps', () => {
    expect(nextCamera([])).toBe('A');
    expect(nextCamera([pack('A'), pack('C')])).toBe('B');
  });
  test('a new one is mounted from the first body and lens; parts are added in one tap', async () => {
    const server = new FakeServer();
    await open(<KitScreen packageId={null} />, server);
    fireEvent.press(screen.getByTestId('add-package'));
    await settle();
    expect(screen.queryByTestId('mount-lens')).toBeNull();
    fireEvent.press(screen.getByTestId('mount'));
    await settle();
    const added = [...server.records.values()].find((r) => r.kind === 'package' && r.id !== ID.pack)!;
    expect(added.body).toMatchObject({ camera: 'B', bodyId: ID.body, focalMm: expect.any(Number) });
    expect(pushed()).toEqual([`/kit/${added.id}`]);
    for (const kind of ['body', 'lens', 'adapter'] as const) {
      fireEvent.press(screen.getByTestId(`add-${kind}`));
      await settle();
      expect(pushed().at(-1)).toMatch(/^\/kit\/part\//);
    }
    expect(screen.getByTestId('part-New lens')).toHaveTextContent(/35 mm/);
  });
  test('without parts a camera is mounted with the parts of it', async () => {
    await open(<KitScreen packageId={null} />, new FakeServer(dayRecords().filter((r) => !['package', 'lens', 'take'].includes(r.kind))));
    expect(seen('No lenses yet')).toBe(true);
    fireEvent.press(screen.getByTestId('add-package'));
    await settle();
    expect(screen.getByTestId('mount-lens')).toBeTruthy();
  });
  test('a copy takes what stands in the form; one with takes cannot be taken apart', async () => {
    const server = new FakeServer();
    await open(<KitScreen packageId={ID.pack} />, server);
    expect(screen.getByTestId('remove-package')).toBeDisabled();
    fireEvent.press(screen.getByRole('radio', { name: /reducer/ }));
    fireEvent.press(screen.getByTestId('copy-package'));
    await settle();
    const copy = [...server.records.values()].find((r) => r.kind === 'package' && r.id !== ID.pack)!;
    expect(copy.body).toMatchObject({ camera: 'B', adapterId: ID.reducer, focalMm: 32 });
  });
  test('an image circle that does not cover the area is remarked', async () => {
    const server = new FakeServer();
    server.records.set(ID.lens, record('lens', ID.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '', imageCircleMm: 25 }));
    await open(<KitScreen packageId={ID.pack} />, server);
    expect(seen(/image circle of 25 mm is smaller than the picture area's diagonal of 27\.1 mm/)).toBe(true);
  });
});

describe('the optics bench', () => {
  test('depth, field and the pixel follow distance and stop', async () => {
    await open(<KitScreen packageId={ID.pack} />, new FakeServer());
    fireEvent.press(screen.getByRole('radio', { name: '25 µm' }));
    // f 32 mm, T 4, 25 µm: H = 1024/0.1 + 32 = 10.272 m; at 3 m: near 3·10.24/(10.272 + 3 − 0.064), far 3·10.24/7.272
    expect(screen.getByTestId('bench-near')).toHaveTextContent(/2\.33 m/);
    expect(screen.getByTestId('bench-far')).toHaveTextContent(/4\.22 m/);
    expect(screen.getByTestId('bench-field')).toHaveTextContent(/2\.25 × 1\.19/);
    type('bench-focus', '40 ft');
    expect(screen.getByTestId('bench-far')).toHaveTextContent(/∞/);
    type('bench-focus', 'near');
    expect(screen.queryByTestId('bench-near')).toBeNull();
    type('bench-focus', '3 m');
    type('bench-stop', '0');
    expect(seen('▲ between 0 and 128')).toBe(true);
  });
  test('beside another package: the focal length that sees the same', async () => {
    const server = new FakeServer();
    server.records.set('p2', record('package', 'p2', { camera: 'B', bodyId: ID.body, modeId: ID.windowed, lensId: ID.zoom, adapterId: null, focalMm: 24 }));
    await open(<KitScreen packageId={ID.pack} />, server);
    // half the width needs half the focal length
    expect(screen.getByTestId('bench-match')).toHaveTextContent(/16\.0 mm marked/);
    expect(screen.getByLabelText(/A-cam sees 1\.50 times the width and 1\.50 times the height that B-cam sees/)).toBeTruthy();
  });
});

test('a camera that scales its picture: the pitch is that of the photosites, the picture keeps its size', async () => {
  const server = new FakeServer();
  await open(<PartScreen partId={ID.body} />, server);
  fireEvent.press(screen.getByRole('radio', { name: /yes, or squeezes it/ }));
  fireEvent.changeText(screen.getByTestId('mode-sites-x'), '8192');
  fireEvent.changeText(screen.getByTestId('mode-sites-y'), '4320');
  // 24 mm over 8192 photosites
  expect(Number(screen.getByTestId('mode-pitch').props.value)).toBeCloseTo(2.93, 2);
  expect(screen.getByRole('radio', { name: /× 0\.500 across, 0\.500 down/ })).toBeTruthy();
  fireEvent.press(screen.getByTestId('save-part'));
  await settle();
  expect((server.records.get(ID.body)!.body as RecordBodies['body']).modes[0]).toMatchObject({ widthPx: 4096, sensorWidthMm: 24, photositesX: 8192, photositesY: 4320 });
});

test('an anamorphic lens has an axis, a spherical one none', async () => {
  const server = new FakeServer();
  await open(<PartScreen partId={ID.lens} />, server);
  expect(screen.queryByTestId('lens-axis')).toBeNull();
  fireEvent.changeText(screen.getByTestId('lens-squeeze'), '1.8');
  fireEvent.changeText(screen.getByTestId('lens-axis'), '0.4');
  fireEvent.press(screen.getByTestId('save-part'));
  await settle();
  expect(server.records.get(ID.lens)!.body).toMatchObject({ squeeze: 1.8, axisDeg: 0.4 });
});
