import fc from 'fast-check';
import {
  bulkLines,
  changedFields,
  differing,
  isShown,
  lightLacks,
  mergeStates,
  nextTake,
  rigAt,
  runningSetup,
  setupLacks,
  TAKE_FIELDS,
  takeField,
  takeLacks,
  takesOf,
  type PlanBody,
  type RecordState,
  type SetBody,
  type StoredRecord,
  type TakeBody,
  type TakeWords,
} from '.';
import { BODY_SCHEMAS, check } from './schemas';

const uuid = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const words: TakeWords = {
  unit: 'm',
  packages: [
    { id: uuid(1), camera: 'A', focalMm: 32, fps: 24, offsetsM: { 'body base': 0.071 } },
    { id: uuid(2), camera: 'A2', focalMm: 32, fps: 24 },
    { id: uuid(3), camera: 'B', focalMm: 25, fps: 25 },
  ],
};
const body = (change: Partial<TakeBody> = {}): TakeBody => ({
  setupId: uuid(9),
  slate: '41A',
  take: 1,
  packageId: uuid(1),
  focalMm: 32,
  focusM: null,
  height: null,
  heightFrame: 1,
  circled: false,
  notes: '',
  tracks: null,
  loggedAt: '2026-11-23T09:00:00.000Z',
  carried: [],
  ...change,
});
let id = 100;
const take = (change: Partial<TakeBody> = {}): StoredRecord<'take'> => {
  id += 1;
  return { id: uuid(id), kind: 'take', version: 1, deleted: false, body: body(change), updatedAt: '', updatedBy: '' };
};

