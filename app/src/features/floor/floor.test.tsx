import { fireEvent, screen } from '@testing-library/react-native';
import type { RecordBodies } from '@mesure/contract';
import { FloorScreen } from './floor-screen';
import { nextName } from './take/swap-package';
import { TakeScreen } from './take/take-screen';
import { dayRecords, FakeServer, ID, open, pushed, record, seen, settle, takeBody } from '../test-day';

const leave = (field: ReturnType<typeof screen.getByTestId>, text: string) => {
  fireEvent.changeText(field, text);
  fireEvent(field, 'blur');
};
const stored = (server: FakeServer, id: string = ID.take) => server.records.get(id)!.body as RecordBodies['take'];

describe('the setup', () => {
  test('a take is logged with one tap, opened, and can be taken back', async () => {
    const server = new FakeServer();
    await open(<FloorScreen setupId={ID.setup} />, server);
    expect(screen.getByTestId('take-41A-1')).toHaveTextContent(/A-cam · 32 mm · focus 3\.000 m · height 1\.4 m/);
    expect(screen.getByTestId('log-take')).toHaveTextContent('Log take 2');
    fireEvent.press(screen.getByTestId('log-take'));
    await settle();
    const takes = [...server.records.values()].filter((r) => r.kind === 'take' && !r.deleted);
    expect(takes).toHaveLength(2);
    expect(pushed()).toEqual([`/floor/take/${takes[1].id}`]);
    expect(takes[1].body).toMatchObject({ take: 2, slate: '41A', tracks: null });
  });
  test('without a mounted camera it says what is needed and offers no take', async () => {
    await open(<FloorScreen setupId={ID.setup} />, new FakeServer(dayRecords().filter((r) => !['package', 'take'].includes(r.kind))));
    expect(seen('No camera is mounted')).toBe(true);
    expect(screen.queryByTestId('log-take')).toBeNull();
  });
  test('the day counts what its setups lack', async () => {
    const server = new FakeServer();
    server.records.set('t2', record('take', 't2', takeBody({ take: 2, height: null, loggedAt: '2026-11-23T09:30:00.000Z' })));
    server.records.set('s2', record('setup', 's2', { ...(server.records.get(ID.setup)!.body as RecordBodies['setup']), name: 'Jetty', scene: '47', order: 2 }));
    await open(<FloorScreen setupId={null} />, server);
    // the one that is being shot stands on top with all that is missing
    expect(screen.getByTestId('running-setup')).toHaveTextContent(/Dolly past the stove.*2 takes.*1.*still missing.*41A take 2: camera height/);
    expect(screen.getByTestId('setup-47')).toHaveTextContent(/0 takes · 1 missing/);
    fireEvent.press(screen.getByTestId('lack-41-fields'));
    fireEvent.press(screen.getByTestId('setup-41'));
    fireEvent.press(screen.getByTestId('setup-47'));
    expect(pushed()).toEqual(['/floor/take/t2?to=missing', `/floor/${ID.setup}`, '/floor/s2']);
  });
  test('a take of the running setup is logged from the board with one tap', async () => {
    const server = new FakeServer();
    await open(<FloorScreen setupId={null} />, server);
    expect(screen.getByTestId('log-next')).toHaveTextContent('Log 41A take 2');
    fireEvent.press(screen.getByTestId('log-next'));
    await settle();
    const logged = [...server.records.values()].filter((r) => r.kind === 'take')[1];
    expect(logged.body).toMatchObject({ take: 2, carried: ['packageId', 'focalMm', 'focusM', 'height'] });
    expect(pushed()).toEqual([`/floor/take/${logged.id}`]);
  });
  test.each([
    ['the same mark twice', 'K1', 'K1', '2 m', /two different marks/],
    ['no second mark', 'K1', ' ', '2 m', /Name both marks/],
    ['no distance', 'K1', 'K2', '', /Enter the distance/],
  ])('a tie with %s is not kept', async (_name, from, to, length, message) => {
    const server = new FakeServer();
    await open(<FloorScreen setupId={ID.setup} />, server);
    fireEvent.press(screen.getByTestId('add-tie'));
    fireEvent.changeText(screen.getByTestId('tie-from'), from);
    fireEvent.changeText(screen.getByTestId('tie-to'), to);
    if (length) leave(screen.getByTestId('length-field'), length);
    fireEvent.press(screen.getByTestId('save-tie'));
    await settle();
    expect(seen(message)).toBe(true);
    expect([...server.records.values()].some((r) => r.kind === 'tie')).toBe(false);
  });
  test('a tie keeps its form, its tolerance and its instrument', async () => {
    const server = new FakeServer();
    await open(<FloorScreen setupId={ID.setup} />, server);
    fireEvent.press(screen.getByTestId('add-tie'));
    leave(screen.getByTestId('length-field'), '6\' 9 3/16"');
    fireEvent.press(screen.getByRole('radio', { name: /± 2 mm/ }));
    fireEvent.press(screen.getByTestId('save-tie'));
    await settle();
    const tie = [...server.records.values()].find((r) => r.kind === 'tie')!.body as RecordBodies['tie'];
    // 81 3/16 in = 81.1875 × 25.4 mm
    expect(tie).toMatchObject({ from: 'K1', to: 'K2', instrument: 'laser', length: { typed: '6\' 9 3/16"', unit: 'ft-in', toleranceM: 0.002 } });
    expect(tie.length.valueM).toBeCloseTo(2.0621625, 9);
    expect(screen.getByTestId('tie-K1-K2')).toHaveTextContent(/9 3\/16".*± 2/);
  });
});

describe('the take', () => {
  test('a height taken at the body is carried up to the entrance pupil, and its form stays', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    leave(screen.getByTestId('length-field'), '4\' 7 1/4"');
    await settle();
    fireEvent.press(screen.getByRole('radio', { name: 'body base' }));
    await settle();
    expect(stored(server).height).toMatchObject({ typed: '4\' 7 1/4"', unit: 'ft-in', takenAt: 'body base', offsetM: 0.06, toleranceM: 0.01 });
    // 55.25 in + 6 cm = 57.61 in = 4' 9 5/8" to the nearest sixteenth
    expect(screen.getByTestId('pupil-height')).toHaveTextContent(/4' 9 5\/8"/);
    fireEvent.press(screen.getByRole('radio', { name: '± 20 mm' }));
    await settle();
    expect(stored(server).height!.toleranceM).toBe(0.02);
  });
  test('what was carried over is marked until it is touched', async () => {
    const server = new FakeServer();
    server.records.set(ID.take, record('take', ID.take, takeBody({ carried: ['height', 'focusM', 'focalMm'] })));
    await open(<TakeScreen takeId={ID.take} />, server);
    expect(seen('Camera height ↷ carried over')).toBe(true);
    leave(screen.getByTestId('length-field'), '1.5 m');
    await settle();
    expect(seen('Camera height')).toBe(true);
    expect(stored(server).carried).toEqual(['focusM', 'focalMm']);
  });
  test('fields refuse what they cannot read and keep what was there', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    leave(screen.getByLabelText('Focal length'), 'wide');
    expect(seen(/must be a number from 1 to 3000/)).toBe(true);
    leave(screen.getByLabelText('Focus distance'), 'far');
    leave(screen.getByLabelText('Slate'), '   ');
    await settle();
    expect(stored(server)).toMatchObject({ focalMm: 32, focusM: 3, slate: '41A' });
    expect(server.records.get(ID.take)!.version).toBe(1);
  });
  test('circled, number, notes, package: each is kept the moment it is left', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByText('Circle'));
    fireEvent.press(screen.getByLabelText('Take: more'));
    leave(screen.getByLabelText('Notes'), 'dolly bumped at the door');
    leave(screen.getByLabelText('Focus distance'), '10 ft 6 in');
    await settle(20);
    expect(stored(server)).toMatchObject({ circled: true, take: 2, notes: 'dolly bumped at the door' });
    expect(stored(server).focusM).toBeCloseTo(3.2004, 9);
  });
  test('one that is not here is said, with a way on', async () => {
    await open(<TakeScreen takeId="gone" />, new FakeServer());
    expect(seen('No such take')).toBe(true);
  });
});

