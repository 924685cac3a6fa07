import { BODY_SCHEMAS, check } from './schemas';
import {
  dateIn,
  dayOfNow,
  dayOfToday,
  eveningDateIn,
  inOrderOfReference,
  KINDS,
  mountedNow,
  movedTakes,
  newSetup,
  nextDay,
  nextLetters,
  nextSlate,
  nextTake,
  RECORD_KINDS,
  reordered,
  sameSlate,
  type PlanBody,
  type RecordKind,
  type SetupBody,
  type TakeBody,
} from '.';
import { guessShotColumns, lensOf, moveOf, planShotList, readDate, type ShotListInput } from './shot-list';

const uuid = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const day = (n: number, date: string, unit: 'main' | 'second' = 'main') => ({ id: uuid(n), body: { name: `Day ${n}`, date, unit } });
const setup = (n: number, change: Partial<SetupBody> = {}) => ({
  id: uuid(n),
  body: { dayId: uuid(1), setId: uuid(50), name: `S${n}`, scene: '41', order: n, levelMarks: [], originMark: null, headingMarks: null, ...change } as SetupBody,
});
const take = (n: number, change: Partial<TakeBody> = {}) => ({
  id: uuid(100 + n),
  body: {
    setupId: uuid(10),
    slate: '41A',
    take: n,
    packageId: uuid(70),
    focalMm: 32,
    focusM: null,
    height: null,
    heightFrame: 1,
    circled: false,
    notes: '',
    tracks: null,
    loggedAt: `2026-11-26T09:0${n}:00.000Z`,
    carried: [],
    ...change,
  } as TakeBody,
});

describe('kinds', () => {
  test('each refers to kinds that there are, and says each of its fields in words', () => {
    for (const kind of RECORD_KINDS) {
      for (const target of Object.values(KINDS[kind].references).flatMap((t) => t.split('|'))) expect(RECORD_KINDS).toContain(target as RecordKind);
      const known = Object.keys(BODY_SCHEMAS[kind].describe().keys as object).sort();
      expect([kind, Object.keys(KINDS[kind].fields).sort()]).toEqual([kind, known]);
      const merged = [...(KINDS[kind].merge.sets ?? []), ...Object.keys(KINDS[kind].merge.lists ?? {})];
      for (const field of merged) expect(known).toContain(field);
      for (const field of Object.keys(KINDS[kind].references)) expect(known).toContain(field.split('[].')[0]);
      expect(KINDS[kind].leaves.length).toBeGreaterThan(3);
    }
  });
  test('what is referred to comes before what refers to it', () => {
    const order = inOrderOfReference(RECORD_KINDS.map((kind) => ({ kind }))).map((r) => r.kind);
    for (const kind of RECORD_KINDS)
      for (const target of Object.values(KINDS[kind].references).flatMap((t) => t.split('|') as RecordKind[]))
        expect([kind, target, order.indexOf(target) < order.indexOf(kind)]).toEqual([kind, target, true]);
  });
});

