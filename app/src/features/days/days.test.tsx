import type { RecordBodies, RecordKind, ServerState, StoredRecord } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { closedDayOf } from '../../data/closed-days';
import { CheckScreen } from '../check/check-screen';
import { FloorScreen } from '../floor/floor-screen';
import { TakeScreen } from '../floor/take/take-screen';
import { HiddenScreen } from '../hidden/hidden-screen';
import { PlanScreen } from '../plan/plan-screen';
import { Shell } from '../shell/shell';
import { dayRecords, FakeServer, ID, open, PRODUCTION, plannedBody, pushed, record, reopen, seen, settle, takeBody } from '../test-day';
import { marksCautions } from '../setups/setup-marks';
import { stateLines } from './server-part';
import { spaceWords } from './space-line';
import { forgetDays } from './use-day';

const DAY2 = '00000000-0000-4000-8000-000000000029';
const SETUP2 = '00000000-0000-4000-8000-000000000030';
const TAKE2 = '00000000-0000-4000-8000-000000000031';
const today = new Date().toISOString().slice(0, 10);
/** Day 12 of last week, and today's with a setup and a take of its own. */
const twoDays = () => [
  ...dayRecords(),
  record('production', '00000000-0000-4000-8000-000000000028', { name: 'The Salt Ferry', fps: 24, lengthUnit: 'm', timeZone: 'UTC', slating: 'scene' }),
  record('day', DAY2, { name: 'Day 13', date: today }),
  record('setup', SETUP2, { dayId: DAY2, setId: ID.set, name: 'Jetty crane', scene: '42', order: 1, levelMarks: [], originMark: null, headingMarks: null }),
  record('take', TAKE2, takeBody({ setupId: SETUP2, slate: '42', take: 1 })),
];
beforeEach(forgetDays);
const kept = <K extends RecordKind>(server: FakeServer, kind: K): StoredRecord<K>[] => [...server.records.values()].filter((r) => r.kind === kind && !r.deleted) as StoredRecord<K>[];
const press = async (id: string) => {
  fireEvent.press(screen.getByTestId(id));
  await settle();
};
const type = (id: string, text: string) => fireEvent.changeText(screen.getByTestId(id), text);

