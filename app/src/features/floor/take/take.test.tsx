import { act, fireEvent, screen } from '@testing-library/react-native';
import type { RecordBodies, StoredRecord } from '@mesure/contract';
import { devicesStore } from '../../devices/devices-store';
import { FakeServer, ID, open, PRODUCTION, record, reopen, seen, settle, takeBody } from '../../test-day';
import { FloorScreen } from '../floor-screen';
import { forgetFolds } from '../../../ui/folds';
import { TakeScreen } from './take-screen';

const leave = (field: ReturnType<typeof screen.getByTestId>, text: string) => {
  fireEvent.changeText(field, text);
  fireEvent(field, 'blur');
};
const stored = (server: FakeServer, id: string = ID.take) => server.records.get(id)!.body as RecordBodies['take'];
/** A day whose log knows its records: histories and merges need it. */
function loggedDay(): FakeServer {
  const server = new FakeServer();
  const all = [...server.records.values()];
  server.records.clear();
  for (const r of all) server.memory.write(r.kind, r.id, { mutationId: `first-${r.id}`, baseVersion: 0, deleted: false, body: r.body });
  return server;
}
const later = (id: string, change: Partial<RecordBodies['take']> = {}): StoredRecord<'take'> =>
  record('take', id, takeBody({ take: 2, loggedAt: '2026-11-23T10:00:00.000Z', carried: ['focalMm'], ...change }));

describe('fields', () => {
  test('steps follow the lens’s and the camera’s own series; typing and stepping are one value', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByLabelText('T-stop: more'));
    await settle();
    fireEvent.press(screen.getByLabelText('T-stop: more'));
    await settle();
    expect(stored(server).stop).toBe(4.5);
    leave(screen.getByTestId('field-shutter'), '1/48');
    await settle();
    expect(stored(server).shutter).toEqual({ by: 'time', seconds: 1 / 48 });
    fireEvent.press(screen.getByLabelText('Shutter: less'));
    await settle();
    // 1/48 s at 24 frames is 180°
    expect(stored(server).shutter).toEqual({ by: 'angle', deg: 172.8 });
    // the wheel of the same value: keys go to the next one of the series, and from between two of them to its neighbour
    const turn = async (field: string, key: string) => {
      fireEvent(screen.getByTestId(`wheel-${field}`), 'keyDown', { key, preventDefault: () => undefined });
      await settle();
    };
    await turn('stop', 'ArrowRight');
    expect(stored(server).stop).toBe(5);
    leave(screen.getByTestId('field-stop'), '4.3');
    await settle();
    await turn('stop', 'ArrowLeft');
    expect(stored(server).stop).toBe(4);
    await turn('shutter', 'ArrowUp');
    expect(stored(server).shutter).toEqual({ by: 'angle', deg: 180 });
    expect(screen.getByTestId('wheel-shutter').props['aria-valuetext'] ?? screen.getByTestId('wheel-shutter').props.accessibilityValue?.text).toBe('180°');
    // a prime has one focal length
    fireEvent.press(screen.getByLabelText('Focal length: more'));
    await settle();
    expect(stored(server).focalMm).toBe(32);
  });

  test('what is other than in the take before stands out, with what it was', async () => {
    const server = new FakeServer();
    server.records.set('t2', later('t2', { focusM: 4, movers: ['curtain'] }));
    await open(<TakeScreen takeId="t2" />, server);
    expect(screen.getByTestId('changed-since')).toHaveTextContent('Other than take 1: focus distance 3.000 m → 4.000 m; moving things in shot – → curtain');
    expect(seen('take before: 3.000 m')).toBe(true);
  });

  test('a half-typed value survives the page, and is kept when its field is left', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.changeText(screen.getByTestId('field-notes'), 'dolly squea');
    screen.unmount();
    expect(stored(server).notes).toBe('');
    await reopen(<TakeScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('field-notes').props.value).toBe('dolly squea');
    expect(seen('typed, not kept yet')).toBe(true);
    leave(screen.getByTestId('field-notes'), 'dolly squeaks');
    await settle();
    expect(stored(server).notes).toBe('dolly squeaks');
    expect(seen('typed, not kept yet')).toBe(false);
  });

  test('a production chooses its fields and the names of its clips; a person the unit', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    expect(screen.queryByTestId('field-iso')).toBeNull();
    fireEvent.press(screen.getByTestId('open-fields'));
    fireEvent.press(screen.getByTestId('shows-iso'));
    await settle();
    leave(screen.getByTestId('pattern-A'), 'A012C');
    expect(seen(/Every clip would have the same name/)).toBe(true);
    leave(screen.getByTestId('pattern-A'), 'A012C###');
    fireEvent.press(screen.getAllByRole('radio', { name: 'ft in' }).at(-1)!);
    await settle();
    expect(server.records.get(PRODUCTION)!.body).toMatchObject({ clips: [{ camera: 'A', pattern: 'A012C###' }], shown: expect.arrayContaining(['iso', 'stop']) });
    expect([...server.records.values()].find((r) => r.kind === 'person')!.body).toEqual({ lengthUnit: 'ft-in' });
    fireEvent.press(screen.getByLabelText('Close What is noted'));
    expect(screen.getByTestId('field-iso')).toBeTruthy();
    fireEvent.press(screen.getByTestId('log-take'));
    await settle();
    expect([...server.records.values()].find((r) => r.kind === 'take' && r.id !== ID.take)!.body).toMatchObject({ clip: 'A012C001', take: 2 });
  });
});

