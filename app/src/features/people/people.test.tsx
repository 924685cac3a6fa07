import type { CrewMember, LinkSays, SessionInfo } from '@mesure/contract';
import { act, fireEvent, render, screen } from '@testing-library/react-native';
import { SafeAreaProvider } from 'react-native-safe-area-context';
import { sessionStore, troubleStore } from '../../data';
import * as saving from '../../ui/save-file';
import { Theme } from '../../ui/theme';
import { dayRecords, FakeServer, open, PRODUCTION, record, reopen, seen, settle } from '../test-day';
import { DaySheet } from '../days/day-sheet';
import { Shell } from '../shell/shell';
import { BeginScreen } from './begin-screen';
import { JoinScreen, NewPasswordScreen } from './join-screen';
import { ago, PeopleSheet } from './people-sheet';
import SignInScreen from './sign-in-screen';

/** Answers for the addresses of people, beside those of the day. */
class CrewServer extends FakeServer {
  people: CrewMember[] = [
    { id: 'u1', name: 'Ada Quill', role: 'owner', seen: new Date().toISOString(), waiting: 0, you: true },
    { id: 'u2', name: 'Ivo Tam', role: 'solver', seen: null, waiting: 3, you: false },
  ];
  link: LinkSays | null = null;
  sent: { method: string; address: string; body: Record<string, unknown> }[] = [];
  ends: { at: string; by: string } | null = null;
  refuse: { end: string; field: string; message: string } | null = null;
  secondStep = { since: null as string | null, recoveryLeft: 0 };