describe('the chosen day', () => {
  test('today opens by itself; another one is chosen with one tap and holds for every place', async () => {
    const server = new FakeServer(twoDays());
    await open(
      <Shell>
        <FloorScreen setupId={null} />
      </Shell>,
      server,
    );
    expect(seen('The Salt Ferry · Day 13')).toBe(true);
    expect(seen('Jetty crane')).toBe(true);
    expect(seen('Dolly past the stove')).toBe(false);
    await press('where');
    expect(screen.getByTestId('day-Day 12')).toHaveTextContent(/1 take/);
    await press('day-Day 12');
    expect(seen('Dolly past the stove')).toBe(true);
    expect(seen('Jetty crane')).toBe(false);
    screen.unmount();
    await reopen(<CheckScreen takeId={null} />, server);
    expect(screen.getByTestId('check-41A-1')).toBeTruthy();
    expect(screen.queryByTestId('check-42-1')).toBeNull();
  });

  describe('past midnight', () => {
    beforeEach(
      () =>
        void jest.useFakeTimers({
          now: new Date('2026-11-24T01:30:00Z'),
          doNotFake: [
            'setTimeout',
            'setInterval',
            'setImmediate',
            'clearTimeout',
            'clearInterval',
            'clearImmediate',
            'nextTick',
            'queueMicrotask',
            'performance',
            'requestAnimationFrame',
            'cancelAnimationFrame',
          ],
        }),
    );
    afterEach(() => void jest.useRealTimers());
    const night = () => new FakeServer(twoDays().map((r) => (r.id === DAY2 ? { ...r, body: { ...r.body, date: '2026-11-24' } } : r) as StoredRecord));
    const floor = (
      <Shell>
        <FloorScreen setupId={null} />
      </Shell>
    );
    test('the evening’s day goes on until six, and what was chosen holds', async () => {
      const server = night();
      await open(floor, server);
      expect(seen('The Salt Ferry · Day 12')).toBe(true);
      await press('where');
      await press('day-Day 13');
      screen.unmount();
      jest.setSystemTime(new Date('2026-11-24T05:00:00Z'));
      await reopen(floor, server);
      expect(seen('The Salt Ferry · Day 13')).toBe(true);
      screen.unmount();
      jest.setSystemTime(new Date('2026-11-24T06:00:00Z'));
      await open(floor, server);
      expect(seen('The Salt Ferry · Day 13')).toBe(true);
    });
    test('who closes it stays on it; for the others the morning’s day has begun', async () => {
      const server = night();
      await open(floor, server);
      await press('where');
      fireEvent.press(screen.getByLabelText('Change Day 12'));
      await settle();
      await press('close-day');
      expect(seen('The Salt Ferry · Day 12')).toBe(true);
      screen.unmount();
      forgetDays();
      await open(floor, server);
      expect(seen('The Salt Ferry · Day 13')).toBe(true);
    });
  });

  test('Plan may look at all days', async () => {
    await open(<PlanScreen setupId={null} />, new FakeServer(twoDays()));
    expect(seen('Dolly past the stove')).toBe(false);
    fireEvent.press(screen.getByLabelText('all days'));
    await settle();
    expect(seen('Dolly past the stove')).toBe(true);
    expect(seen('Jetty crane')).toBe(true);
  });

  test('the next day is begun in two taps, renamed, closed with name and time, and opened again', async () => {
    const server = new FakeServer(twoDays());
    await open(
      <Shell>
        <FloorScreen setupId={null} />
      </Shell>,
      server,
    );
    await press('where');
    await press('new-day');
    const made = kept(server, 'day').find((d) => d.body.name === 'Day 14')!;
    expect(made.body).toMatchObject({ unit: 'main', closed: null });
    expect(made.body.date > today).toBe(true);
    expect(seen('The Salt Ferry · Day 14')).toBe(true);
    await press('where');
    fireEvent.press(screen.getByLabelText('Change Day 14'));
    await settle();
    type('day-name', 'Day 14, pickups');
    type('day-date', '2026-13-40');
    await press('keep-day');
    type('day-date', '2027-01-09');
    await press('keep-day');
    expect(kept(server, 'day').find((d) => d.id === made.id)!.body).toMatchObject({ name: 'Day 14, pickups', date: '2027-01-09' });
    fireEvent.press(screen.getByLabelText('Change Day 14, pickups'));
    await settle();
    await press('close-day');
    expect(kept(server, 'day').find((d) => d.id === made.id)!.body.closed).toMatchObject({ by: 'wrangler', at: expect.stringMatching(/^\d{4}-/) });
    fireEvent.press(screen.getByLabelText('Change Day 14, pickups'));
    await settle();
    // only who directs hides a day
    expect(screen.queryByTestId('hide-day')).toBeNull();
    await press('close-day');
    expect(kept(server, 'day').find((d) => d.id === made.id)!.body.closed).toBeNull();
  });

  test('a change of a closed day is asked about once, and not made when the answer is no', async () => {
    const records = dayRecords().map((r) => (r.kind === 'day' ? record('day', ID.day, { ...(r.body as RecordBodies['day']), closed: { by: 'Odalys', at: '2026-11-23T18:40:00.000Z' } }) : r));
    const server = new FakeServer(records);
    await open(
      <Shell>
        <TakeScreen takeId={ID.take} />
      </Shell>,
      server,
    );
    const circle = async () => {
      fireEvent.press(screen.getByText(/^Circled?$/));
      await settle();
    };
    const circled = () => (server.records.get(ID.take)!.body as RecordBodies['take']).circled;
    await circle();
    expect(seen(/Odalys signed it as complete/)).toBe(true);
    await press('leave-closed');
    expect(circled()).toBe(false);
    await circle();
    await press('change-closed');
    expect(circled()).toBe(true);
    await circle();
    expect(seen(/signed it as complete/)).toBe(false);
    expect(circled()).toBe(false);
  });

  test('which closed day a change touches follows from what it names', () => {
    const all = Object.fromEntries(
      [...twoDays(), record('still', 's', { setupId: ID.setup } as never), record('sync', 'y', { takeId: ID.take } as never)].map((r) => [
        r.id,
        r.id === ID.day ? { ...r, body: { ...r.body, closed: { by: 'x', at: '' } } as never } : r,
      ]),
    );
    const day = (kind: RecordKind, id: string, change: unknown = {}) => closedDayOf([{ kind, id, change }], all)?.id ?? null;
    expect([day('take', ID.take), day('setup', ID.setup), day('still', 's'), day('sync', 'y')]).toEqual([ID.day, ID.day, ID.day, ID.day]);
    expect(day('take', 'new', { setupId: ID.setup })).toBe(ID.day);
    expect([day('take', TAKE2), day('set', ID.set), day('day', ID.day), day('package', ID.pack)]).toEqual([null, null, null, null]);
  });
});

