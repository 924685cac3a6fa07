import type { RecordBodies } from '@mesure/contract';
import { act, fireEvent, screen, waitFor } from '@testing-library/react-native';
import { Text } from 'react-native';
import { renewedStore, troubleStore, useRecordsState } from '../../data';
import { Crash } from './crash';
import { roomWords } from './phone-room';
import { Shell } from './shell';
import { FakeServer, ID, open, record, seen, settle } from '../test-day';

/** A place with buttons that change a record. */
function Place() {
  const write = useRecordsState((s) => s.write);
  const pictures = ['slate.jpg', 'stove.jpg'].map((name, i) => ({ sha256: 'de'[i].repeat(64), name }));
  return (
    <>
      <Text onPress={() => void write('set', ID.set, (now) => ({ ...now, name: `${now.name}!` }), 'Set renamed')}>rename</Text>
      <Text onPress={() => void write('take', ID.take, (now) => ({ ...now, notes: 'with its slate', pictures }), 'Picture added')}>picture</Text>
    </>
  );
}
const start = async (server: FakeServer) =>
  open(
    <Shell>
      <Place />
    </Shell>,
    server,
  );
const state = () => screen.getByTestId('state-line');

test('where I am, and that all is sent', async () => {
  await start(new FakeServer());
  expect(seen('The Salt Ferry · Day 12')).toBe(true);
  expect(state()).toHaveTextContent('all sent');
  for (const place of ['Kit', 'Plan', 'Floor', 'Check', 'Wrap']) expect(seen(place)).toBe(true);
});

test('what waits is counted, listed, sent by hand, and keeps the sign-in', async () => {
  const server = new FakeServer();
  await start(server);
  server.cut = true;
  fireEvent.press(screen.getByText('rename'));
  await settle();
  expect(state()).toHaveTextContent('1 waiting');
  fireEvent.press(state());
  expect(seen('set Galley!: waits for the network')).toBe(true);
  server.cut = false;
  fireEvent.press(screen.getByText('Send now'));
  await settle();
  expect(state()).toHaveTextContent('all sent');
  expect(server.records.get(ID.set)!.body).toMatchObject({ name: 'Galley!' });
});

test('a change made elsewhere meanwhile needs the person, who may keep either', async () => {
  for (const [button, expected] of [
    ['Keep mine', 'Galley!'],
    ['Take theirs', 'Scullery'],
  ]) {
    const server = new FakeServer();
    await start(server);
    server.records.set(ID.set, { ...record('set', ID.set, { name: 'Scullery', marks: [] }), version: 2 });
    fireEvent.press(screen.getByText('rename'));
    await settle();
    expect(state()).toHaveTextContent('1 needs you');
    fireEvent.press(state());
    fireEvent.press(screen.getByText(button));
    await settle();
    expect(server.records.get(ID.set)!.body).toMatchObject({ name: expected });
    expect(state()).toHaveTextContent('all sent');
    screen.unmount();
  }
});

test('two people changed one field: both values, who and when, and one tap decides', async () => {
  for (const [side, expected] of [
    ['mine', 'Galley!'],
    ['theirs', 'Scullery'],
  ]) {
    const server = new FakeServer();
    const body = server.records.get(ID.set)!.body as RecordBodies['set'];
    server.records.delete(ID.set);
    server.memory.write('set', ID.set, { mutationId: 'first', baseVersion: 0, deleted: false, body });
    await start(server);
    server.memory.author = 'Odalys';
    server.memory.write('set', ID.set, { mutationId: 'theirs', baseVersion: 1, deleted: false, body: { ...body, name: 'Scullery', marks: ['K1', 'K2', 'K3', 'K9'] } });
    fireEvent.press(screen.getByText('rename'));
    await settle();
    expect(state()).toHaveTextContent('1 needs you');
    fireEvent.press(state());
    expect(screen.getByTestId('mine-name')).toHaveTextContent('Mine: Galley!');
    expect(screen.getByTestId('theirs-name')).toHaveTextContent('Odalys, 09:00: Scullery');
    fireEvent.press(screen.getByTestId(`${side}-name`));
    await settle();
    // what only the other one changed stays in either case
    expect(server.records.get(ID.set)!.body).toMatchObject({ name: expected, marks: ['K1', 'K2', 'K3', 'K9'] });
    expect(state()).toHaveTextContent('all sent');
    screen.unmount();
  }
});

test('files that the server was not given: why, and the rest goes without them with one tap', async () => {
  const server = new FakeServer();
  await start(server);
  const lost = { sha256: 'd'.repeat(64), name: 'slate.jpg' };
  server.failing.set(`/records/take/${ID.take}`, { ...server.problem('FILE_MISSING', 422, 'slate.jpg: this production was not given this file. Give it again.'), files: [lost] });
  fireEvent.press(screen.getByText('picture'));
  await settle();
  expect(state()).toHaveTextContent('1 needs you');
  fireEvent.press(state());
  expect(seen(/was not given this file/)).toBe(true);
  server.failing.clear();
  fireEvent.press(screen.getByTestId(`without-files-${ID.take}`));
  await settle();
  expect(server.records.get(ID.take)!.body).toMatchObject({ notes: 'with its slate', pictures: [{ name: 'stove.jpg' }] });
  expect(state()).toHaveTextContent('all sent');
});

