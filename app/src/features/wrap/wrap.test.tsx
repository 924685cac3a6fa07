import { act, fireEvent, screen } from '@testing-library/react-native';
import type { HandoverPlan } from '@mesure/contract';
import { WrapScreen } from './wrap-screen';
import { dayRecords, FakeServer, ID, open, pushed, record, seen, settle } from '../test-day';

const saved: string[] = [];
const fetched: string[] = [];
jest.mock('../../ui/save-file', () => ({ saveFile: (name: string) => saved.push(name), fetchFile: (url: string) => fetched.push(url) }));

const ANSWER = '00000000-0000-4000-8000-00000000aaaa';
const absence = () => record('absence', ANSWER, { dayId: ID.day, takeId: ID.take, code: 'tilt', what: 'tilt', reason: 'the head was gone', by: 'Odalys', at: '2026-11-23T18:40:00.000Z' });

const PLAN: HandoverPlan = {
  missing: [
    { code: 'height', until: 'set', takeId: ID.take, take: '41A take 1', what: 'camera height', answer: null },
    { code: 'solve', until: 'desk', takeId: 't2', take: '41A take 2', what: 'a test solve', answer: null },
    { code: 'plate l1', until: 'kit', takeId: 't2', take: '41A take 2', what: 'a grid plate of Orrinel 32', answer: null },
    { code: 'tilt', until: 'set', takeId: 't2', take: '41A take 2', what: 'tilt', answer: { id: ANSWER, reason: 'the head was gone', by: 'Odalys', at: '2026-11-23T18:40:00.000Z' } },
    { code: 'file x', until: 'gone', takeId: null, take: 'stills/x.jpg', what: 'the picture itself', answer: null },
  ],
  leftOut: 0,
  maps: { count: 6, maxBytes: 412_000_000 },
  files: [
    { path: 'takes.csv', what: 'every take', readWith: 'CSV' },
    { path: 'takes/41A-take-1/camera.glb', what: 'camera move and points', readWith: 'glTF 2.0' },
  ],
  closed: { by: 'Odalys', at: '2026-11-23T18:40:00.000Z' },
  changedAfterClose: [{ what: 'take 41A take 1: camera height', who: 'wrangler', when: '2026-11-23T19:02:00.000Z' }],
  handedOver: [],
  changedSince: [],
};

test('what is missing is grouped by when it can still be had, and leads to where it is filled', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  // what was answered does not count
  expect(screen.getByTestId('missing-count')).toHaveTextContent(/4 things are missing/);
  const titles = screen.getAllByTestId(/^fold-wrap-/).map((part) => part.props.accessibilityLabel);
  expect(titles).toEqual(['Part While the set stands', 'Part While the camera is built like this', 'Part At the desk', 'Part Lost', 'Part Cannot be had']);
  for (const what of ['camera height', 'a test solve', 'a grid plate of Orrinel 32']) fireEvent.press(screen.getByText(what));
  expect(pushed()).toEqual([`/floor/take/${ID.take}?to=height`, '/check/t2', '/kit']);
  expect(seen('takes/41A-take-1/camera.glb')).toBe(true);
  expect(seen('camera move and points · glTF 2.0')).toBe(true);
  expect(seen('■ Closed by Odalys, 2026-11-23 18:40')).toBe(true);
  expect(screen.getByTestId('changed-after-close')).toHaveTextContent(/1 change after that.*19:02 · wrangler · take 41A take 1: camera height/);
});

test('what cannot be had is answered with its reason, which is asked for; an answer is taken back', async () => {
  const server = new FakeServer([...dayRecords(), absence()]);
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  fireEvent.press(screen.getByLabelText('It cannot be had: 41A take 1'));
  fireEvent.press(screen.getByTestId('keep-reason'));
  await settle();
  expect(screen.getByTestId('reason')).toHaveTextContent(/reason/);
  fireEvent.changeText(screen.getByTestId('reason-text'), ' the crane was derigged ');
  fireEvent.press(screen.getByTestId('keep-reason'));
  await settle();
  const kept = [...server.records.values()].find((r) => r.kind === 'absence' && r.id !== ANSWER)!;
  expect(kept.body).toMatchObject({ dayId: ID.day, takeId: ID.take, code: 'height', what: 'camera height', reason: 'the crane was derigged', by: 'wrangler' });
  fireEvent.press(screen.getByLabelText('Take back the reason: tilt, 41A take 2'));
  await settle();
  expect(server.records.get(ANSWER)!.deleted).toBe(true);
});