describe('setups', () => {
  test('on an empty day one is opened with its scene and its set; everything else is proposed, and the day begins with it', async () => {
    const server = new FakeServer(dayRecords().filter((r) => ['body', 'lens', 'package'].includes(r.kind)));
    await open(<FloorScreen setupId={null} />, server);
    await press('step-setup');
    await press('open-new-setup');
    expect(seen(/belongs to a scene/)).toBe(true);
    expect(seen(/set needs a name/)).toBe(true);
    type('setup-scene', '41');
    type('setup-set-name', 'Galley');
    fireEvent.press(screen.getByLabelText('crane'));
    await settle();
    await press('open-new-setup');
    const [day] = kept(server, 'day');
    const [set] = kept(server, 'set');
    const [setup] = kept(server, 'setup');
    expect(day.body).toMatchObject({ name: 'Day 1', unit: 'main' });
    expect(setup.body).toMatchObject({ dayId: day.id, setId: set.id, scene: '41', slate: null, name: 'Galley, crane', order: 1 });
    expect(kept(server, 'plan')[0].body).toMatchObject({ setupId: setup.id, packageId: ID.pack, move: { kind: 'crane' } });
    expect(pushed()).toContain(`/floor/${setup.id}`);
    expect(server.memory.log.map((c) => c.after && (c as { id: string }).id)).toHaveLength(4);
  });

  test('what was half typed in it comes back', async () => {
    const server = new FakeServer(twoDays());
    await open(<FloorScreen setupId={null} />, server);
    await press('new-setup');
    type('setup-description', 'The boat leaves');
    await settle();
    screen.unmount();
    await reopen(<FloorScreen setupId={null} />, server);
    await press('new-setup');
    expect(screen.getByTestId('setup-description').props.value).toBe('The boat leaves');
    expect(seen(/still here/)).toBe(true);
  });

  test('a slate is counted up by scene, one that is there already is remarked', async () => {
    const server = new FakeServer(twoDays());
    await open(<FloorScreen setupId={null} />, server);
    await press('new-setup');
    expect(screen.getByTestId('setup-scene').props.value).toBe('42');
    expect(seen('Left empty: 42A')).toBe(true);
    type('setup-slate', '41a');
    await settle();
    expect(seen('41a is on another setup already')).toBe(true);
  });

  test('copied with its plan, moved to another day, hidden and brought back', async () => {
    const server = new FakeServer([
      ...twoDays(),
      record('plan', '00000000-0000-4000-8000-000000000040', plannedBody({ setupId: SETUP2, answered: [{ rule: 'r', reason: 'ok', by: 'x', at: today }] })),
    ]);
    await open(<FloorScreen setupId={SETUP2} />, server);
    const edit = async () => {
      fireEvent.press(screen.getByLabelText('Change Jetty crane'));
      await settle();
    };
    await edit();
    await press('copy-setup');
    const copy = kept(server, 'setup').find((s) => s.body.name === 'Jetty crane, again')!;
    expect(copy.body).toMatchObject({ slate: '42A', order: 2, dayId: DAY2 });
    expect(kept(server, 'plan').find((q) => q.body.setupId === copy.id)!.body).toMatchObject({ answered: [], move: { kind: 'dolly' } });
    await edit();
    await press('setup-later');
    expect([SETUP2, copy.id].map((id) => (server.records.get(id)!.body as RecordBodies['setup']).order)).toEqual([2, 1]);
    await press('setup-to-day');
    await press('to-Day 12');
    expect(server.records.get(SETUP2)!.body).toMatchObject({ dayId: ID.day, order: 2 });
    await edit();
    await press('hide-setup');
    expect(server.records.get(SETUP2)!.deleted).toBe(true);
    screen.unmount();
    await reopen(<HiddenScreen />, server);
    expect(screen.getByTestId('hidden-setup-Jetty crane')).toHaveTextContent(/by wrangler/);
    fireEvent.press(screen.getByLabelText('Bring back Jetty crane'));
    await settle();
    expect(server.records.get(SETUP2)!.deleted).toBe(false);
  });

  test('a take that another phone logged in a setup which was hidden is told on the board of its day, and comes back with it', async () => {
    const server = new FakeServer(twoDays().map((r) => (r.id === SETUP2 ? { ...r, deleted: true } : r)));
    await open(<FloorScreen setupId={null} />, server);
    expect(screen.getByTestId('stray-Jetty crane')).toHaveTextContent(/Jetty crane is hidden and has a take in it: 42 take 1\. It leaves with no handover/);
    await press('bring-back-Jetty crane');
    expect(server.records.get(SETUP2)!.deleted).toBe(false);
    expect(screen.queryByTestId('stray-Jetty crane')).toBeNull();
    expect(seen('Jetty crane')).toBe(true);
  });

  test('level, origin and heading are chosen on the drawing of the set', async () => {
    const mark = (id: string, x: number, z: number) => ({
      id,
      kind: 'cross' as const,
      diameterM: 0.05,
      at: [x, 0, z] as [number, number, number],
      normal: null,
      pieceId: null,
      ground: 'plain' as const,
      placed: true,
    });
    const records = twoDays().map((r) =>
      r.kind === 'set' ? record('set', ID.set, { name: 'Galley', marks: ['K1', 'K2', 'K3'], sheet: [mark('K1', 0, 0), mark('K2', 0.3, 0), mark('K3', 0, 0.2)] } as never) : r,
    );
    const server = new FakeServer(records);
    await open(<FloorScreen setupId={SETUP2} />, server);
    fireEvent.press(screen.getByLabelText('Change Jetty crane'));
    await settle();
    for (const id of ['K1', 'K2', 'K3']) await press(`mark-${id}`);
    expect(seen(/level marks are within 0\.36 m/)).toBe(true);
    fireEvent.press(screen.getByLabelText('origin'));
    await settle();
    await press('mark-K2');
    fireEvent.press(screen.getByLabelText('heading from'));
    await settle();
    await press('mark-K1');
    await press('mark-K3');
    expect(server.records.get(SETUP2)!.body).toMatchObject({ levelMarks: ['K1', 'K2', 'K3'], originMark: 'K2', headingMarks: ['K1', 'K3'] });
  });

  test('level marks near each other, in one line, and a short heading are said', () => {
    const at = (id: string, xM: number, zM: number) => ({ id, xM, zM });
    const of = (levelMarks: string[], headingMarks: [string, string] | null, ...marks: ReturnType<typeof at>[]) => marksCautions({ levelMarks, headingMarks }, marks);
    expect(of(['A', 'B', 'C'], ['A', 'B'], at('A', 0, 0), at('B', 3, 0), at('C', 0, 2))).toEqual([]);
    expect(of(['A', 'B', 'C'], null, at('A', 0, 0), at('B', 0.3, 0), at('C', 0, 0.2))).toEqual([expect.stringMatching(/within 0\.36 m/)]);
    expect(of(['A', 'B', 'C'], null, at('A', 0, 0), at('B', 3, 0), at('C', 1.5, 0.05))).toEqual([expect.stringMatching(/on one line/)]);
    expect(of(['A', 'B'], ['A', 'B'], at('A', 0, 0), at('B', 0.4, 0))).toEqual([expect.stringMatching(/three level marks/), expect.stringMatching(/0\.40 m apart/)]);
  });
});

