import { fireEvent, screen } from '@testing-library/react-native';
import { WrapScreen } from './wrap-screen';
import { dayRecords, FakeServer, ID, open, pushed, seen, settle } from '../test-day';

const PLAN = {
  missing: [
    { takeId: ID.take, take: '41A take 1', what: 'camera height' },
    { takeId: 't2', take: '41A take 2', what: 'a test solve' },
    { takeId: 't2', take: '41A take 2', what: 'a grid plate of Orrinel 32' },
  ],
  files: [{ path: 'takes/41A-take-1/camera.glb', what: 'camera move and points', readWith: 'glTF 2.0' }],
  closed: { by: 'Odalys', at: '2026-11-23T18:40:00.000Z' },
  changedAfterClose: [{ what: 'take 41A take 1: camera height', who: 'wrangler', when: '2026-11-23T19:02:00.000Z' }],
};

test('what is missing leads to where it is filled', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  expect(screen.getByTestId('missing-count')).toHaveTextContent(/3 things are missing/);
  for (const what of ['camera height', 'a test solve', 'a grid plate of Orrinel 32']) fireEvent.press(screen.getByText(what));
  expect(pushed()).toEqual([`/floor/take/${ID.take}`, '/check/t2', '/kit']);
  expect(seen('takes/41A-take-1/camera.glb')).toBe(true);
  expect(seen('camera move and points · glTF 2.0')).toBe(true);
  expect(seen('■ Closed by Odalys, 2026-11-23 18:40')).toBe(true);
  expect(screen.getByTestId('changed-after-close')).toHaveTextContent(/1 change after that.*19:02 · wrangler · take 41A take 1: camera height/);
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

test('a handover that fails says that nothing was changed', async () => {
  const server = new FakeServer();
  server.plan = PLAN;
  await open(<WrapScreen />, server);
  server.failing.set('/handover.zip', server.problem('INTERNAL', 500, 'The disk is full.'));
  fireEvent.press(screen.getByTestId('hand-over'));
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