test('handing over asks to whom; the next time what is new is offered as a supplement', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  fireEvent.press(screen.getByTestId('hand-over'));
  expect(screen.getByTestId('hand-over-sheet')).toHaveTextContent(/4 things are missing and not answered/);
  fireEvent.press(screen.getByTestId('hand-over-now'));
  await settle();
  expect(seen(/Say who gets it/)).toBe(true);
  expect(server.handedOver).toEqual([]);
  fireEvent.changeText(screen.getByTestId('hand-over-to'), 'Lisk');
  expect(seen('6 maps, up to 412 MB')).toBe(true);
  fireEvent.press(screen.getByRole('radio', { name: /^OpenEXR/ }));
  fireEvent.press(screen.getByTestId('hand-over-now'));
  await settle();
  expect(server.handedOver).toEqual([{ id: expect.any(String), to: 'Lisk', supplementTo: null, maps: 'exr', receiverId: null }]);
  expect(saved).toEqual(['day-handover.zip']);
  expect(seen(/Handed over to Lisk: day-handover.zip, 2.50 MB/)).toBe(true);
  screen.unmount();
  server.plan = {
    ...PLAN,
    handedOver: [{ id: ANSWER, to: 'Lisk', receiverId: null, by: 'Odalys', at: '2026-11-23T19:00:00.000Z', supplementTo: null, files: 40, sizeBytes: 2_500_000, zip: null, missing: 3 }],
    changedSince: [{ what: 'take 41A take 3: new', who: 'wrangler', when: '2026-11-23T19:30:00.000Z' }],
  };
  await open(<WrapScreen />, server);
  expect(screen.getByTestId('handed-over')).toHaveTextContent('▸ Handed over to Lisk by Odalys, 2026-11-23 19:00: 40 files, 2.5 MB, 3 missing');
  expect(screen.getByTestId('changed-since')).toHaveTextContent(/1 change since.*take 41A take 3: new/);
  fireEvent.press(screen.getByTestId('hand-over'));
  fireEvent.press(screen.getByTestId('hand-over-now'));
  await settle();
  expect(server.handedOver[1]).toMatchObject({ to: 'Lisk', supplementTo: ANSWER });
});

test('a handover that is kept on the server is fetched from there, by whoever sees it', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  fireEvent.press(screen.getByTestId('hand-over'));
  fireEvent.changeText(screen.getByTestId('hand-over-to'), 'Lisk');
  fireEvent.press(screen.getByRole('radio', { name: /^the server/ }));
  fireEvent.press(screen.getByTestId('hand-over-now'));
  await settle();
  expect(server.handedOver.at(-1)).toMatchObject({ to: 'Lisk', target: 'server' });
  expect(seen(/Handed over to Lisk: day-handover\.zip, 2\.50 MB, is on the server, and at \/drive\/day-handover\.zip/)).toBe(true);
  screen.unmount();
  const zip = { sha256: 'f'.repeat(64), name: 'day-handover.zip' };
  server.plan = {
    ...PLAN,
    handedOver: [{ id: ANSWER, to: 'Lisk', receiverId: null, by: 'Odalys', at: '2026-11-23T19:00:00.000Z', supplementTo: null, files: 40, sizeBytes: 2_500_000, zip, missing: 0 }],
  };
  await open(<WrapScreen />, server, 'guest');
  fireEvent.press(screen.getByTestId('fetch-zip'));
  expect(fetched).toEqual([expect.stringContaining(zip.sha256)]);
  expect(screen.queryByTestId('remove-zip')).toBeNull();
  screen.unmount();
  // whoever directs may let it go, after a second look; that the day was handed over stays
  await open(<WrapScreen />, server, 'owner');
  fireEvent.press(screen.getByTestId('remove-zip'));
  expect(seen(/gone from the server, for good/)).toBe(true);
  fireEvent.press(screen.getByText('Keep it'));
  expect(server.asked.some((a) => a.startsWith('DELETE'))).toBe(false);
  fireEvent.press(screen.getByTestId('remove-zip'));
  fireEvent.press(screen.getByTestId('remove-zip-now'));
  await settle();
  expect(screen.queryByTestId('fetch-zip')).toBeNull();
  expect(screen.getByTestId('handed-over')).toHaveTextContent(/Handed over to Lisk/);
});