describe('a long form', () => {
  afterEach(forgetFolds);

  test('a part folds, says in short what is in it, and stays folded on this device', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('field-focusM')).toBeTruthy();
    fireEvent.press(screen.getByTestId('fold-take-Lens'));
    expect(screen.queryByTestId('field-focusM')).toBeNull();
    expect(screen.getByTestId('fold-take-Lens')).toHaveTextContent(/focal length 32 · focus distance 3\.000 m/);
    screen.unmount();
    await reopen(<TakeScreen takeId={ID.take} />, server);
    expect(screen.queryByTestId('field-focusM')).toBeNull();
    fireEvent.press(screen.getByTestId('fold-take-Lens'));
    expect(screen.getByTestId('field-focusM')).toBeTruthy();
  });

  test('what leads to a missing field unfolds the part in which it stands', async () => {
    const server = new FakeServer();
    server.records.set(ID.take, record('take', ID.take, takeBody({ focusM: null })));
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('fold-take-Lens'));
    expect(screen.getByTestId('fold-take-Lens')).toHaveTextContent(/1 missing/);
    fireEvent.press(screen.getByText('Go to focus distance'));
    expect(screen.getByTestId('field-focusM')).toBeTruthy();
    // from the day board likewise
    fireEvent.press(screen.getByTestId('fold-take-Lens'));
    screen.unmount();
    await reopen(<TakeScreen takeId={ID.take} to="missing" />, server);
    expect(screen.getByTestId('field-focusM')).toBeTruthy();
  });
});

describe('readings', () => {
  test('read again: the mean stands, the third that does not fit is named and can be taken out', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    for (const text of ['1.402 m', '1.462 m']) {
      fireEvent.press(screen.getByTestId('read-again'));
      leave(screen.getByTestId('length-field'), text);
      await settle();
    }
    expect(stored(server).height).toMatchObject({ repeatsM: [1.4, 1.402, 1.462] });
    expect(screen.getByTestId('outlier')).toHaveTextContent(/Reading 3 does not fit the others: it is 61 mm above them/);
    fireEvent.press(screen.getByTestId('take-outlier-out'));
    await settle();
    expect(stored(server).height).toMatchObject({ repeatsM: [1.4, 1.402], typed: '1.401 m' });
    expect(screen.getByTestId('pupil-height')).toHaveTextContent(/1\.401 m/);
  });

  test('one tap pulls a height from the laser, marked as simulated; the offset of this build is applied', async () => {
    devicesStore.getState().choose('distance', 'laser-metres');
    const server = new FakeServer();
    const pack = server.records.get(ID.pack) as StoredRecord<'package'>;
    server.records.set(ID.pack, { ...pack, body: { ...pack.body, offsetsM: { 'dolly head': 0.214 } } });
    server.records.set(ID.take, record('take', ID.take, takeBody({ height: null })));
    await open(<TakeScreen takeId={ID.take} />, server);
    for (let shot = 0; shot < 4 && !stored(server).height; shot += 1) {
      fireEvent.press(screen.getByTestId('pull-distance'));
      await settle(80);
    }
    expect(stored(server).height).toMatchObject({ instrument: 'laser, simulated', toleranceM: 0.002 });
    expect(Math.abs(stored(server).height!.valueM - 1.4)).toBeLessThan(0.01);
    fireEvent.press(screen.getByRole('radio', { name: 'dolly head' }));
    await settle();
    expect(stored(server).height).toMatchObject({ takenAt: 'dolly head', offsetM: 0.214 });
    expect(screen.getByTestId('offset-words')).toHaveTextContent(/0\.214 m from the dolly head .*as measured on A-cam/);
    act(() => devicesStore.getState().choose('distance', null));
  });
});