describe('takes', () => {
  test('one that was logged in the wrong setup moves, with its new number seen first', async () => {
    const server = new FakeServer(twoDays());
    await open(<TakeScreen takeId={ID.take} />, server);
    await press('move-take');
    fireEvent.press(screen.getByLabelText('Day 13'));
    await settle();
    await press('to-setup-42');
    expect(screen.getByTestId('moved-41A-1')).toHaveTextContent('41A take 1 → 42 take 2');
    await press('move-takes');
    expect(server.records.get(ID.take)!.body).toMatchObject({ setupId: SETUP2, slate: '42', take: 2 });
  });

  test('the same slate and take twice is remarked where it is typed', async () => {
    const twin = record('take', '00000000-0000-4000-8000-000000000032', takeBody({ take: 2 }));
    await open(<TakeScreen takeId={twin.id} />, new FakeServer([...dayRecords(), twin]));
    expect(seen(/is on another take/)).toBe(false);
    type('field-take', '1');
    fireEvent(screen.getByTestId('field-take'), 'blur');
    await settle();
    expect(seen(/41A take 1 is on another take too/)).toBe(true);
  });

  test('a focal length that the lens does not have is kept when it is said again', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server);
    const say = async () => {
      type('field-focalMm', '85mm');
      fireEvent(screen.getByTestId('field-focalMm'), 'blur');
      await settle();
    };
    await say();
    expect(seen(/The lens on this camera is marked 32 mm/)).toBe(true);
    expect(server.records.get(ID.take)!.body).toMatchObject({ focalMm: 32 });
    await press('reading-85mm');
    expect(server.records.get(ID.take)!.body).toMatchObject({ focalMm: 85 });
  });

  test.each([
    ['focusM', '12', /12 can be read in 2 ways. Which is it/, 'reading-12 ft', { focusM: 3.6576 }],
    ['focusM', '450 m', /is usually/, 'reading-450 m', { focusM: 450 }],
    ['shutter', '50', /may be 50° or 1\/50 s/, 'reading-1/50', { shutter: { by: 'time', seconds: 0.02 } }],
  ] as const)('one line, %s: %s is asked about, nothing is kept meanwhile, and one tap says which', async (field, text, why, reading, kept) => {
    const feet = record('production', PRODUCTION, { name: 'The Salt Ferry', fps: 24, lengthUnit: 'ft-in', timeZone: 'UTC', slating: 'scene' });
    const server = new FakeServer([...dayRecords(), feet]);
    await open(<TakeScreen takeId={ID.take} />, server);
    const before = server.records.get(ID.take)!.body;
    type(`field-${field}`, text);
    fireEvent(screen.getByTestId(`field-${field}`), 'blur');
    await settle();
    expect(seen(why)).toBe(true);
    expect(server.records.get(ID.take)!.body).toEqual(before);
    await press(reading);
    expect(server.records.get(ID.take)!.body).toMatchObject(kept);
    expect(seen(why)).toBe(false);
  });

  test('a solver leaves a remark on a take; it stands until somebody answers', async () => {
    const server = new FakeServer();
    await open(<TakeScreen takeId={ID.take} />, server, 'solver');
    expect(screen.queryByTestId('hide-take')).toBeNull();
    type('remark-text', 'Height seems 4 cm low.');
    await press('leave-remark');
    const [remark] = kept(server, 'remark');
    expect(remark.body).toMatchObject({ about: 'take', aboutId: ID.take, text: 'Height seems 4 cm low.', answer: null });
    screen.unmount();
    await reopen(<FloorScreen setupId={null} />, server);
    expect(seen(/1 remark waits for an answer/)).toBe(true);
    screen.unmount();
    await reopen(<TakeScreen takeId={ID.take} />, server);
    type(`answer-${remark.id}`, 'Taken at the dolly head.');
    await press(`give-answer-${remark.id}`);
    expect(kept(server, 'remark')[0].body.answer).toMatchObject({ text: 'Taken at the dolly head.', by: 'wrangler' });
  });
});