const lastPlan = (server: FakeServer) => server.asked.filter((a) => a.startsWith('GET') && a.includes('/days/')).at(-1);
const LISK = '00000000-0000-4000-8000-00000000bbbb';
const lisk = (change: object = {}) =>
  record('receiver', LISK, { name: 'Lisk', without: ['gltf'], maps: 'exr', unit: 'cm', up: 'Z', addFrames: 1000, takeName: '{slate}_{take}', inFileNames: false, notes: '', ...change });

test('a receiver is described once, from an empty list: parts, unit, axes, numbers and names, with what is wrong said', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  fireEvent.press(screen.getByTestId('new-receiver'));
  const press = async (id: string) => {
    fireEvent.press(screen.getByTestId(id));
    await settle();
  };
  await press('keep-receiver');
  expect(screen.getByTestId('receiver-sheet')).toHaveTextContent(/name/);
  expect([...server.records.values()].some((r) => r.kind === 'receiver')).toBe(false);
  fireEvent.changeText(screen.getByTestId('receiver-name'), ' Lisk ');
  await press('leaves-gltf');
  await press('leaves-usd');
  await press('leaves-usd');
  fireEvent.press(screen.getByRole('radio', { name: 'centimetres' }));
  fireEvent.press(screen.getByRole('radio', { name: 'Z' }));
  fireEvent.changeText(screen.getByTestId('receiver-frames'), 'a thousand');
  fireEvent.changeText(screen.getByTestId('receiver-take-name'), '{slate}_{shot}');
  await settle();
  expect(seen(/\{shot\} is not known; there are \{scene\}/)).toBe(true);
  await press('keep-receiver');
  expect(seen(/“a thousand” is no whole number/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('receiver-frames'), '+1000');
  fireEvent.changeText(screen.getByTestId('receiver-take-name'), '{slate}_{take}');
  await settle();
  expect(seen('Frame 1 of the tracks leaves as 1001')).toBe(true);
  expect(seen('As 41A_1')).toBe(true);
  await press('keep-receiver');
  const kept = [...server.records.values()].find((r) => r.kind === 'receiver')!;
  expect(kept.body).toEqual({ name: 'Lisk', without: ['gltf'], maps: 'none', unit: 'cm', up: 'Z', addFrames: 1000, takeName: '{slate}_{take}', inFileNames: false, notes: '' });
  // it is chosen, and asked for
  expect(screen.getByRole('radio', { name: /^Lisk/ })).toBeChecked();
  expect(lastPlan(server)).toMatch(new RegExp(`/days/${ID.day}\\?receiver=${kept.id}$`));
});

test('a receiver is chosen, changed and hidden; the handover leaves as he wants it, and a supplement adds to his own', async () => {
  const server = new FakeServer([...dayRecords(), lisk()]);
  server.plan = {
    ...PLAN,
    leftOut: 3,
    handedOver: [{ id: ANSWER, to: 'Post', receiverId: null, by: 'Odalys', at: '2026-11-23T19:00:00.000Z', supplementTo: null, files: 40, sizeBytes: 2_500_000, zip: null, missing: 3 }],
  };
  await open(<WrapScreen />, server);
  expect(screen.getByRole('radio', { name: /^nobody named/ })).toBeChecked();
  fireEvent.press(screen.getByRole('radio', { name: /^Lisk/ }));
  await settle();
  expect(seen('centimetres, Z up · frames +1000 · OpenEXR maps · {slate}_{take}')).toBe(true);
  expect(seen('3 files do not leave, as wanted.')).toBe(true);
  fireEvent.press(screen.getByTestId('hand-over'));
  // he got none yet: what was handed to others is no start for him, and the maps are his to want
  expect(screen.queryByText('What is new')).toBeNull();
  expect(screen.getByTestId('hand-over-sheet')).toHaveTextContent(/As Lisk wants it: 2 files, 3 left out, and 6 maps, up to 412 MB/);
  fireEvent.press(screen.getByTestId('hand-over-now'));
  await settle();
  expect(server.handedOver).toEqual([{ id: expect.any(String), to: 'Lisk', supplementTo: null, maps: 'exr', receiverId: LISK }]);
  fireEvent.press(screen.getByTestId('change-receiver'));
  fireEvent.changeText(screen.getByTestId('receiver-frames'), '0');
  fireEvent.press(screen.getByTestId('keep-receiver'));
  await settle();
  expect(server.records.get(LISK)!.body).toMatchObject({ addFrames: 0, without: ['gltf'] });
  fireEvent.press(screen.getByTestId('change-receiver'));
  fireEvent.press(screen.getByTestId('hide-receiver'));
  await settle();
  expect(server.records.get(LISK)!.deleted).toBe(true);
  expect(lastPlan(server)).toMatch(new RegExp(`/days/${ID.day}$`));
});