describe('fields of a take', () => {
  test('their keys are fields of the schema, each once; what is read is what the server takes', () => {
    expect(new Set(TAKE_FIELDS.map((f) => f.key)).size).toBe(TAKE_FIELDS.length);
    const samples: Record<string, string> = {
      scene: '41',
      slate: '42B',
      take: '7',
      camera: 'B',
      clip: 'A012C007',
      circled: 'yes',
      packageId: 'A2',
      focalMm: '35',
      focalEndMm: '70,5',
      zoomFrom: '12',
      zoomTo: '88',
      focusM: '10 ft 6 in',
      focusEndM: '2.5',
      stop: '2.8',
      iso: '800',
      shutter: '1/50',
      fps: '23.976',
      filter: 'ND 0.6',
      stabiliser: 'off',
      timecodeIn: '10:04:31:12',
      timecodeOut: '10043200',
      height: '4\' 7 1/4"',
      heightEnd: '1.9 m',
      tilt: '-3.5',
      roll: '0',
      distance: 'stove: 3.42 m',
      asPlanned: 'no',
      moveNote: 'stopped early',
      movers: 'curtain, cat',
      notes: 'bump',
    };
    for (const f of TAKE_FIELDS) {
      const changed = { ...body(), ...f.read(samples[f.key], body(), words) };
      expect([f.key, check(BODY_SCHEMAS.take, changed).problems]).toEqual([f.key, null]);
      // written and read again it is the same
      const again = { ...body(), ...f.read(f.text(changed, words), changed, words) };
      expect(f.text(again, words)).toBe(f.text(changed, words));
      expect(f.text(changed, words)).not.toBe('');
    }
  });
  test('an empty text takes a value back, except where a take is nothing without it', () => {
    const full = body({ focusM: 3, stop: 4, clip: 'x', movers: ['cat'], height: { typed: '1 m', unit: 'm', valueM: 1, toleranceM: 0.01, takenAt: 'lens axis', offsetM: 0 } });
    for (const key of ['focusM', 'stop', 'clip', 'height', 'shutter', 'asPlanned'] as const) expect(takeField(key)!.read(' ', full, words)).toEqual({ [key]: null });
    expect(takeField('movers')!.read('', full, words)).toEqual({ movers: [] });
    for (const key of ['slate', 'take', 'focalMm', 'packageId'] as const) expect(() => takeField(key)!.read('', full, words)).toThrow();
  });
  test('a height keeps where it was taken, its tolerance and its offset; the first one takes the package’s offset', () => {
    const first = takeField('height')!.read('1.4 m', body(), words).height!;
    expect(first).toMatchObject({ takenAt: 'lens axis', offsetM: 0, toleranceM: 0.01 });
    const low = body({ height: { ...first, takenAt: 'body base', offsetM: 0.071, toleranceM: 0.002 } });
    expect(takeField('height')!.read('55.25 in', low, words).height).toMatchObject({ takenAt: 'body base', offsetM: 0.071, toleranceM: 0.002, unit: 'in' });
    expect(takeField('heightEnd')!.read('2 m', low, words).heightEnd).toMatchObject({ takenAt: 'body base', offsetM: 0.071 });
  });
  test.each([
    ['packageId', 'C', /no package "C"; there are A, A2, B/],
    ['stabiliser', 'maybe', /off, on, unknown/],
    ['distance', '3.4 m', /what the distance is to/],
    ['timecodeIn', '10:00:00:24', /the last one is 23/],
    ['focalMm', 'wide', /from 1 to 3000/],
    ['take', '1.5', /whole number/],
    ['circled', 'perhaps', /yes or no/],
    ['movers', 'x'.repeat(61), /60 letters/],
    ['notes', 'x'.repeat(5001), /5000 letters/],
  ] as const)('%s refuses %s', (key, text, why) => {
    expect(() => takeField(key)!.read(text, body(), words)).toThrow(why);
  });
  test('any text is read or refused with one sentence, never anything else', () => {
    fc.assert(
      fc.property(fc.constantFrom(...TAKE_FIELDS), fc.oneof(fc.string({ maxLength: 30 }), fc.stringMatching(/^[-0-9.:;/' "]{0,14}$/)), (f, text) => {
        try {
          expect(check(BODY_SCHEMAS.take, { ...body(), ...f.read(text, body(), words) }).problems).toBeNull();
        } catch (e) {
          expect((e as { code?: string }).code).toMatch(/UNREADABLE_INPUT|AMBIGUOUS_INPUT/);
        }
      }),
      { seed: 11, numRuns: 4000 },
    );
  });
  test('what differs from the take before, without what differs by its nature', () => {
    const a = body({ focusM: 3, notes: 'x', clip: 'A1' });
    expect(differing(body({ focusM: 4, take: 2, clip: 'A2', notes: 'y', movers: [] }), a).map((f) => f.key)).toEqual(['focusM']);
    expect(isShown(takeField('slate')!, [])).toBe(true);
    expect(isShown(takeField('iso')!, [])).toBe(false);
  });
});

const setup = { id: uuid(9), body: { dayId: uuid(8), setId: uuid(7), name: 'Dolly', scene: '41', order: 1, levelMarks: [], originMark: null, headingMarks: null } };
const packages = words.packages.map((p) => ({ id: p.id, body: { camera: p.camera, focalMm: p.focalMm } }));
const floor = {
  shown: ['clip', 'stabiliser'],
  clips: [
    { camera: 'A', pattern: 'A012C###' },
    { camera: 'B', pattern: '{camera}-{slate}-##' },
  ],
};

describe('the next take', () => {
  const next = (takes: StoredRecord<'take'>[], change = {}) => nextTake({ setup, takes, packages, floor: null, now: 'now', ...change })!;
  test('counts on from the highest of its slate; what rarely changes is carried and marked, what belongs to one take is not', () => {
    const last = take({
      take: 7,
      focusM: 2,
      stop: 2.8,
      circled: true,
      notes: 'bump',
      tracks: { sha256: 'a'.repeat(64), name: 't' },
      timecodeIn: '10:00:00:00',
      movers: ['cat'],
      loggedAt: '2026-11-23T10:00:00.000Z',
    });
    expect(next([last, take({ take: 3 })])).toEqual({ ...body({ take: 8, focusM: 2, stop: 2.8, movers: ['cat'], loggedAt: 'now', carried: ['packageId', 'focalMm', 'focusM', 'stop', 'movers'] }) });
  });
  test('the first one takes its camera from the kit; without one there is none', () => {
    expect(next([take({ setupId: uuid(5), take: 40 })])).toMatchObject({ slate: '41', take: 1, packageId: uuid(1), focalMm: 32, height: null, carried: ['packageId', 'focalMm'] });
    expect(nextTake({ setup, takes: [], packages: [], floor: null, now: 'now' })).toBeNull();
  });
  test('clips count up by camera, across setups, the witness cameras’ too', () => {
    const takes = [
      take({ clip: 'A012C004', setupId: uuid(5) }),
      take({ take: 2, clip: 'A012C005', witnesses: [{ packageId: uuid(3), clip: 'B-41A-02', focusM: null, stabiliser: 'off' }], loggedAt: '2026-11-23T11:00:00.000Z' }),
    ];
    expect(next(takes, { floor })).toMatchObject({ clip: 'A012C006', witnesses: [{ packageId: uuid(3), clip: 'B-41A-03' }], carried: expect.arrayContaining(['clip']) });
    // a package that was changed is the same camera
    expect(next([take({ packageId: uuid(2), clip: 'A012C009' })], { floor }).clip).toBe('A012C010');
  });
});

describe('what is missing', () => {
  const station = { timeS: 0, xM: 0, zM: 0, heightM: 1.2, headingRad: 0, tiltRad: 0, rollRad: 0, focalMm: 32, focusM: 3 };
  const plan = (change: object = {}): PlanBody =>
    ({
      setupId: setup.id,
      packageId: uuid(1),
      move: { kind: 'crane', stations: [station, { ...station, timeS: 4, heightM: 2.4 }] },
      measures: {
        level: [],
        levelSigmaM: 0.005,
        ties: [
          { a: 'K1', b: 'K2', sigmaM: 0.003 },
          { a: 'K3', b: 'K1', sigmaM: 0.003 },
        ],
        heights: [],
        surveyed: [{ id: 'K7', sigmaM: 0.01 }],
      },
      sync: 'timecode and clap',
      witnesses: [{ packageId: uuid(3), stabiliser: 'off' }],
      stills: { stations: [1, 2, 3], taken: [0] },
      ...change,
    }) as unknown as PlanBody;
  test('of a take: by its plan and its production', () => {
    expect(takeLacks(body()).map((l) => l.what)).toEqual(['camera height', 'focus distance']);
    expect(takeLacks(body({ focusM: 2 }), plan(), floor).map((l) => l.field)).toEqual(['height', 'heightEnd', 'timecodeIn', 'clip', 'stabiliser', 'witnesses']);
    expect(takeLacks(body({ focusM: 2, focalEndMm: 70 })).map((l) => l.field)).toEqual(['height', 'zoomFrom', 'zoomTo']);
    expect(takeLacks(body({ focusM: 2, focalEndMm: 70, focalByFrame: [{ frame: 0, mm: 32 }] })).map((l) => l.field)).toEqual(['height']);
  });
  test('of a setup: a list that shrinks as things are done', () => {
    const set = {
      name: 'Galley',
      marks: [],
      sheet: [
        { id: 'K1', placed: true },
        { id: 'K2', placed: false },
      ],
    } as unknown as SetBody;
    const length = { typed: '1 m', unit: 'm' as const, valueM: 1, toleranceM: 0.01 };
    const tie = (from: string, to: string) => ({ setId: setup.body.setId, from, to, length, instrument: 'tape', measuredAt: '' });
    const input = { setup, set, plan: plan(), takes: [] as StoredRecord<'take'>[], ties: [tie('K2', 'K1')], facts: [], rigs: [], floor: null, cameraName: () => 'B' };
    expect(setupLacks(input).map((l) => l.what)).toEqual(['place 1 marker: K2', 'measure 1 tie: K3–K1', 'survey 1 mark: K7', 'say where B-cam stands', '2 stills of the walk', 'no take yet']);
    expect(setupLacks({ ...input, cautions: ['Nothing gives a scale.', 'It smears.'] }).find((l) => l.kind === 'cautions')!.what).toBe('2 cautions of the plan: Nothing gives a scale.');
    const done = setupLacks({
      ...input,
      set: { ...set, sheet: [] },
      plan: plan({ witnesses: [], stills: null, sync: 'clap' }),
      ties: [tie('K2', 'K1'), tie('K1', 'K3'), tie('K7', 'K1'), tie('K7', 'K2'), tie('K3', 'K7')],
      takes: [take({ focusM: 1 })],
    });
    expect(done).toMatchObject([{ kind: 'fields', what: '41A take 1: camera height, camera height at the end' }]);
    const many = setupLacks({ ...input, takes: [1, 2, 3, 4, 5].map((n) => take({ take: n, loggedAt: `2026-11-23T0${n}:00:00.000Z` })) }).filter((l) => l.kind === 'fields');
    expect(many.map((l) => l.what.slice(0, 12))).toEqual(['41A take 5: ', '41A take 4: ', '41A take 3: ', 'fields of 2 ']);
  });
  test('a planned light reference: both balls, and a panorama at each place', () => {
    const shot = (what: 'panorama' | 'grey ball' | 'mirror ball', place: number | null) => ({ setupId: setup.id, what, place, shotAt: '', sun: null, note: '' });
    const wanted = plan({
      lightPlanned: true,
      panoramas: [
        { xM: 0, zM: 0, heightM: 1 },
        { xM: 1, zM: 0, heightM: 1 },
      ],
    });
    expect(lightLacks(wanted, [])).toEqual(['grey ball', 'mirror ball', 'panorama 1', 'panorama 2']);
    expect(lightLacks(wanted, [shot('grey ball', null), shot('panorama', 1)])).toEqual(['mirror ball', 'panorama 1']);
    expect(lightLacks(plan({ lightPlanned: true }), [shot('grey ball', null), shot('mirror ball', null)])).toEqual(['panorama']);
  });
  test('the running setup is that of the last take, the first of the day before any', () => {
    const other = { ...setup, id: uuid(6), body: { ...setup.body, order: 0 } };
    expect(runningSetup([setup, other], [])!.id).toBe(other.id);
    expect(runningSetup([setup, other], [take(), take({ setupId: uuid(4), loggedAt: '2027-01-01T00:00:00.000Z' })])!.id).toBe(setup.id);
    expect(runningSetup([], [])).toBeNull();
    expect(takesOf(setup.id, [take({ take: 2, loggedAt: 'b' }), take({ take: 1, loggedAt: 'c' }), take({ setupId: uuid(4) })]).map((t) => t.body.take)).toEqual([2, 1]);
  });
  test('a rig state holds from its moment on', () => {
    const rig = (since: string) => ({
      body: { setupId: setup.id, packageId: uuid(3), since, placement: { way: 'rigid' as const, rightM: 0, upM: 0, forwardM: 0, turnRad: 0, tiltRad: 0 }, toleranceM: 0.005, why: '' },
    });
    const rigs = [rig('2026-11-23T08:00:00.000Z'), rig('2026-11-23T12:00:00.000Z')];
    expect([7, 9, 12].map((h) => rigAt(rigs, setup.id, uuid(3), `2026-11-23T${String(h).padStart(2, '0')}:00:00.000Z`)?.body.since.slice(11, 13))).toEqual([undefined, '08', '12']);
    expect(rigAt(rigs, setup.id, uuid(1), '2027-01-01T00:00:00.000Z')).toBeNull();
  });
});

describe('many takes at once', () => {
  test('from a moment on, of one camera, without those that have it; what cannot be read is refused', () => {
    const takes = [take({ loggedAt: '2026-11-23T08:00:00.000Z' }), take({ take: 2, carried: ['packageId'] }), take({ take: 3, packageId: uuid(3) }), take({ take: 4, packageId: uuid(2) })];
    const lines = bulkLines({ field: 'packageId', text: 'A2', since: '2026-11-23T09:00:00.000Z', camera: 'A', setupId: null }, takes, words);
    expect(lines.map((l) => [l.take.body.take, l.before, l.after, l.body.carried])).toEqual([[2, 'A', 'A2', []]]);
    expect(bulkLines({ field: 'stop', text: '4', since: '', camera: null, setupId: uuid(9) }, takes, words)).toHaveLength(4);
    expect(bulkLines({ field: 'stop', text: '4', since: '', camera: null, setupId: uuid(4) }, takes, words)).toEqual([]);
    expect(() => bulkLines({ field: 'stop', text: 'open', since: '', camera: null, setupId: null }, takes, words)).toThrow(/stop/);
  });
});

describe('merging', () => {
  const state = (change: Partial<TakeBody> = {}, deleted = false): RecordState<'take'> => ({ deleted, body: body(change) });
  test('a reading is one value: a typed height and its new unit are never mixed', () => {
    const reading = { typed: '1.4 m', unit: 'm' as const, valueM: 1.4, toleranceM: 0.01, takenAt: 'lens axis' as const, offsetM: 0 };
    const base = state({ height: reading });
    const mine = state({ height: { ...reading, toleranceM: 0.002 } });
    const theirs = state({ height: { ...reading, typed: '1.5 m', valueM: 1.5 } });
    expect(mergeStates('take', base, mine, theirs)).toEqual({ state: mine, clashes: ['height'] });
  });
  test('witness clips are merged camera by camera, carried marks as a set', () => {
    const clip = (packageId: string, name: string) => ({ packageId, clip: name, focusM: null, stabiliser: 'off' as const });
    const base = state({ witnesses: [clip(uuid(3), '')], carried: ['stop', 'iso'] });
    const merged = mergeStates('take', base, state({ witnesses: [clip(uuid(3), 'B1')], carried: ['iso'] }), state({ witnesses: [clip(uuid(3), ''), clip(uuid(2), 'A1')], carried: ['stop'] }));
    expect(merged.clashes).toEqual([]);
    expect(merged.state.body).toMatchObject({ carried: [], witnesses: [{ clip: 'B1' }, { clip: 'A1' }] });
    expect(mergeStates('take', base, state({ witnesses: [clip(uuid(3), 'B1')] }), state({ witnesses: [clip(uuid(3), 'B2')] })).clashes).toEqual(['witnesses']);
    // one takes a clip out that the other filled in
    expect(mergeStates('take', base, state({ witnesses: [] }), state({ witnesses: [clip(uuid(3), 'B2')] })).clashes).toEqual(['witnesses']);
  });
  test('laws: nobody else changed, mine holds; both the same, it holds; without a clash the order does not matter', () => {
    const change = fc.record(
      {
        focusM: fc.option(fc.integer({ min: 1, max: 3 })),
        stop: fc.option(fc.constantFrom(2, 4)),
        notes: fc.constantFrom('', 'a', 'b'),
        movers: fc.uniqueArray(fc.constantFrom('cat', 'dog', 'sea')),
        clip: fc.constantFrom('A1', 'A2'),
      },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(change, change, change, (b, m, t) => {
        const [base, mine, theirs] = [state(b), state(m), state(t)];
        expect(mergeStates('take', base, mine, base)).toEqual({ state: mine, clashes: [] });
        expect(mergeStates('take', base, mine, mine)).toEqual({ state: mine, clashes: [] });
        const one = mergeStates('take', base, mine, theirs);
        const other = mergeStates('take', base, theirs, mine);
        expect([...one.clashes].sort()).toEqual([...other.clashes].sort());
        if (one.clashes.length === 0) expect(changedFields(one.state, other.state).filter((f) => f !== 'movers')).toEqual([]);
        // nothing that only one changed is lost
        for (const key of ['focusM', 'stop', 'notes', 'clip'] as const) {
          if (JSON.stringify(base.body[key]) === JSON.stringify(theirs.body[key])) expect(one.state.body[key]).toEqual(mine.body[key]);
          if (JSON.stringify(base.body[key]) === JSON.stringify(mine.body[key])) expect(one.state.body[key]).toEqual(theirs.body[key]);
        }
      }),
      { seed: 3, numRuns: 2000 },
    );
  });
});