describe('what is mounted, changed from a take', () => {
  test('three taps: the take has a new package, the one before keeps the old one', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('swap-package'));
    expect(screen.getByTestId('mount-swapped')).toBeDisabled();
    fireEvent.press(screen.getByRole('radio', { name: /reducer ×0\.71, focal length/ }));
    fireEvent.press(screen.getByTestId('mount-swapped'));
    await settle();
    const take = server.records.get(ID.take)!.body as RecordBodies['take'];
    expect(take.packageId).not.toBe(ID.pack);
    expect(server.records.get(take.packageId)!.body).toMatchObject({ camera: 'A2', lensId: ID.lens, adapterId: ID.reducer, focalMm: 32 });
    expect(server.records.get(ID.pack)!.body).toMatchObject({ camera: 'A', adapterId: null });
  });

  test('another lens brings its own focal length; names count up', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('swap-package'));
    fireEvent.press(screen.getByRole('radio', { name: /Orrinel 24–70/ }));
    fireEvent.press(screen.getByTestId('mount-swapped'));
    await settle();
    expect((server.records.get(ID.take)!.body as RecordBodies['take']).focalMm).toBe(32);
    expect([nextName('A', ['A', 'B']), nextName('A2', ['A', 'A2']), nextName('B', ['B', 'B2', 'B3'])]).toEqual(['A2', 'A3', 'B4']);
  });

  test('a solver changes nothing', async () => {
    await open(<TakeScreen takeId={ID.take} />, new FakeServer(), 'solver');
    expect(screen.queryByTestId('swap-package')).toBeNull();
  });
});