test('a session that ended asks for a new sign-in and loses nothing', async () => {
  const server = new FakeServer();
  await start(server);
  server.failing.set(`/records/set/${ID.set}`, server.problem('NOT_SIGNED_IN', 401, 'Sign in again.'));
  fireEvent.press(screen.getByText('rename'));
  await settle();
  expect(state()).toHaveTextContent('sign in again to send');
});

test('the last change can be undone or let stand', async () => {
  const server = new FakeServer();
  await start(server);
  fireEvent.press(screen.getByText('rename'));
  await settle();
  expect(seen('Set renamed')).toBe(true);
  fireEvent.press(screen.getByText('Undo'));
  await settle(20);
  expect(server.records.get(ID.set)).toMatchObject({ version: 3, body: { name: 'Galley' } });
  fireEvent.press(screen.getByText('rename'));
  await settle();
  fireEvent.press(screen.getByLabelText('Dismiss'));
  await settle();
  expect(seen('Set renamed')).toBe(false);
  expect(server.records.get(ID.set)!.body).toMatchObject({ name: 'Galley!' });
});

test('one tap changes the light', async () => {
  await start(new FakeServer());
  fireEvent.press(screen.getByLabelText('Switch to Daylight'));
  expect(screen.getByLabelText('Switch to Stage')).toBeTruthy();
});

test('a screen that breaks says what is safe and lets one try again', async () => {
  const retry = jest.fn(async () => undefined);
  await open(<Crash error={new Error('The drawing failed.')} retry={retry} />, new FakeServer());
  expect(seen(/The drawing failed.*kept on this device/)).toBe(true);
  fireEvent.press(screen.getByText('Try again'));
  expect(retry).toHaveBeenCalledTimes(1);
});

test('a newer version is offered, and not in the middle of a word', async () => {
  const { document } = globalThis;
  const focus = (tagName: string) => Object.defineProperty(globalThis, 'document', { value: { ...document, activeElement: { tagName } }, configurable: true });
  try {
    await start(new FakeServer());
    expect(screen.queryByTestId('renewed')).toBeNull();
    focus('INPUT');
    await act(async () => renewedStore.setState({ renewed: true }));
    expect(screen.queryByTestId('renewed')).toBeNull();
    focus('BODY');
    await waitFor(() => expect(screen.getByTestId('renewed')).toHaveTextContent(/newer version/), { timeout: 60_000 });
    focus('TEXTAREA');
    await waitFor(() => expect(screen.queryByTestId('renewed')).toBeNull(), { timeout: 60_000 });
  } finally {
    Object.defineProperty(globalThis, 'document', { value: document, configurable: true });
    await act(async () => renewedStore.setState({ renewed: false }));
  }
});

test('a phone that takes nothing more is told of, with what is in this page only, and the browser asks before it is closed', async () => {
  const asks: EventListener[] = [];
  const [add, remove] = [window.addEventListener, window.removeEventListener];
  window.addEventListener = ((what: string, h: EventListener) => (what === 'beforeunload' ? asks.push(h) : undefined)) as typeof add;
  window.removeEventListener = ((what: string, h: EventListener) => (what === 'beforeunload' ? asks.splice(asks.indexOf(h), 1) : undefined)) as typeof remove;
  const tell = (trouble: { why: string; unkept: number } | null) => act(async () => troubleStore.setState({ trouble }));
  try {
    await start(new FakeServer());
    expect(screen.queryByTestId('trouble')).toBeNull();
    await tell({ why: 'The phone has no room left for what is kept here.', unkept: 2 });
    expect(screen.getByTestId('trouble')).toHaveTextContent(/no room left .* 2 entries are in this page only: leave it open until all is sent/);
    let asked = false;
    asks.forEach((h) => h({ preventDefault: () => (asked = true) } as unknown as Event));
    expect(asked).toBe(true);
    await tell({ why: 'The phone has no room left for what is kept here.', unkept: 0 });
    expect(screen.getByTestId('trouble')).toHaveTextContent(/What you enter is sent, and not kept here/);
    expect(asks).toEqual([]);
    await tell(null);
    expect(screen.queryByTestId('trouble')).toBeNull();
  } finally {
    [window.addEventListener, window.removeEventListener] = [add, remove];
    await tell(null);
  }
});

test('what waits says how much room the phone leaves, and whether it lasts', () => {
  expect(roomWords({ usedBytes: 12e6, freeBytes: 1.2e9, lasting: true })).toBe('Mesure takes 12 MB here and may take 1.2 GB more. The browser does not clear it by itself.');
  expect(roomWords({ usedBytes: 12e6, freeBytes: 60e6, lasting: false })).toMatch(/^▲ .* 60 MB more\. The browser may clear it when the phone runs short/);
});
