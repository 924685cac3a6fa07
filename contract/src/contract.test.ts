import type { GridReport, RecceSet } from '@mesure/core';
import {
  bookPlates,
  followPlan,
  measuredChart,
  mergeStates,
  type RecordBodies,
  mountPackage,
  opticsOf,
  pupilHeightM,
  netInputOf,
  newPlan,
  otherLenses,
  planFromRecce,
  usualPlacement,
  recceInputOf,
  recordedSetup,
  sunTravelOf,
  usualMove,
  usualPiece,
  type MountedPackage,
  type SetupBody,
  type StoredRecord,
  type TakeBody,
} from '.';
import { BODY_SCHEMAS, check } from './schemas';

const id = (n: number) => `00000000-0000-4000-a000-${String(n).padStart(12, '0')}`;
const mode = { id: id(2), name: '4K', widthPx: 4096, heightPx: 2160, sensorWidthMm: 24, sensorHeightMm: 12.66, fps: 24 };
const take: TakeBody = {
  setupId: id(9),
  slate: '41A',
  take: 2,
  packageId: id(5),
  focalMm: 32,
  focusM: 3,
  height: { typed: '1.34 m', unit: 'm', valueM: 1.34, toleranceM: 0.01, takenAt: 'body base', offsetM: 0.06 },
  heightFrame: 1,
  circled: false,
  notes: '',
  tracks: null,
  loggedAt: '2026-01-01T00:00:00.000Z',
  carried: [],
};
const mounted: MountedPackage = {
  pack: { camera: 'A', bodyId: id(1), modeId: id(2), lensId: id(3), adapterId: id(4), focalMm: 32 },
  body: { name: 'b', modes: [mode] },
  mode,
  lens: { name: 'l', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' },
  adapter: { name: 'r', factor: 0.71 },
};
const setup: SetupBody = { dayId: id(7), setId: id(8), name: 's', scene: '41', order: 1, levelMarks: ['K1', 'K2', 'K3'], originMark: 'K1', headingMarks: ['K1', 'K2'] };
const report = (k: [number, number, number], focalMm: number) =>
  ({ status: 'usable', distortion: { model: 'radial', k, p: [0.001, 0], center: [2050, 1079], aspect: 1, focalMm, sigma: { k: [] }, terms: [] } }) as unknown as GridReport;

describe('schemas', () => {
  test('a good take passes; each fault is named at its field', () => {
    expect(check(BODY_SCHEMAS.take, take).problems).toBeNull();
    const bad = check(BODY_SCHEMAS.take, { ...take, take: 0, height: { ...take.height!, takenAt: 'hat', toleranceM: 0 }, extra: 1 });
    expect(bad.problems!.map((p) => p.field).sort()).toEqual(['extra', 'height.takenAt', 'height.toleranceM', 'take']);
  });
  test('a pitch that no sensor has is refused', () => {
    expect(check(BODY_SCHEMAS.body, { name: 'b', modes: [mode] }).problems).toBeNull();
    expect(check(BODY_SCHEMAS.body, { name: 'b', modes: [{ ...mode, sensorWidthMm: 120 }] }).problems![0].message).toMatch(/29\.30 µm/);
  });
  test('a tie needs two marks, a zoom its range in order', () => {
    const tie = { setId: id(1), from: 'K1', to: 'K1', length: { typed: '1 m', unit: 'm', valueM: 1, toleranceM: 0.005 }, instrument: 'tape', measuredAt: take.loggedAt };
    expect(check(BODY_SCHEMAS.tie, tie).problems).toEqual([{ field: 'to', message: 'a tie needs two different marks' }]);
    expect(check(BODY_SCHEMAS.lens, { name: 'z', kind: 'zoom', minFocalMm: 80, maxFocalMm: 28, squeeze: 1, serial: '' }).problems![0].field).toBe('maxFocalMm');
  });
});

describe('recorded setup', () => {
  test('the offset is applied and a tolerance counts as two sigma', () => {
    expect(pupilHeightM(take)).toBeCloseTo(1.4, 12);
    const s = recordedSetup({
      mounted,
      take,
      setup,
      ties: [{ setId: id(8), from: 'K1', to: 'K2', length: { typed: '2 m', unit: 'm', valueM: 2, toleranceM: 0.006 }, instrument: 'tape', measuredAt: '' }],
      plates: [],
      focalMode: 'free',
    });
    expect(s.anchors!.cameraHeights![0]).toMatchObject({ frame: 1, sigmaM: 0.005 });
    expect(s.anchors!.cameraHeights![0].m).toBeCloseTo(1.4, 12);
    expect(s.anchors!.lengths![0]).toEqual({ a: 'K1', b: 'K2', m: 2, sigmaM: 0.003 });
    expect(s.distortion).toEqual({ mode: 'none' });
    expect(s.adapterFactor).toBe(0.71);
  });
  test('a plate measured under another recorded focal length keeps its map of the picture', () => {
    // displacement in px of a place r px from the centre: k1 (r/f)² r; the same for (k1, f) and (k1', f')
    const s = recordedSetup({ mounted, take, setup, ties: [], plates: [{ plate: { focalMm: 32 } as never, report: report([-0.09, 0.02, 0], 32) }], focalMode: 'free' });
    const f = 32 * 0.71;
    expect(s.distortion!.k![0] / f ** 2).toBeCloseTo(-0.09 / 32 ** 2, 14);
    expect(s.distortion!.k![1] / f ** 4).toBeCloseTo(0.02 / 32 ** 4, 14);
    expect(s.distortion!.center).toEqual([2050, 1079]);
  });
  test('principal point and squeeze are found where they are asked for, from where a plate has them; the centre of a zoom is not', () => {
    const plates = (center?: number[]) => [
      {
        plate: { focalMm: 32 } as never,
        report: { ...report([-0.09, 0.02, 0], 32), distortion: { ...report([-0.09, 0.02, 0], 32).distortion!, sigma: { k: [], ...(center ? { center } : {}) } } } as GridReport,
      },
    ];
    const asked = (change: object) => recordedSetup({ mounted, take, setup, ties: [], plates: [], focalMode: 'free', ticks: { findCentre: true, findSqueeze: true }, ...change });
    expect(asked({})).toMatchObject({ principalPoint: { mode: 'free' }, squeezeFit: { mode: 'free' } });
    expect(asked({ plates: plates([0.4, 0.6]) }).principalPoint).toEqual({ mode: 'guided', sigmaPx: 3 });
    expect(asked({ plates: plates([5, 0.6]) }).principalPoint).toEqual({ mode: 'guided', sigmaPx: 5 });
    expect(asked({ plates: plates() }).principalPoint).toEqual({ mode: 'free' });
    expect(asked({ take: { ...take, focalEndMm: 60 } }).principalPoint).toBeUndefined();
    expect(asked({ ticks: {} })).not.toHaveProperty('squeezeFit');
  });
  test('between two plates the lens book speaks, at one the plate, beyond both the nearest one', () => {
    const at = (focalMm: number, k1: number) => ({ id: String(focalMm), plate: { lensId: mounted.pack.lensId, focalMm, focusM: null } as never, report: report([k1, 0, 0], focalMm * 0.71), mounted });
    const plates = [at(24, -0.2), at(50, -0.05)];
    const book = bookPlates(plates, mounted);
    expect(book).toHaveLength(2);
    const k1At = (focalMm: number) => recordedSetup({ mounted, take: { ...take, focalMm }, setup, ties: [], plates, book, focalMode: 'free' }).distortion!.k![0];
    // the map in the picture, k1 over the focal length squared, lies between those of the plates
    const map = (k1: number, focalMm: number) => k1 / (focalMm * 0.71) ** 2;
    expect(map(k1At(32), 32)).toBeGreaterThan(map(-0.2, 24));
    expect(map(k1At(32), 32)).toBeLessThan(map(-0.05, 50));
    expect(k1At(24)).toBeCloseTo(-0.2, 9);
    expect(map(k1At(85), 85)).toBeCloseTo(map(-0.05, 50), 12);
    // plates behind another adapter belong to another book
    expect(bookPlates([{ ...plates[0], mounted: { ...mounted, adapter: null } }], mounted)).toEqual([]);
  });
  test('without a plate, marked edges stand in where they show a lens; else none', () => {
    const f = (32 * 0.71 * 4096) / 24;
    const line = (edge: number, x0: number, y0: number, x1: number, y1: number) =>
      Array.from({ length: 7 }, (_, i) => {
        const [x, y] = [(x0 + ((x1 - x0) * i) / 6 - 2048) / f, (y0 + ((y1 - y0) * i) / 6 - 1080) / f];
        const s = 1 - 0.1 * (x * x + y * y);
        return { edge, x: 2048 + f * x * s, y: 1080 + f * y * s };
      });
    const edges = {
      lensId: mounted.pack.lensId,
      packageId: id(1),
      picture: { sha256: '', name: '' },
      widthPx: mounted.mode.widthPx,
      heightPx: mounted.mode.heightPx,
      focalMm: 32,
      focusM: null,
      model: 'radial' as const,
      marks: [...line(1, 60, 60, 4030, 80), ...line(2, 70, 2100, 4020, 2080), ...line(3, 90, 50, 120, 2110)],
      lineUp: null,
      shotAt: take.loggedAt,
    };
    const s = (marks: typeof edges.marks) => recordedSetup({ mounted, take, setup, ties: [], plates: [], edges: [{ ...edges, marks }], focalMode: 'free' });
    // they guide the solve by how well a hand told them, and do not hold it
    const told = s(edges.marks).distortion!;
    expect(told).toMatchObject({ mode: 'guided', model: 'radial' });
    expect(told.sigmaK!.length).toBeGreaterThan(0);
    expect(told.sigmaK!.every((v) => v > 0 && v < 0.05)).toBe(true);
    expect(s(edges.marks).distortion!.k![0]).toBeCloseTo(-0.1, 2);
    expect(s(edges.marks.slice(0, 5)).distortion).toEqual({ mode: 'none' });
  });
  test('a chart is measured from the entrance pupil, as surely as that is known', () => {
    const plate = { cellM: 0.04, chartDistance: { typed: '2 m', unit: 'm', valueM: 2, toleranceM: 0.01 } } as never;
    const lens = { ...mounted.lens, pupilMm: 110, pupilSource: 'measured' as const };
    expect(measuredChart(plate, lens)).toEqual({ cellM: 0.04, distanceM: 2 - 0.11, sigmaDistanceM: Math.hypot(0.005, 0.002) });
    expect(measuredChart(plate, mounted.lens)!.sigmaDistanceM).toBeGreaterThan(0.04);
    expect(measuredChart({ cellM: 0.04 } as never, lens)).toBeUndefined();
  });
  test('two adapters in a row act as one', () => {
    const find = (kind: string, key: string) => ({ body: kind === 'body' ? mounted.body : kind === 'lens' ? mounted.lens : { name: key, factor: key === 'a' ? 0.71 : 1.4 } }) as StoredRecord<never>;
    expect(mountPackage({ ...mounted.pack, adapterId: 'a', secondAdapterId: 'b' }, find as never)).toMatchObject({ adapter: { name: 'a + b', factor: 0.71 * 1.4 } });
  });
  test('the nearest usable plate is taken; the missing part of a package is named', () => {
    const plates = [
      { plate: { focalMm: 50 } as never, report: report([1, 0, 0], 22.72) },
      { plate: { focalMm: 35 } as never, report: report([-0.5, 0, 0], 22.72) },
    ];
    expect(recordedSetup({ mounted, take, setup, ties: [], plates, focalMode: 'held' }).distortion!.k![0]).toBeCloseTo(-0.5, 12);
    expect(mountPackage(mounted.pack, () => undefined)).toEqual({ missing: 'body' });
    const find = (kind: string) => ({ body: kind === 'body' ? mounted.body : kind === 'lens' ? mounted.lens : kind === 'adapter' ? mounted.adapter : null }) as StoredRecord<never>;
    expect(mountPackage(mounted.pack, find as never)).toMatchObject({ mode: { name: '4K' } });
    expect(opticsOf(mounted, 32)).toMatchObject({ focal: { mm: 32 }, adapterFactor: 0.71, fps: 24 });
  });
});

describe('planned setup', () => {
  const set = { name: 'Galley', marks: [], pieces: [usualPiece('floor', 'f', 'Floor'), usualPiece('wall', 'w', 'Wall')], sheet: [] };
  const plan = newPlan(id(9), id(5), 32, set);
  test('a plan as it begins passes its schema, and so does every usual move and piece', () => {
    expect(check(BODY_SCHEMAS.plan, plan).problems).toBeNull();
    for (const kind of ['still', 'pan', 'dolly', 'crane', 'handheld', 'vehicle', 'zoom', 'object', 'stills walk'] as const)
      expect(check(BODY_SCHEMAS.plan, { ...plan, move: usualMove(kind, plan.move.stations[0]) }).problems).toBeNull();
    const kinds = ['floor', 'wall', 'platform', 'box', 'post', 'person', 'plant', 'water', 'vehicle', 'screen', 'sky'] as const;
    expect(check(BODY_SCHEMAS.set, { ...set, pieces: kinds.map((k) => usualPiece(k, k, k)) }).problems).toBeNull();
  });
  test('a station out of order, a shutter of 400 degrees and a focal length of nothing are refused at their fields', () => {
    const [a, b] = plan.move.stations;
    const bad = check(BODY_SCHEMAS.plan, { ...plan, shutterDeg: 400, move: { ...plan.move, stations: [b, { ...a, focalMm: 0 }] } });
    expect(bad.problems!.map((p) => p.field)).toEqual(expect.arrayContaining(['shutterDeg', 'move.stations.1.focalMm']));
    expect(check(BODY_SCHEMAS.plan, { ...plan, move: { ...plan.move, stations: [b, a] } }).problems![0].message).toMatch(/station 2 must come after/);
  });
  test('only plates of the same lens, body and mode count; kit and plan come together', () => {
    const plate = { lensId: id(3), packageId: id(5), picture: { sha256: 'a', name: 'p' }, focalMm: 32, focusM: 2, cellM: 0.04, shotAt: '' };
    const records: Record<string, unknown> = {
      [id(1)]: mounted.body,
      [id(3)]: mounted.lens,
      [id(4)]: mounted.adapter,
      [id(5)]: mounted.pack,
      [id(6)]: { ...mounted.pack, modeId: id(77) },
      [id(7)]: { ...mounted.pack, camera: 'B' },
    };
    const find = ((_kind: string, key: string) => (records[key] ? { body: records[key] } : undefined)) as never;
    const followed = followPlan(
      {
        ...plan,
        stabiliser: 'off',
        witnesses: [
          { packageId: id(7), stabiliser: 'on' },
          { packageId: id(99), stabiliser: 'on' },
        ],
      },
      set,
      [plate, { ...plate, packageId: id(6) }, { ...plate, lensId: id(78) }],
      find,
    );
    if ('problem' in followed) throw new Error(followed.problem);
    expect(followed.facts.plates).toEqual([{ focalMm: 32, focusM: 2 }]);
    // a plate says how this lens bends, and nothing of the same lens in another mode
    expect(followed.setup.lens.plated).toBe(true);
    const unplated = followPlan(plan, set, [{ ...plate, packageId: id(6) }], find);
    expect('setup' in unplated && unplated.setup.lens.plated).toBe(false);
    expect(followed.setup).toMatchObject({ fps: 24, readoutMs: null, optics: { adapterFactor: 0.71, image: { width: 4096 } } });
    expect(followed.facts).toMatchObject({ stabiliser: 'off', lensRangeMm: [32, 32], sunTravelDeg: null, witnesses: [{ name: 'B-cam', fps: 24, stabiliser: 'on' }] });
    delete records[id(3)];
    expect(followPlan(plan, set, [], find)).toEqual({ problem: 'The lens of this plan is gone. Choose another package under Move.' });
  });
  test('a witness stands or rides; half a placement, or one of another way, is refused at its field', () => {
    const put = (placement: unknown) => check(BODY_SCHEMAS.plan, { ...plan, witnesses: [{ packageId: id(7), stabiliser: 'off', placement }] } as never).problems;
    for (const way of ['rigid', 'free'] as const) expect(put(usualPlacement(way, plan.move.stations[0]))).toBeNull();
    expect(put(undefined)).toBeNull();
    const { rightM: _gone, ...half } = usualPlacement('rigid', plan.move.stations[0]) as { rightM: number };
    expect(put(half)![0].field).toBe('witnesses.0.placement.rightM');
    expect(put({ ...usualPlacement('free', plan.move.stations[0]), way: 'rigid' })).not.toBeNull();
    expect(put({ way: 'hung' })).not.toBeNull();
    // the usual free one looks at what the camera is focused on, from 60° round it
    const start = { ...plan.move.stations[0], xM: 0, zM: 0, headingRad: 0, focusM: 4 };
    const free = usualPlacement('free', start) as { xM: number; zM: number; headingRad: number };
    expect(Math.hypot(free.xM, free.zM + 4)).toBeCloseTo(4, 2);
    expect(free.xM - 4 * Math.sin(free.headingRad)).toBeCloseTo(0, 2);
  });
  test('other lenses: a zoom within its range, and other packages on the same body and mode', () => {
    const zoom = { ...mounted, lens: { ...mounted.lens, kind: 'zoom' as const, minFocalMm: 28, maxFocalMm: 40 } };
    const none = (() => undefined) as never;
    expect(otherLenses({ ...plan, packageId: id(5) }, zoom, [], [], none).map((o) => o.focalMm)).toEqual([28, 40]);
    expect(otherLenses({ ...plan, packageId: id(5) }, mounted, [], [], none)).toEqual([]);
    const find = ((kind: string) => ({ body: kind === 'body' ? mounted.body : kind === 'lens' ? mounted.lens : mounted.adapter })) as never;
    const pack = (key: number, change: object) => ({ id: id(key), body: { ...mounted.pack, ...change } }) as never;
    const list = otherLenses({ ...plan, packageId: id(5) }, mounted, [pack(5, {}), pack(6, { focalMm: 50, camera: 'B' }), pack(7, { focalMm: 50, bodyId: id(70) })], [], find);
    expect(list).toMatchObject([{ id: id(6), focalMm: 50, words: expect.stringMatching(/^B-cam's 50 mm/) }]);
  });
  test('a photo’s plan carries the move to where it was taken', () => {
    const found: RecceSet = {
      pieces: [usualPiece('floor', 'f', 'Floor')],
      marks: [{ id: 'P1', kind: 'cross', diameterM: 0.02, at: [0, 0, -3], normal: [0, 1, 0], pieceId: 'f', ground: 'plain', placed: false }],
      ties: [],
      station: { xM: 0, zM: 0, heightM: 1.6, headingRad: 0, tiltRad: -0.2, rollRad: 0 },
    };
    const made = planFromRecce(found, { name: 'Galley', marks: ['X'] }, id(9), id(5), 32, null);
    expect(made.set.marks).toEqual(['X', 'P1']);
    expect(made.plan.move.stations.map((s) => [s.xM, s.zM, s.heightM, s.tiltRad])).toEqual([
      [-0.75, 0, 1.6, -0.2],
      [0.75, 0, 1.6, -0.2],
    ]);
    // 1.6 m up, 3 m away
    expect(made.plan.move.stations[0].focusM).toBe(3.4);
    expect(check(BODY_SCHEMAS.plan, made.plan).problems).toBeNull();
    expect(check(BODY_SCHEMAS.set, made.set).problems).toBeNull();
  });
  test('facts of a tape net: as many marks as each kind needs, a length where it has one', () => {
    const length = { typed: '1 m', unit: 'm' as const, valueM: 1, toleranceM: 0.004 };
    const fact = (change: object) =>
      check(BODY_SCHEMAS.fact, { setId: id(8), what: 'height', marks: ['A'], length, toleranceM: 0.004, measuredAt: '2026-11-23T09:00:00.000Z', ...change } as never).problems;
    expect(fact({})).toBeNull();
    expect(fact({ what: 'wall', marks: ['A', 'B', 'C'] })).toBeNull();
    expect(fact({ what: 'plumb', marks: ['A', 'B'], length: null })).toBeNull();
    for (const [change, field] of [
      [{ marks: ['A', 'B'] }, 'marks'],
      [{ length: null }, 'length'],
      [{ what: 'level', marks: ['A', 'A'], length: null }, 'marks.1'],
      [{ what: 'level', marks: ['A', 'B'] }, 'length'],
      [{ what: 'wall', marks: ['A', 'B'] }, 'marks'],
      [{ toleranceM: 0 }, 'toleranceM'],
    ] as const)
      expect([field, fact(change)?.[0].field]).toEqual([field, field]);
  });
  test('ties and facts become what core adjusts, tolerances halved, in their order', () => {
    const length = (valueM: number) => ({ typed: '', unit: 'm' as const, valueM, toleranceM: 0.004 });
    const input = netInputOf(
      {
        name: 'Galley',
        marks: [],
        sheet: [{ id: 'A', kind: 'cross', diameterM: 0.02, at: [1, 2, 3], normal: null, pieceId: null, ground: 'plain', placed: true }],
        turn: { a: 'A', b: 'B', c: 'C', left: true },
        sides: [{ id: 'D', a: 'A', c: null, answer: 'below' }],
      },
      [{ setId: '', from: 'A', to: 'B', length: length(2), instrument: '', measuredAt: '' }],
      [
        { setId: '', what: 'wall', marks: ['C', 'A', 'B'], length: length(0.5), toleranceM: 0.004, measuredAt: '' },
        { setId: '', what: 'plumb', marks: ['A', 'D'], length: null, toleranceM: 0.01, measuredAt: '' },
      ],
    );
    expect(input.facts).toEqual([
      { kind: 'tie', a: 'A', b: 'B', m: 2, sigmaM: 0.002 },
      { kind: 'wall', id: 'C', a: 'A', b: 'B', m: 0.5, sigmaM: 0.002 },
      { kind: 'plumb', a: 'A', b: 'D', sigmaM: 0.005 },
    ]);
    expect([...input.near!]).toEqual([['A', [1, 2, 3]]]);
    expect(input.turn).toMatchObject({ left: true });
    expect(input.sides).toEqual([{ id: 'D', a: 'A', c: null, answer: 'below' }]);
  });
  test('a photo’s focal length is that of its diagonal, and a phone’s where nobody knows it', () => {
    const body = { setupId: id(9), picture: { sha256: '', name: '' }, widthPx: 4000, heightPx: 3000, focal35Mm: 43.27, lengths: [], detail: null, shotAt: '' };
    // as long as the diagonal of 36 × 24 is: as many pixels as the photo's own diagonal
    expect(recceInputOf(body).focalPx).toBeCloseTo(5000, 0);
    expect(recceInputOf(body).sigmaFocalShare).toBe(0.03);
    expect(recceInputOf({ ...body, focal35Mm: null })).toMatchObject({ sigmaFocalShare: 0.25 });
    expect(recceInputOf({ ...body, focal35Mm: null }).focalPx / 5000).toBeCloseTo(26 / 43.27, 3);
  });
  test('the sun of a light plan becomes its travel', () => {
    // an hour at the equator, at the equinox
    expect(sunTravelOf({ latitudeDeg: 0, longitudeDeg: 0, northDeg: 0, from: '2024-03-20T10:00:00Z', to: '2024-03-20T11:00:00Z' })).toBeCloseTo(15, 1);
  });
});

test('no character, or half of one, is refused at its field, and a whole one beyond the first plane is taken', () => {
  const day = (name: string) => check(BODY_SCHEMAS.day, { name, date: '2026-11-23' }).problems;
  expect(day('a\u0000b')).toEqual([{ field: 'name', message: 'holds a character that cannot be written' }]);
  expect(day('half \ud83c')).toEqual([{ field: 'name', message: 'holds a character that cannot be written' }]);
  expect(day('🎬 Über 12')).toBeNull();
});

test('values by name are fields of their own: two that are changed both hold, one that both changed is asked about, one that was taken out stays out', () => {
  type Pack = RecordBodies['package'];
  const pack = (offsetsM: Pack['offsetsM']): { deleted: boolean; body: Pack } => ({
    deleted: false,
    body: { camera: 'A', bodyId: 'b', modeId: 'm', lensId: 'l', adapterId: null, focalMm: 32, offsetsM },
  });
  const base = pack({ 'body base': 0.06, 'dolly head': 0.18 });
  const merged = (mine: Pack['offsetsM'], theirs: Pack['offsetsM']) => {
    const { state, clashes } = mergeStates('package', base, pack(mine), pack(theirs));
    return [state.body.offsetsM, clashes];
  };
  expect(merged({ 'body base': 0.07, 'dolly head': 0.18 }, { 'body base': 0.06, 'dolly head': 0.21 })).toEqual([{ 'body base': 0.07, 'dolly head': 0.21 }, []]);
  expect(merged({ 'body base': 0.07 }, { 'body base': 0.06, 'dolly head': 0.18, 'lens axis': 0.01 })).toEqual([{ 'body base': 0.07, 'lens axis': 0.01 }, []]);
  expect(merged({ 'body base': 0.07, 'dolly head': 0.18 }, { 'body base': 0.08, 'dolly head': 0.18 })[1]).toEqual(['offsetsM']);
});