describe('days', () => {
  const days = [day(2, '2026-11-24'), day(1, '2026-11-23'), day(3, '2026-11-24', 'second')];
  test('today opens by itself, else the last before it, else the first to come', () => {
    expect(dayOfToday(days, '2026-11-24')!.id).toBe(uuid(2));
    expect(dayOfToday(days, '2026-11-30')!.id).toBe(uuid(3));
    expect(dayOfToday(days, '2026-11-01')!.id).toBe(uuid(1));
    expect(dayOfToday([], '2026-11-01')).toBeNull();
  });
  test('a night that nobody has closed goes on until six; a closed one, or none, leaves the morning to its own day', () => {
    const at = (time: string) => new Date(`2026-11-24T${time}:00Z`);
    const named = (of: typeof days, time: string, zone = 'UTC') => dayOfNow(of, zone, at(time))!.id;
    expect(['00:00', '03:30', '05:59', '06:00', '23:59'].map((t) => named(days, t))).toEqual([1, 1, 1, 2, 2].map(uuid));
    // nine hours ahead it is half past eight in the morning already
    expect([named(days, '23:30', 'Asia/Tokyo'), named(days, '15:30', 'Asia/Tokyo')]).toEqual([3, 2].map(uuid));
    const closed = days.map((d) => ({ ...d, body: { ...d.body, closed: { by: 'Odalys', at: '2026-11-23T21:00:00Z' } } }));
    expect(named(closed, '03:30')).toBe(uuid(2));
    expect(named(days.slice(0, 1), '03:30')).toBe(uuid(2));
    expect([eveningDateIn('UTC', at('05:59')), eveningDateIn('UTC', at('06:00'))]).toEqual(['2026-11-23', '2026-11-24']);
  });
  test('the next one is counted up by unit, and never on a date that its unit has', () => {
    expect(nextDay(days, '2026-11-24')).toEqual({ name: 'Day 3', date: '2026-11-25', unit: 'main', closed: null });
    expect(nextDay(days, '2026-12-04')).toMatchObject({ name: 'Day 3', date: '2026-12-04' });
    expect(nextDay(days, '2026-11-24', 'second')).toMatchObject({ name: '2nd unit day 4', date: '2026-11-25', unit: 'second' });
    expect(nextDay([], '2026-02-28')).toMatchObject({ name: 'Day 1', date: '2026-02-28' });
    expect(nextDay([day(1, '2028-02-28')], '2028-02-28')).toMatchObject({ date: '2028-02-29' });
    expect(check(BODY_SCHEMAS.day, nextDay(days, '2026-11-24')).problems).toBeNull();
  });
  test('the date of a set is that of its own midnight', () => {
    const late = new Date('2026-11-26T23:30:00Z');
    expect([dateIn('Europe/Helsinki', late), dateIn('America/Bogota', late), dateIn('UTC', late)]).toEqual(['2026-11-27', '2026-11-26', '2026-11-26']);
  });
});

describe('slates', () => {
  test('letters leave out I and O, and go on after Z', () => {
    expect(['', 'A', 'H', 'N', 'Z', 'AZ', 'ZZ'].map(nextLetters)).toEqual(['A', 'B', 'J', 'P', 'AA', 'BA', 'AAA']);
  });
  test('by scene: the scene, then its letters, whatever other scenes have', () => {
    expect(nextSlate('scene', '41', [])).toBe('41');
    expect(nextSlate('scene', '41', ['41'])).toBe('41A');
    expect(nextSlate('scene', '41', ['41', '41A', '41C', '42K', '411'])).toBe('41D');
    expect(nextSlate('scene', '41', ['41a', '41Z', '41AA'])).toBe('41AB');
    // scene 4 has nothing to do with scene 41
    expect(nextSlate('scene', '4', ['41', '41A'])).toBe('4');
    expect(nextSlate('scene', '12B', ['12B'])).toBe('12BA');
  });
  test('running: one more than the highest of the film', () => {
    expect(nextSlate('running', '41', ['112', '98', '41A'])).toBe('113');
    expect(nextSlate('running', '41', [])).toBe('1');
  });
  test('the same slate, take and camera twice is found; another camera is none', () => {
    const all = [take(1), take(2, { packageId: uuid(71), take: 1 })];
    expect(sameSlate(take(9, { take: 1, slate: ' 41a' }).body, null, all)!.id).toBe(all[0].id);
    expect(sameSlate(all[0].body, all[0].id, all)).toBeNull();
  });
});

describe('setups', () => {
  test('one that is opened is what the server takes, with a plan of its kind', () => {
    const order = { dayId: uuid(1), setId: uuid(50), scene: '41', slate: '41A', name: 'Galley, crane', kind: 'crane' as const, pack: { id: uuid(70), focalMm: 25 }, order: 3 };
    const made = newSetup(order, uuid(10), { name: 'Galley', marks: [] });
    expect(check(BODY_SCHEMAS.setup, made.setup).problems).toBeNull();
    expect(check(BODY_SCHEMAS.plan, made.plan!).problems).toBeNull();
    expect([made.plan!.move.kind, made.plan!.move.stations[0].focalMm, made.setup.slate]).toEqual(['crane', 25, '41A']);
    expect(newSetup({ ...order, pack: null }, uuid(10), { name: 'Galley', marks: [] }).plan).toBeNull();
  });
  test('its first take says its slate', () => {
    const s = setup(10, { slate: '41C' });
    expect(nextTake({ setup: s, takes: [], packages: [{ id: uuid(70), body: { camera: 'A', focalMm: 32 } }], floor: null, now: 'now' })).toMatchObject({ slate: '41C', take: 1 });
  });
  test('moved up and down only what changes is written, and the order stays gapless', () => {
    const all = [setup(1), setup(2), setup(3)];
    expect(reordered(all, uuid(3), 0)).toEqual([
      { id: uuid(3), order: 1 },
      { id: uuid(1), order: 2 },
      { id: uuid(2), order: 3 },
    ]);
    expect(reordered(all, uuid(1), 0)).toEqual([]);
    expect(reordered(all, uuid(2), 99)).toEqual([
      { id: uuid(3), order: 2 },
      { id: uuid(2), order: 3 },
    ]);
  });
  test('takes that move take the next free numbers there, in the order in which they were shot', () => {
    const to = setup(20, { slate: '42' });
    const all = [take(1), take(2), take(5, { setupId: uuid(20), slate: '42', take: 4 })];
    expect(movedTakes([all[1], all[0]], to, all, true).map((m) => [m.slate, m.take])).toEqual([
      ['42', 5],
      ['42', 6],
    ]);
    expect(movedTakes([all[0]], to, all, false)).toEqual([{ id: all[0].id, slate: '41A', take: 1 }]);
  });
});