test.each([
  [{ usedBytes: 3.2e9, begunBytes: 0, limitBytes: 2e11, freeBytes: 9e11 }, 'Files take 3.2 GB; 197 GB left of 200 GB.', false],
  [{ usedBytes: 1.5e6, begunBytes: 4e8, limitBytes: 2e11, freeBytes: 5e10 }, 'Files take 2 MB, 400 MB are on the way; 50 GB left on the server’s disk.', false],
  [{ usedBytes: 1.9e11, begunBytes: 0, limitBytes: 2e11, freeBytes: 9e11 }, 'Files take 190 GB; 10 GB left of 200 GB.', true],
  [{ usedBytes: 1e9, begunBytes: 0, limitBytes: 2e11, freeBytes: 0 }, 'Files take 1.0 GB; 0 MB left on the server’s disk.', true],
])('room for files is said in words: %j', (space, words, little) => {
  expect(spaceWords(space)).toEqual({ words, little });
});

describe('the state of the server', () => {
  const NOW = Date.parse('2026-11-28T10:00:00Z');
  const quiet: ServerState = {
    at: '2026-11-28T10:00:00.000Z',
    queue: { waiting: 0, running: 0, oldestWaitS: null, failedToday: 0 },
    disk: { filesBytes: 12_300_000_000, databaseBytes: 310_000_000, freeBytes: 120_000_000_000 },
    devices: 7,
    clock: { movedAt: null },
    lastBackupAt: '2026-11-27T21:10:00.000Z',
    faults: [],
  };
  const lines = (change: Partial<ServerState> = {}) => Object.fromEntries(stateLines({ ...quiet, ...change }, NOW, (at) => at.slice(0, 16)).map((l) => [l.what, `${l.ask ? '▲ ' : ''}${l.words}`]));

  test('is said in a few lines, and what somebody should look after is marked', () => {
    expect(lines()).toEqual({
      Computations: 'none waits',
      Disk: 'files take 12 GB, entries 310 MB; 120 GB free',
      'Last backup': '2026-11-27T21:10',
      Clock: 'agrees with this device',
      Devices: '7 within an hour',
      Faults: 'none',
    });
    expect(lines({ queue: { waiting: 2, running: 1, oldestWaitS: 300, failedToday: 1 } }).Computations).toBe('1 under way, 2 waiting, the oldest for 5 min; 1 failed within a day');
    expect(lines({ queue: { waiting: 1, running: 0, oldestWaitS: 2400, failedToday: 0 } }).Computations).toBe('▲ 0 under way, 1 waiting, the oldest for 40 min');
    expect(lines({ disk: { ...quiet.disk, freeBytes: 9e9 } }).Disk).toMatch(/^▲ .* 9\.0 GB free$/);
    expect(lines({ lastBackupAt: null })['Last backup']).toMatch(/^▲ none yet; bin\/admin backup/);
    expect(lines({ lastBackupAt: '2026-11-26T20:00:00.000Z' })['Last backup']).toBe('▲ 2026-11-26T20:00');
    expect(lines({ at: '2026-11-28T13:02:00.000Z' }).Clock).toBe('▲ 3 h 2 min ahead of this device');
    expect(lines({ at: '2026-11-25T09:59:00.000Z', lastBackupAt: null }).Clock).toBe('▲ 3 d 0 h behind this device');
    expect(lines({ clock: { movedAt: '2026-11-28T07:00:00.000Z' } }).Clock).toBe(
      'agrees with this device; it moved by days, or the server was off, seen 2026-11-28T07:00: films that end are kept a day longer',
    );
    expect(lines({ clock: { movedAt: '2026-11-26T07:00:00.000Z' } }).Clock).toBe('agrees with this device');
    const fault = { what: 'GET /x: Error', requestId: 'r' };
    expect(lines({ faults: [{ at: '2026-11-28T09:00:00.000Z', ...fault }] }).Faults).toBe('▲ one, the last 2026-11-28T09:00');
    expect(lines({ faults: [{ at: '2026-11-20T09:00:00.000Z', ...fault }] }).Faults).toBe('one, the last 2026-11-20T09:00');
  });

  test('an owner opens it and asks again; without a network it says so; a wrangler is not offered it', async () => {
    const server = new FakeServer(twoDays());
    const day = server.fetch;
    let asked = 0;
    server.fetch = (async (input: unknown, init: unknown) => {
      if (!String(input).endsWith('/server')) return day(input as string, init as never);
      asked += 1;
      if (server.cut) throw new TypeError('cut');
      return { ok: true, status: 200, text: async () => JSON.stringify({ ...quiet, devices: asked }), json: async () => quiet } as unknown as Response;
    }) as typeof day;
    const page = (
      <Shell>
        <FloorScreen setupId={null} />
      </Shell>
    );
    await open(page, server, 'owner');
    await press('where');
    await press('open-server');
    expect(screen.getByTestId('server-Devices')).toHaveTextContent(/1 within an hour/);
    await press('server-again');
    expect(screen.getByTestId('server-Devices')).toHaveTextContent(/2 within an hour/);
    server.cut = true;
    await press('server-again');
    expect(seen('The server cannot be asked')).toBe(true);
    screen.unmount();
    server.cut = false;
    await open(page, server, 'wrangler');
    await press('where');
    expect(screen.queryByTestId('open-server')).toBeNull();
  });
});