  constructor() {
    super();
    const day = this.fetch;
    this.fetch = async (input: unknown, init: { method?: string; body?: string | Blob } = {}): Promise<Response> => {
      const method = init.method ?? 'GET';
      const address = String(input).replace(/^\/api/, '');
      const body = typeof init.body === 'string' ? (JSON.parse(init.body) as Record<string, unknown>) : {};
      const answer = (status: number, value: unknown) => ({ ok: status < 400, status, text: async () => JSON.stringify(value), json: async () => value }) as unknown as Response;
      // how much waits on a device is told by the clock, between any two taps: it is nobody's doing, and is kept apart
      if (method !== 'GET' && address !== '/account/waiting') this.sent.push({ method, address, body });
      if (this.refuse && address.endsWith(this.refuse.end))
        return answer(422, {
          ...this.problem(this.refuse.message === 'is needed' ? 'CODE_NEEDED' : 'INVALID', 422, `${this.refuse.field}: ${this.refuse.message}`),
          fields: [{ field: this.refuse.field, message: this.refuse.message }],
        });
      if (address === '/links/look') return this.link ? answer(200, this.link) : answer(404, this.problem('NOT_FOUND', 404, 'This link was used already; each is good once. Ask for a new one.'));
      if (address.startsWith('/links/')) return answer(201, session());
      if (address.endsWith('/people')) return answer(200, { people: this.people });
      if (address.endsWith('/invitations') && method === 'GET') return answer(200, { invitations: [] });
      if (address.endsWith('/invitations')) return answer(201, { id: 'i', role: body.role, madeBy: 'Ada Quill', token: 'secret-token-secret-token', expiresAt: '2026-11-29T12:00:00.000Z' });
      if (address === '/account/devices') return answer(200, { devices: [{ id: 'd', device: 'Android, Chrome', since: '2026-11-20T08:00:00.000Z', seen: new Date().toISOString(), thisOne: true }] });
      if (address.endsWith('/end')) {
        this.ends = method === 'POST' ? { at: '2026-12-12T10:00:00.000Z', by: 'Ada Quill' } : null;
        return answer(method === 'POST' ? 200 : 204, this.ends ?? undefined);
      }
      if (address.startsWith('/session') && method === 'GET')
        return answer(200, { ...session(), role: 'owner', productions: [{ id: PRODUCTION, name: 'The Salt Ferry', role: 'owner', demo: false, ...(this.ends ? { ends: this.ends } : {}) }] });
      if (address === '/account/second-step') {
        if (method === 'POST') return answer(201, { secret: 'ABCD-EFGH', address: 'otpauth://totp/Mesure:Ada?secret=ABCDEFGH' });
        if (method === 'PUT') this.secondStep = { since: '2026-11-27T10:00:00.000Z', recoveryLeft: 10 };
        return answer(200, method === 'PUT' ? { recovery: ['aaaa-bbbb-cccc-dddd', 'eeee-ffff-2222-3333'] } : this.secondStep);
      }
      if (address.endsWith('/recovery')) return answer(200, { recovery: ['5555-6666-7777-aaaa'] });
      if (address.endsWith('/second-step/off')) this.secondStep = { since: null, recoveryLeft: 0 };
      if (address === '/account/data') return answer(200, MY_DATA);
      if (address === '/network') return answer(200, { addresses: ['https://192.168.7.4:4180'], trustAddress: 'http://192.168.7.4:4181' });
      if (/\/(people|account)\//.test(address)) return answer(204, undefined);
      return day(input, init as never);
    };
  }
}

const MY_DATA = {
  madeAt: '2026-11-27T10:00:00.000Z',
  name: 'Ada Quill',
  preferences: [],
  secondStepSince: null,
  productions: [{ name: 'The Salt Ferry', role: 'owner' }],
  devices: [{ device: 'Android, Chrome', since: '2026-11-20T08:00:00.000Z', seen: '2026-11-27T10:00:00.000Z' }],
  entries: [{ production: 'The Salt Ferry', kind: 'take', record: 't1', version: 2, at: '2026-11-26T10:00:00.000Z' }],
};
const session = (): SessionInfo => ({
  userId: 'u9',
  name: 'Noor Vane',
  role: 'guest',
  production: { id: PRODUCTION, name: 'The Salt Ferry' },
  productions: [],
  epoch: 'epoch-1',
  csrfToken: 't',
});
const replaced: string[] = [];
function visit(element: React.ReactElement, server: CrewServer, token = 'secret-token-secret-token') {
  global.fetch = server.fetch as typeof fetch;
  replaced.length = 0;
  (globalThis as { location?: unknown }).location = { hash: `#${token}`, origin: 'http://127.0.0.1:4180', replace: (where: string) => replaced.push(where) };
  render(
    <SafeAreaProvider initialMetrics={{ frame: { x: 0, y: 0, width: 390, height: 844 }, insets: { top: 0, left: 0, right: 0, bottom: 0 } }}>
      <Theme>{element}</Theme>
    </SafeAreaProvider>,
  );
  return settle();
}
const type = (id: string, text: string) => fireEvent.changeText(screen.getByTestId(id), text);
const press = async (id: string) => {
  fireEvent.press(screen.getByTestId(id));
  await settle();
};
beforeEach(() => globalThis.localStorage.clear());

describe('a link', () => {
  test('the first person names the film and himself; what is wrong stands at its field, and the password is never on the device', async () => {
    const server = new CrewServer();
    server.link = { what: 'begin', production: null, role: null, name: null, madeBy: 'bin/serve', expiresAt: '' };
    await visit(<BeginScreen />, server);
    await press('begin');
    expect(screen.getAllByText(/is empty|not allowed to be empty/).length).toBeGreaterThan(0);
    type('production-name', 'Tin Harbour');
    type('person-name', 'Ada Quill');
    type('person-password', 'seven herons under ice');
    type('production-zone', 'Nowhere/Here');
    await press('begin');
    expect(seen(/is no time zone/)).toBe(true);
    expect(server.sent.filter((s) => s.address === '/links/begin')).toEqual([]);
    type('production-zone', 'Europe/Lisbon');
    fireEvent.press(screen.getByLabelText(/^running/));
    await settle();
    const kept =
      JSON.stringify({ ...globalThis.localStorage }) +
      Object.keys(globalThis.localStorage)
        .map((k) => globalThis.localStorage.getItem(k))
        .join();
    expect(kept).not.toContain('herons');
    await press('begin');
    expect(server.sent.find((s) => s.address === '/links/begin')!.body).toEqual({
      token: 'secret-token-secret-token',
      name: 'Ada Quill',
      password: 'seven herons under ice',
      production: { name: 'Tin Harbour', fps: 24, lengthUnit: 'm', timeZone: 'Europe/Lisbon', slating: 'running' },
    });
    expect(replaced).toEqual(['/kit']);
    expect(sessionStore.getState().session).toMatchObject({ name: 'Noor Vane' });
  });

  test('an invitation says from whom and as what; a name that is taken is said', async () => {
    const server = new CrewServer();
    server.link = { what: 'join', production: 'The Salt Ferry', role: 'solver', name: null, madeBy: 'Ada Quill', expiresAt: '' };
    await visit(<JoinScreen />, server);
    expect(seen(/Ada Quill invites you as a solver: attaches tracks/)).toBe(true);
    server.refuse = { end: '/links/join', field: 'name', message: 'is taken here' };
    type('person-name', 'Ivo Tam');
    type('person-password', 'a few words here');
    await press('join');
    expect(seen(/is taken here/)).toBe(true);
    expect(replaced).toEqual([]);
    server.refuse = null;
    await press('join');
    expect(replaced).toEqual(['/floor']);
  });

  test('one that is used, or not whole, says so and what to do', async () => {
    await visit(<JoinScreen />, new CrewServer());
    expect(seen(/used already; each is good once/)).toBe(true);
    screen.unmount();
    await visit(<BeginScreen />, new CrewServer(), '');
    expect(seen(/behind the #, is missing.*bin\/admin begin-link/)).toBe(true);
    screen.unmount();
    const server = new CrewServer();
    server.link = { what: 'join', production: 'x', role: 'guest', name: null, madeBy: 'x', expiresAt: '' };
    await visit(<NewPasswordScreen />, server);
    expect(seen(/for something else/)).toBe(true);
  });

  test('a new password is set for whom the link is', async () => {
    const server = new CrewServer();
    server.link = { what: 'password', production: null, role: null, name: 'Ivo Tam', madeBy: 'Ada Quill', expiresAt: '' };
    await visit(<NewPasswordScreen />, server);
    expect(seen(/For Ivo Tam/)).toBe(true);
    type('person-password', 'short');
    await press('set-password');
    expect(seen(/needs 10 characters/)).toBe(true);
    type('person-password', 'quarters of a mirror ball');
    await press('set-password');
    expect(server.sent.find((s) => s.address === '/links/password')!.body.password).toBe('quarters of a mirror ball');
  });
});

describe('who is here', () => {
  const sheet = <PeopleSheet open onClose={() => undefined} />;
  test('an owner sees everybody, gives another role, and shows an invitation once, at an address that phones find', async () => {
    const server = new CrewServer();
    (globalThis as { location?: unknown }).location = { origin: 'http://127.0.0.1:4180' };
    await open(sheet, server, 'owner');
    await settle();
    expect(screen.getByTestId('person-Ivo Tam')).toHaveTextContent(/solver · not signed in · ▲ 3 not sent yet/);
    expect(screen.getByTestId('person-Ada Quill')).not.toHaveTextContent(/not sent/);
    fireEvent.press(screen.getByLabelText(/^guest/));
    await press('invite');
    expect(seen(/until 2026-11-29 1\d:00 \S+\. It is shown only now/)).toBe(true);
    expect(screen.getByTestId('invitation-link')).toHaveTextContent('https://192.168.7.4:4180/join#secret-token-secret-token');
    expect(screen.getByLabelText('Code of the page that explains how to trust this machine')).toBeTruthy();
    expect(server.sent.at(-1)!.body).toEqual({ role: 'guest' });
    await press('person-Ivo Tam');
    expect(screen.getByTestId('person-waiting')).toHaveTextContent(/3 not sent yet from devices of this person/);
    fireEvent.press(screen.getByLabelText(/^wrangler/));
    await settle();
    expect(server.sent.at(-1)).toMatchObject({ method: 'PATCH', address: `/productions/${PRODUCTION}/people/u2`, body: { role: 'wrangler' } });
    await press('person-Ivo Tam');
    await press('remove-person');
    expect(seen(/no longer sees this production/)).toBe(true);
    await press('remove-for-sure');
    expect(server.sent.at(-1)).toMatchObject({ method: 'DELETE', address: `/productions/${PRODUCTION}/people/u2` });
  });
  test('a wrangler invites nobody, and everybody has his devices and his password', async () => {
    const server = new CrewServer();
    await open(sheet, server, 'wrangler');
    await settle();
    expect(screen.queryByTestId('invite')).toBeNull();
    await press('my-devices');
    expect(screen.getByTestId('devices')).toHaveTextContent(/this one/);
    await press('my-password');
    type('password-before', 'old one that I had');
    type('password-new', 'another few words here');
    await press('keep-password');
    expect(server.sent.at(-1)).toMatchObject({ method: 'PUT', address: '/account/password', body: { before: 'old one that I had', password: 'another few words here' } });
    expect(seen(/other devices were signed out/)).toBe(true);
  });
  test('without a network it says what is safe', async () => {
    const server = new CrewServer();
    await open(sheet, server, 'owner');
    screen.unmount();
    global.fetch = (async () => {
      throw new TypeError('cut');
    }) as typeof fetch;
    const cut = new FakeServer();
    cut.cut = true;
    await open(sheet, cut, 'owner');
    await settle();
    expect(seen('People are on the server')).toBe(true);
  });
  test('times are said as people say them', () => {
    const now = Date.parse('2026-11-27T12:00:00Z');
    expect([null, '2026-11-27T11:55:00Z', '2026-11-27T11:20:00Z', '2026-11-27T03:00:00Z', '2026-11-20T12:00:00Z'].map((t) => ago(t, now))).toEqual([
      'not signed in',
      'here now',
      '40 min ago',
      '9 h ago',
      '7 days ago',
    ]);
  });
});

test('what holds for a production is changed by who directs it, and checked by its field', async () => {
  const id = '00000000-0000-4000-8000-000000000028';
  const server = new FakeServer([...dayRecords(), record('production', id, { name: 'The Salt Ferry', fps: 24, lengthUnit: 'm', timeZone: 'UTC', slating: 'scene' })]);
  await open(<DaySheet open onClose={() => undefined} />, server, 'supervisor');
  await press('production-settings');
  type('production-name', '');
  await press('keep-production');
  expect(seen(/not allowed to be empty/)).toBe(true);
  type('production-name', 'Salt Ferry II');
  fireEvent.press(screen.getByLabelText('25'));
  await settle();
  await press('keep-production');
  expect(server.records.get(id)!.body).toMatchObject({ name: 'Salt Ferry II', fps: 25, slating: 'scene' });
  screen.unmount();
  await open(<DaySheet open onClose={() => undefined} />, server, 'wrangler');
  expect(screen.queryByTestId('production-settings')).toBeNull();
});

describe('what is kept of me', () => {
  const saved: { name: string; text: string }[] = [];
  beforeEach(() => {
    saved.length = 0;
    jest.spyOn(saving, 'saveFile').mockImplementation((name, bytes) => void saved.push({ name, text: String(bytes) }));
  });
  afterEach(() => jest.restoreAllMocks());

  test('is saved as a file, with how much it is', async () => {
    await open(<PeopleSheet open onClose={() => undefined} />, new CrewServer(), 'owner');
    await press('my-data');
    await press('save-my-data');
    expect(saved).toHaveLength(1);
    expect(JSON.parse(saved[0].text)).toEqual(MY_DATA);
    expect(screen.getByTestId('my-data-told')).toHaveTextContent('1 film, 1 device, 1 entry.');
  });

  test('who removes himself proves who he is; a refusal is said and he stays', async () => {
    const server = new CrewServer();
    server.refuse = { end: '/account/forget', field: 'before', message: 'is not right' };
    await open(<PeopleSheet open onClose={() => undefined} />, server, 'owner');
    await press('my-data');
    await press('remove-me');
    await press('remove-me-now');
    expect(server.sent.filter((s) => s.address === '/account/forget')).toEqual([]);
    type('remove-me-password', 'seven herons under ice');
    await press('remove-me-now');
    expect(seen(/is not right/)).toBe(true);
    expect(server.sent.filter((s) => s.address === '/account/forget')).toHaveLength(1);
    expect(Object.values({ ...globalThis.localStorage }).join()).not.toContain('herons');
    server.refuse = null;
    await press('remove-me-now');
    expect(server.sent.at(-2)).toMatchObject({ address: '/account/forget', body: { before: 'seven herons under ice' } });
    expect(sessionStore.getState().status).toBe('signed-out');
  });
});

test('nobody signs out, or goes to another film, of a page that has what the phone did not take', async () => {
  const server = new CrewServer();
  try {
    await open(<PeopleSheet open onClose={() => undefined} />, server, 'owner');
    await act(async () => troubleStore.setState({ trouble: { why: 'The phone has no room left.', unkept: 2 } }));
    await press('sign-out');
    expect(screen.queryByTestId('sign-out-now')).toBeNull();
    expect(seen(/2 of what you entered is in this page only/)).toBe(true);
    await act(async () => troubleStore.setState({ trouble: null }));
    expect(screen.getByTestId('sign-out-now')).toBeTruthy();
    screen.unmount();
    await open(<DaySheet open onClose={() => undefined} />, server, 'owner');
    await act(async () => troubleStore.setState({ trouble: { why: 'The phone has no room left.', unkept: 2 } }));
    await press('add-demo');
    expect(seen(/What is in this page only \(2\) would go with it/)).toBe(true);
    expect(server.sent.filter((s) => s.address === '/productions/demo')).toEqual([]);
  } finally {
    await act(async () => troubleStore.setState({ trouble: null }));
  }
});

describe('a code beside the password', () => {
  const onDevice = () => Object.values({ ...globalThis.localStorage }).join();

  test('is switched on by a code of the authenticator; recovery codes are shown once, renewed, and it is switched off by both', async () => {
    const server = new CrewServer();
    await open(<PeopleSheet open onClose={() => undefined} />, server, 'owner');
    await press('my-second-step');
    await press('second-step-begin');
    expect(server.sent.filter((s) => s.address.includes('second-step'))).toEqual([]);
    type('second-step-password', 'seven herons under ice');
    await press('second-step-begin');
    expect(screen.getByTestId('second-step-secret')).toHaveTextContent('ABCD-EFGH');
    expect(screen.getByLabelText('The secret for your authenticator')).toBeTruthy();
    server.refuse = { end: '/account/second-step', field: 'code', message: 'is that of 4 minutes ago' };
    type('second-code', '123456');
    await press('second-step-confirm');
    expect(seen(/is that of 4 minutes ago/)).toBe(true);
    server.refuse = null;
    await press('second-step-confirm');
    expect(screen.getByTestId('recovery-codes')).toHaveTextContent(/aaaa-bbbb-cccc-dddd/);
    await press('have-recovery');
    expect(screen.getByTestId('second-step-on')).toHaveTextContent(/^On since/);
    expect(screen.queryByTestId('recovery-codes')).toBeNull();
    await press('renew-recovery');
    await press('second-step-go');
    expect(server.sent.some((s) => s.address.endsWith('/recovery'))).toBe(false);
    type('second-step-password', 'seven herons under ice');
    type('second-code', '654321');
    await press('second-step-go');
    expect(server.sent.at(-1)).toMatchObject({ address: '/account/second-step/recovery', body: { before: 'seven herons under ice', code: '654321' } });
    expect(screen.getByTestId('recovery-codes')).toHaveTextContent('5555-6666-7777-aaaa');
    await press('have-recovery');
    await press('second-step-off');
    type('second-step-password', 'seven herons under ice');
    type('second-code', '111222');
    await press('second-step-go');
    expect(server.sent.at(-1)).toMatchObject({ address: '/account/second-step/off', body: { code: '111222' } });
    expect(seen(/^Off\. With it/)).toBe(true);
    for (const secret of ['herons', 'ABCD', '111222', 'aaaa-bbbb', '5555']) expect([secret, onDevice().includes(secret)]).toEqual([secret, false]);
  });

  test('is asked for at the door once the password was right, and goes with the next try', async () => {
    const server = new CrewServer();
    sessionStore.setState({ status: 'signed-out', session: null, error: null, codeAsked: false });
    await visit(<SignInScreen />, server);
    expect(screen.queryByTestId('sign-in-code')).toBeNull();
    type('sign-in-name', 'Ada Quill');
    type('sign-in-password', 'seven herons under ice');
    server.refuse = { end: '/session', field: 'code', message: 'is needed' };
    await press('sign-in');
    expect(server.sent.at(-1)!.body).toEqual({ name: 'Ada Quill', password: 'seven herons under ice' });
    expect(screen.getByRole('status')).toHaveTextContent('The password is right. Now the code.');
    expect(screen.queryByRole('alert')).toBeNull();
    server.refuse = { end: '/session', field: 'code', message: 'is not right' };
    type('sign-in-code', ' 123 456 ');
    await press('sign-in');
    expect(server.sent.at(-1)!.body).toEqual({ name: 'Ada Quill', password: 'seven herons under ice', code: '123 456' });
    expect(screen.getByRole('alert')).toHaveTextContent(/is not right/);
    // still asked for after a wrong one, with the name and the password as they were typed
    expect(screen.getByTestId('sign-in-code').props.value).toBe(' 123 456 ');
  });

  test('belongs to an invitation and to a new password of who has it', async () => {
    const server = new CrewServer();
    server.link = { what: 'password', production: null, role: null, name: 'Noor Vane', madeBy: 'Ada Quill', expiresAt: '' };
    server.refuse = { end: '/links/password', field: 'code', message: 'is needed' };
    await visit(<NewPasswordScreen />, server);
    expect(screen.queryByTestId('second-code')).toBeNull();
    type('person-password', 'nine larks over slate');
    await press('set-password');
    type('second-code', '123456');
    server.refuse = null;
    await press('set-password');
    expect(server.sent.at(-1)!.body).toMatchObject({ password: 'nine larks over slate', code: '123456' });
  });
});

test('a film is removed by its name, everybody in it is told when, and an owner keeps it', async () => {
  const server = new CrewServer();
  const page = (
    <Shell>
      <DaySheet open onClose={() => undefined} />
    </Shell>
  );
  await open(page, server, 'owner');
  expect(screen.queryByTestId('ending-line')).toBeNull();
  await press('end-production');
  type('end-name', 'the salt');
  await press('end-now');
  expect(seen(/type The Salt Ferry/)).toBe(true);
  expect(server.sent.filter((s) => s.address.endsWith('/end'))).toEqual([]);
  type('end-name', 'The Salt Ferry');
  await press('end-now');
  expect(server.sent.filter((s) => s.address.endsWith('/end'))).toMatchObject([{ method: 'POST', body: { name: 'The Salt Ferry' } }]);
  const { productions } = sessionStore.getState().session!;
  expect(productions[0].ends).toEqual(server.ends);
  screen.unmount();

  await reopen(page, server, 'wrangler', [], { productions: [{ ...productions[0], role: 'wrangler' }] });
  expect(screen.getByTestId('ending-line')).toHaveTextContent(/removed for good on 2026-12-12 .*as Ada Quill asked/);
  expect([screen.queryByTestId('end-production'), screen.queryByTestId('keep-film')]).toEqual([null, null]);
  screen.unmount();

  await reopen(page, server, 'owner', [], { productions });
  expect(screen.queryByTestId('end-production')).toBeNull();
  await press('keep-film');
  expect(server.sent.at(-1)).toMatchObject({ method: 'DELETE', address: expect.stringMatching(/\/end$/) });
  expect(sessionStore.getState().session!.productions[0].ends).toBeUndefined();
});