describe('never lost', () => {
  test('the history says who, when, before and after; a value goes back with one tap', async () => {
    const server = loggedDay();
    await open(<TakeScreen takeId={ID.take} />, server);
    leave(screen.getByTestId('field-focusM'), '4 m');
    await settle();
    fireEvent.press(screen.getByTestId('open-take-history'));
    await settle();
    expect(screen.getByTestId('history-2')).toHaveTextContent(/wrangler.*Focus distance: 3\.000 m → 4\.000 m/);
    fireEvent.press(screen.getByTestId('put-back-2-focusM'));
    await settle();
    expect(stored(server).focusM).toBe(3);
    expect(screen.getByTestId('history-3')).toHaveTextContent(/4\.000 m → 3\.000 m/);
    server.cut = true;
    fireEvent.press(screen.getByLabelText('Close History of 41A take 1'));
    fireEvent.press(screen.getByTestId('open-take-history'));
    await settle();
    expect(seen('The history is not here')).toBe(true);
  });

  test('a hidden take is listed as hidden, opened, and brought back', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('hide-take'));
    await settle();
    expect(server.records.get(ID.take)!.deleted).toBe(true);
    expect(seen('41A take 1 is hidden')).toBe(true);
    screen.unmount();
    await reopen(<FloorScreen setupId={ID.setup} />, server);
    expect(screen.queryByTestId('take-41A-1')).toBeNull();
    fireEvent.press(screen.getByTestId('show-hidden'));
    expect(screen.getByTestId('hidden-41A-1')).toBeTruthy();
    screen.unmount();
    await reopen(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('bring-back'));
    await settle();
    expect(server.records.get(ID.take)!.deleted).toBe(false);
  });

  test('"the reducer was on since take 1": seen first, done for all later takes of the camera, taken back with one undo', async () => {
    const server = new FakeServer();
    const pack = server.records.get(ID.pack) as StoredRecord<'package'>;
    server.records.set('a2', record('package', 'a2', { ...pack.body, camera: 'A2', adapterId: ID.reducer }));
    server.records.set('b', record('package', 'b', { ...pack.body, camera: 'B' }));
    server.records.set('t2', later('t2'));
    server.records.set('t3', later('t3', { take: 3, packageId: 'b' }));
    server.records.set('early', later('early', { take: 4, loggedAt: '2026-11-23T07:00:00.000Z' }));
    await open(<TakeScreen takeId={ID.take} />, server);
    fireEvent.press(screen.getByTestId('open-bulk'));
    fireEvent.press(screen.getAllByRole('radio', { name: 'A2-cam' }).at(-1)!);
    expect(screen.getByTestId('bulk-preview')).toHaveTextContent(/2 takes change.*41A take 1: A → A2.*41A take 2: A → A2/);
    fireEvent.press(screen.getByTestId('apply-bulk'));
    await settle(30);
    const packages = () => [ID.take, 't2', 't3', 'early'].map((id) => stored(server, id).packageId);
    expect(packages()).toEqual(['a2', 'a2', 'b', ID.pack]);
  });
});

describe('witness cameras', () => {
  test('somebody touched it: takes before keep how it was mounted, takes after have the new state', async () => {
    const server = new FakeServer();
    const pack = server.records.get(ID.pack) as StoredRecord<'package'>;
    server.records.set('w', record('package', 'w', { ...pack.body, camera: 'W' }));
    server.records.set(
      'rig',
      record('rig', 'rig', {
        setupId: ID.setup,
        packageId: 'w',
        since: '2026-11-23T08:00:00.000Z',
        placement: { way: 'rigid', rightM: 0.12, upM: 0.04, forwardM: 0, turnRad: 0, tiltRad: 0 },
        toleranceM: 0.005,
        why: '',
      }),
    );
    await open(<FloorScreen setupId={ID.setup} />, server);
    fireEvent.press(screen.getByTestId('new-rig-W'));
    fireEvent.changeText(screen.getByTestId('rig-rightM'), '-85');
    fireEvent.changeText(screen.getByTestId('rig-why'), 'bumped at the door');
    fireEvent.press(screen.getByTestId('keep-rig'));
    await settle();
    const rigs = [...server.records.values()].filter((r) => r.kind === 'rig').map((r) => r.body as RecordBodies['rig']);
    expect(rigs[1].placement).toMatchObject({ way: 'rigid', rightM: -0.085, upM: 0.04 });
    expect(screen.getByTestId('rig-W')).toHaveTextContent(/now.*85 mm left, 40 mm up \(bumped at the door\).*before, since 08:00: fixed to the main camera, 120 mm right/);
    screen.unmount();
    await reopen(<TakeScreen takeId={ID.take} />, server);
    expect(screen.getByTestId('rig-of-W')).toHaveTextContent(/Mounted since 08:00: fixed to the main camera, 120 mm right/);
    leave(screen.getByTestId('witness-clip-W'), 'W003C011');
    await settle();
    expect(stored(server).witnesses).toEqual([{ packageId: 'w', clip: 'W003C011', focusM: null, stabiliser: 'unknown' }]);
    // a prime needs no word of its focal length
    expect(screen.queryByTestId('witness-focal-W')).toBeNull();
    leave(screen.getByTestId('witness-first-W'), '12.5');
    await settle();
    expect(stored(server).witnesses![0]).not.toHaveProperty('firstFrame');
    leave(screen.getByTestId('witness-first-W'), '1001');
    await settle();
    expect(stored(server).witnesses![0]).toMatchObject({ firstFrame: 1001, clip: 'W003C011' });
    screen.unmount();
    server.records.set('w', record('package', 'w', { ...pack.body, camera: 'W', lensId: ID.zoom, focalMm: 24 }));
    await open(<TakeScreen takeId={ID.take} />, server);
    leave(screen.getByTestId('witness-focal-W'), '35,5 mm');
    await settle();
    expect(stored(server).witnesses![0]).toMatchObject({ focalMm: 35.5, firstFrame: 1001 });
  });
});
