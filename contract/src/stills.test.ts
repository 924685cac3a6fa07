import { countedStills, exposureOf, mergeStates, stationsFor, stationsTaken, stillRemarks, walkQuestion, type StillsPlan, type StoredRecord, type WalkStill } from '.';
import { BODY_SCHEMAS, check } from './schemas';

const uuid = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const spot = (x: number) => ({ at: [x, 1.5, 0] as const, headingRad: 0, tiltRad: 0 });
const walk: StillsPlan = { way: 'along', pieceId: 'wall', packageId: uuid(1), distanceM: 2, heightM: 1.5, stations: [spot(0), spot(1), spot(2), spot(3)], taken: [2] };
const still = (station: number, minute: number): WalkStill & { name: string } => ({
  station,
  notes: null,
  look: null,
  givenAt: `2026-11-23T10:${String(minute).padStart(2, '0')}:00.000Z`,
  name: `${station} at ${minute}`,
});
const notes = { widthPx: 1000, heightPx: 500, shotWidthPx: 1000, shotHeightPx: 500, focalMm: 50, focal35Mm: null, focusM: null, body: null, lens: null, digitalZoom: null, shotAt: null };

test('of a station the picture given last counts, in whatever order they arrive', () => {
  expect(countedStills([still(1, 9), still(0, 5), still(1, 3)]).map((s) => s.name)).toEqual(['0 at 5', '1 at 9']);
});

test('taken is what has a picture or a tick; a station that is no more is nobody’s', () => {
  expect(stationsTaken(walk, [still(0, 1), still(0, 2), still(7, 3)])).toEqual([0, 2]);
});

test('pictures given together go to the open stations from here on, round once; the one asked for is meant all the same', () => {
  expect(stationsFor(walk, [], 1, 9)).toEqual([1, 3, 0]);
  expect(stationsFor(walk, [still(1, 1)], 1, 2)).toEqual([1, 3]);
  expect(stationsFor(walk, [], 3, 1)).toEqual([3]);
});

test('a walk is asked about with the names of its stations and the overlap it was laid for', () => {
  const more = { ...walk, stations: [...walk.stations, { ...spot(0.5), between: [0, 1] as const }] };
  const q = walkQuestion(more, [still(4, 1), still(9, 2)]);
  expect(q.names[4]).toBe('1–2');
  expect(q.planned).toBe(0.25);
  expect(q.pictures.map((p) => p.station)).toEqual([4]);
  expect(q.neighbours).toEqual([
    [0, 4],
    [4, 1],
    [1, 2],
    [2, 3],
  ]);
});

test('files that contradict the package of the walk are told of it', () => {
  const mode = { id: uuid(3), name: '1K', widthPx: 1000, heightPx: 500, sensorWidthMm: 24, sensorHeightMm: 12, fps: 24 };
  const records: Record<string, object> = {
    [uuid(1)]: { camera: 'S', bodyId: uuid(2), modeId: uuid(3), lensId: uuid(4), adapterId: null, focalMm: 35 },
    [uuid(2)]: { name: 'Tarvik', modes: [mode] },
    [uuid(4)]: { name: 'Orrinel 35', kind: 'prime', minFocalMm: 35, maxFocalMm: 35, squeeze: 1, serial: '' },
  };
  const find = ((kind: string, id: string) => (records[id] ? { id, kind, body: records[id] } : undefined)) as unknown as Parameters<typeof stillRemarks>[2];
  expect(stillRemarks(walk, [{ ...still(1, 1), notes }], find)).toEqual([{ station: 1, what: 'focal', message: 'The picture says 50 mm, the package says 35 mm.' }]);
  expect(stillRemarks(walk, [{ ...still(1, 1), notes }], (() => undefined) as never)).toEqual([]);
  expect(stillRemarks(walk, [still(1, 1)], find)).toEqual([]);
});

test('an exposure is told whole or not at all', () => {
  expect(exposureOf({ ...notes, exposureS: 1 / 60, fNumber: 8, iso: 100 })).toEqual({ seconds: 1 / 60, fNumber: 8, iso: 100 });
  expect(exposureOf({ ...notes, exposureS: 1 / 60, fNumber: null, iso: 100 })).toBeNull();
  expect(exposureOf(null)).toBeNull();
});

test('a still is kept only with what was seen in it whole', () => {
  const zones = Array.from({ length: 9 }, () => ({ downPx: 1.2, acrossPx: null }));
  const look = { widthPx: 1000, heightPx: 500, zones, burntShare: 0, lostShare: 0.1, features: 'AAAA' };
  const good = {
    setupId: uuid(5),
    station: 0,
    picture: { sha256: 'a'.repeat(64), name: 'a.jpg' },
    widthPx: 1000,
    heightPx: 500,
    notes: { ...notes, exposureS: 0.01 },
    look,
    givenAt: '2026-11-23T10:05:00.000Z',
    shotAt: '2026-11-23T10:00:00.000Z',
  };
  const problems = (body: object) => check(BODY_SCHEMAS.still, body).problems;
  expect(problems(good)).toBeFalsy();
  expect(problems({ ...good, look: null, notes: null })).toBeFalsy();
  expect(problems({ ...good, look: { ...look, zones: zones.slice(1) } })).toBeTruthy();
  expect(problems({ ...good, look: { ...look, features: 'no base 64!' } })).toBeTruthy();
  expect(problems({ ...good, station: -1 })).toBeTruthy();
});

test('pictures that two phones add to one shot of the light are both there', () => {
  const picture = (n: number) => ({ sha256: String(n).repeat(64), name: `${n}.jpg`, exposure: null });
  const light = (...pictures: object[]) => ({
    deleted: false,
    body: { setupId: uuid(5), what: 'panorama', place: 0, shotAt: '2026-11-23T10:00:00.000Z', sun: null, note: '', pictures } as unknown as StoredRecord<'light'>['body'],
  });
  const { state, clashes } = mergeStates('light', light(picture(1)), light(picture(1), picture(2)), light(picture(1), picture(3)));
  expect(clashes).toEqual([]);
  expect(state.body.pictures!.map((q) => q.name)).toEqual(['1.jpg', '3.jpg', '2.jpg']);
});