describe('what is on a camera now', () => {
  const old = { id: uuid(70), body: { camera: 'A', focalMm: 32, until: '2026-11-26T10:00:00.000Z' } };
  const now = { id: uuid(71), body: { camera: 'A', focalMm: 50 } };
  const other = { id: uuid(72), body: { camera: 'B', focalMm: 25 } };
  test('the next take carries what went onto its camera since, at its own focal length', () => {
    expect(mountedNow([old, now, other], uuid(70))!.id).toBe(uuid(71));
    expect(mountedNow([old, other], uuid(70))!.id).toBe(uuid(70));
    expect(mountedNow([old, other], null)!.id).toBe(uuid(72));
    const next = nextTake({ setup: setup(10), takes: [take(1, { focalEndMm: 40 })], packages: [old, now, other], floor: null, now: 'now' })!;
    expect([next.packageId, next.focalMm, next.focalEndMm]).toEqual([uuid(71), 50, null]);
  });
});

describe('a shot list', () => {
  let n = 500;
  const input = (rows: string[][], change: Partial<ShotListInput> = {}): ShotListInput => ({
    rows: rows.slice(1),
    columns: guessShotColumns(rows[0]),
    days: [],
    sets: [],
    setups: [],
    packages: [{ id: uuid(70), body: { camera: 'A', bodyId: uuid(71), modeId: uuid(72), lensId: uuid(73), adapterId: null, focalMm: 32 } }],
    lensRange: () => ({ minFocalMm: 24, maxFocalMm: 70 }),
    slating: 'scene',
    today: '2026-11-27',
    dayId: null,
    newId: () => uuid((n += 1)),
    ...change,
  });
  const HEAD = ['Shoot day', 'Scene', 'Shot', 'Location', 'Action', 'Lens (mm)', 'Movement', 'whatever'];
  const LIST = [
    HEAD,
    ['1', '41', '41A', 'Galley', 'She turns.', '32', 'tracking', ''],
    ['1', '41', '41B', 'galley', 'Close.', '50mm', 'locked off', ''],
    ['2', '42', '', 'Jetty', 'Boat arrives.', '24-70', 'crane', ''],
  ];

  test('headers are guessed, each once, and what is not known stays out', () => {
    expect(guessShotColumns(HEAD)).toEqual(['day', 'scene', 'slate', 'set', 'description', 'lens', 'move', null]);
    expect(guessShotColumns(['Scene', 'Sc', 'Setup'])).toEqual(['scene', null, 'slate']);
  });

  test('makes days, sets, setups and plans that the server takes, each set once', () => {
    const { lines, orders } = planShotList(input(LIST));
    expect(lines.map((l) => [l.what, l.notes])).toEqual([
      ['new', []],
      ['new', []],
      ['new', []],
    ]);
    expect(orders.map((o) => o.kind)).toEqual(['day', 'set', 'setup', 'plan', 'setup', 'plan', 'day', 'set', 'setup', 'plan']);
    for (const o of orders) expect([o.kind, check(BODY_SCHEMAS[o.kind] as never, o.change).problems]).toEqual([o.kind, null]);
    const setups = orders.filter((o) => o.kind === 'setup').map((o) => o.change as SetupBody);
    expect(setups.map((s) => [s.scene, s.slate, s.description])).toEqual([
      ['41', '41A', 'She turns.'],
      ['41', '41B', 'Close.'],
      ['42', null, 'Boat arrives.'],
    ]);
    expect(new Set(setups.slice(0, 2).map((s) => s.setId)).size).toBe(1);
    expect(
      orders
        .filter((o) => o.kind === 'plan')
        .map((o) => (o.change as PlanBody).move)
        .map((m) => [m.kind, m.stations[0].focalMm]),
    ).toEqual([
      ['dolly', 32],
      ['still', 50],
      ['crane', 24],
    ]);
  });

  /** The records that a list left. */
  function afterwards(orders: ReturnType<typeof planShotList>['orders']) {
    const of = (kind: string) => orders.filter((o) => o.kind === kind).map((o) => ({ id: o.id, body: o.change as never }));
    return { days: of('day'), sets: of('set'), setups: of('setup') };
  }

  test('read again it changes nothing; a later one changes what differs, by slate or by scene and text', () => {
    const first = planShotList(input(LIST));
    const there = afterwards(first.orders);
    expect(planShotList(input(LIST, there)).lines.map((l) => l.what)).toEqual(['same', 'same', 'same']);
    expect(planShotList(input(LIST, there)).orders).toEqual([]);
    const later = [HEAD, ['1', '41', '41A', 'Galley', 'She turns away.', '', '', ''], ['3', '41', '41B', 'Jetty', 'Close.', '', '', '']];
    const { lines, orders } = planShotList(input(later, there));
    expect(lines.map((l) => (l.what === 'change' ? l.changes : l.what))).toEqual([
      [{ title: 'description', before: 'She turns.', after: 'She turns away.' }],
      [
        { title: 'dayId', before: 'Day 1', after: 'Day 3' },
        { title: 'setId', before: 'Galley', after: 'Jetty' },
      ],
    ]);
    expect(orders.map((o) => o.kind)).toEqual(['setup', 'day', 'setup']);
  });

  test('what cannot be read is said at its row, and nothing of it is taken', () => {
    const rows = [
      ['Scene', 'Slate', 'Day', 'Date', 'Lens', 'Move'],
      ['', '', '1', '', '', ''],
      ['41', '41A', '', '03/04/2026', '', ''],
      ['41', '41A', '', '2026-02-30', '', ''],
      ['41', '41B', '', '14.3.2026', 'long end', 'drone'],
      ['41', '41B', '', '', '', ''],
      ['41', '41C', '1', '2026-03-15', '200', 'pan'],
    ];
    const { lines, orders } = planShotList(input(rows));
    expect(lines.map((l) => (l.what === 'problem' ? l.why : l.notes))).toEqual([
      'it names neither scene nor slate',
      expect.stringMatching(/2026-04-03 or 2026-03-04/),
      'there is no date 2026-02-30',
      [expect.stringMatching(/“long end” is no focal length/), expect.stringMatching(/“drone” is none that is known/), expect.stringMatching(/no set is named/)],
      '41B stands in the list twice',
      // the day that the fourth row made is on another date
      expect.stringMatching(/Day 1 is on 2026-03-14 here/),
    ]);
    expect(orders.filter((o) => o.kind === 'plan')).toHaveLength(0);
  });

  test('dates, lenses and moves as crews write them', () => {
    expect(['2026-04-03', '3.4.2026', '13/4/2026', '4/13/2026', 'Fri 3 Apr 2026', '3 April 2026', '5/5/2026'].map(readDate)).toEqual([
      '2026-04-03',
      '2026-04-03',
      '2026-04-13',
      '2026-04-13',
      '2026-04-03',
      '2026-04-03',
      '2026-05-05',
    ]);
    expect(readDate('next week')).toHaveProperty('problem');
    expect(['32', '32mm', '24-70', '24 – 70 mm', '27,5'].map(lensOf)).toEqual([
      { fromMm: 32, toMm: 32 },
      { fromMm: 32, toMm: 32 },
      { fromMm: 24, toMm: 70 },
      { fromMm: 24, toMm: 70 },
      { fromMm: 27.5, toMm: 27.5 },
    ]);
    expect(['wide', '70-24', '0', '32/50'].map(lensOf)).toEqual([null, null, null, null]);
    expect(['Locked-off', 'HANDHELD', 'on a vehicle', 'track in', 'Tripod pan', 'drone', ''].map(moveOf)).toEqual(['still', 'handheld', 'vehicle', 'dolly', 'pan', null, null]);
  });
});