test('what was asked for one receiver never stands for another: where it cannot be had, that is said', async () => {
  const server = new FakeServer([...dayRecords(), lisk()]);
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  server.failing.set(`receiver=${LISK}`, server.problem('INTERNAL', 500, 'The server stumbled.'));
  fireEvent.press(screen.getByRole('radio', { name: /^Lisk/ }));
  await settle();
  expect(seen(/The server stumbled.*safe/)).toBe(true);
  expect(screen.queryByTestId('hand-over')).toBeNull();
  server.failing.clear();
  fireEvent.press(screen.getByText('Try again'));
  await settle();
  expect(screen.getByTestId('hand-over')).toBeEnabled();
});

test('a guest reads for whom there is, and changes nothing', async () => {
  const server = new FakeServer([...dayRecords(), lisk()]);
  server.plan = PLAN;
  await open(<WrapScreen />, server, 'guest');
  expect(screen.getByRole('radio', { name: /^Lisk/ })).toBeTruthy();
  expect(screen.queryByTestId('new-receiver')).toBeNull();
});

test('a complete day says so; one with nothing to give cannot be handed over', async () => {
  const server = new FakeServer();
  await open(<WrapScreen />, server);
  expect(seen('The day is complete')).toBe(true);
  expect(seen('Nothing leaves yet')).toBe(true);
  expect(screen.getByTestId('hand-over')).toBeDisabled();
});

test('a plan that cannot be had is said, and asked for again', async () => {
  const server = new FakeServer();
  server.failing.set(`/days/${ID.day}`, server.problem('INTERNAL', 500, 'The server stumbled.'));
  await open(<WrapScreen />, server);
  expect(seen(/The server stumbled.*safe/)).toBe(true);
  server.failing.clear();
  fireEvent.press(screen.getByText('Try again'));
  await settle();
  expect(screen.getByTestId('missing-count')).toBeTruthy();
});

test('what somebody records while it is open is asked for by itself; where it cannot be had, what stands there stays', async () => {
  const server = new FakeServer([...dayRecords(), absence()]);
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  expect(screen.getByTestId('missing-count')).toHaveTextContent(/^= ?4/);
  const changed = async () => {
    fireEvent.press(screen.getByLabelText('Take back the reason: tilt, 41A take 2'));
    await settle();
    const before = server.asked.length;
    await act(async () => new Promise((r) => setTimeout(r, 900)));
    await settle();
    return server.asked.slice(before).filter((a) => a.includes(`/days/${ID.day}`)).length;
  };
  server.plan = { ...PLAN, missing: [] };
  expect(await changed()).toBeGreaterThan(0);
  expect(seen('The day is complete')).toBe(true);
  server.failing.set(`/days/${ID.day}`, server.problem('INTERNAL', 500, 'The server stumbled.'));
  fireEvent.press(screen.getByTestId('new-receiver'));
  fireEvent.changeText(screen.getByTestId('receiver-name'), 'Lisk');
  fireEvent.press(screen.getByTestId('keep-receiver'));
  await act(async () => new Promise((r) => setTimeout(r, 900)));
  await settle();
  expect(seen('The day is complete')).toBe(true);
});

test('a handover that fails says that nothing was changed', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  server.failing.set('/handovers', server.problem('INTERNAL', 500, 'The disk is full.'));
  fireEvent.press(screen.getByTestId('hand-over'));
  fireEvent.changeText(screen.getByTestId('hand-over-to'), 'Lisk');
  fireEvent.press(screen.getByTestId('hand-over-now'));
  await settle();
  expect(seen(/The disk is full.*Nothing was changed/)).toBe(true);
});

test('no day is not a failure; no records is', async () => {
  await open(<WrapScreen />, new FakeServer(dayRecords().filter((r) => r.kind !== 'day')));
  expect(seen('No shooting day yet')).toBe(true);
  screen.unmount();
  const server = new FakeServer();
  server.cut = true;
  await open(<WrapScreen />, server);
  expect(seen('The day could not be loaded')).toBe(true);
});
