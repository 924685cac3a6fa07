import { LENS18_FILE, lens18Given } from './lens-elsewhere';
import { newPlan, USUAL_FIELDS, usualPiece, type RecordBodies, type RecordKind, type WitnessClip } from '@mesure/contract';
import { formatLength, parseLength, type LengthUnit, type PictureDetail, type PictureNotes, type StillLook, type TrackCounting } from '@mesure/core';
import { STOVE_CLIP, STOVE_HEIGHT_M, stoveMarks } from './footage';
import { idOf } from './ids';
import { inRecce, RECCE_FOCAL_35_MM, RECCE_SIZE, recceLengths } from './recce-picture';
import { ANAMORPHIC, BOAT_CAMERA_M, BOAT_MARKS, CARRIED, CRANE_M, KIND_TRACKS, LOOKING_MS, WHIP_MARKS, ZOOM_MM, type KindTracks } from './kinds-of-takes';
import { CRANE_VIEW, LINE_UP_SIZE, lineUpMarks, PASSAGE_VIEW, PLUMB_MARK } from './line-up-picture';
import { ROOM_SIZE, roomMarks } from './room-picture';
import { PIECES, SETS, sheetOf, type DemoSet } from './sets';
import { markOf, MODES } from './shots';
import { BOAT_PIECE, boatWalk, type BoatStill } from './boat-walk';
import { passageWalk, STILLS_FOCAL_MM, STILLS_MODE } from './stills-walk';
import { ZOOM_CELL_M, ZOOM_PLATES } from './zoom';

export const PRODUCTION = { id: idOf('production'), name: 'The Salt Ferry', demo: true };
export const OTHER_PRODUCTION = { id: idOf('other production'), name: 'Paper Lighthouse', demo: true };
export const PASSWORD = 'slack-water-9';
export const PEOPLE = [
  { id: idOf('owner'), name: 'owner', role: 'owner', productionId: PRODUCTION.id },
  { id: idOf('wrangler'), name: 'wrangler', role: 'wrangler', productionId: PRODUCTION.id },
  { id: idOf('supervisor'), name: 'supervisor', role: 'supervisor', productionId: PRODUCTION.id },
  { id: idOf('solver'), name: 'solver', role: 'solver', productionId: PRODUCTION.id },
  { id: idOf('guest'), name: 'guest', role: 'guest', productionId: PRODUCTION.id },
  { id: idOf('stranger'), name: 'stranger', role: 'wrangler', productionId: OTHER_PRODUCTION.id },
] as const;

export interface DemoFiles {
  tracksGalley: string;
  tracksJetty: string;
  tracksPassage: string;
  plate32: string;
  plate25: string;
  zoom: string[];
  room: string;
  lineUp: string;
  lineUpCrane: string;
  moveJetty: string;
  lens18: string;
  recce: string;
  recceDetail: PictureDetail;
  stills: { sha256: string; name: string; station: number; notes: PictureNotes | null; look: StillLook }[];
  boat: (Omit<BoatStill, 'bytes'> & { sha256: string })[];
  panorama: { sha256: string; name: string; seconds: number }[];
  slate: string;
  clipStove: string;
  tracksStove: string;
  kinds: KindTracks;
}
/** What of the demo's clip is told before it is followed. */
export const STOVE_FOOTAGE = { firstFrame: 1, most: null, masks: [], marks: stoveMarks() };
export interface Seed<K extends RecordKind = RecordKind> {
  kind: K;
  id: string;
  body: RecordBodies[K];
}

const DAY = '2026-11-23';
const DAY_BEFORE = '2026-11-22';
const TEST_DAY = '2026-11-21';
const at = (time: string, date = DAY) => `${date}T${time}:00.000Z`;
const mode = (id: string, name: string, m: (typeof MODES)[keyof typeof MODES], fps = 24) => ({
  id: idOf(id),
  name,
  widthPx: m.widthPx,
  heightPx: m.heightPx,
  sensorWidthMm: m.sensorWidthMm,
  sensorHeightMm: m.sensorHeightMm,
  fps,
});

function measured(valueM: number, unit: LengthUnit, toleranceM: number) {
  // rounded as a tape is read
  const typed = formatLength(valueM, unit, { denominator: 8 });
  const parsed = parseLength(typed, unit);
  return { typed, unit, valueM: parsed.valueM, toleranceM };
}

function tie(setKey: string, set: DemoSet, from: string, to: string, unit: LengthUnit): Seed<'tie'> {
  const a = markOf(set, from);
  const b = markOf(set, to);
  const lengthM = Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
  return {
    kind: 'tie',
    id: idOf(`tie ${from} ${to}`),
    body: { setId: idOf(`set ${setKey}`), from, to, length: measured(lengthM, unit, 0.006), instrument: unit === 'm' ? 'laser' : 'tape', measuredAt: at('07:40') },
  };
}

/** A tape net over the passage; L8 has two ties only, and is not determined yet. */
const NET_TIES: readonly (readonly [string, string, LengthUnit])[] = [
  ['L1', 'L3', 'm'],
  ['L1', 'L4', 'ft-in'],
  ['L2', 'L3', 'm'],
  ['L2', 'L5', 'm'],
  ['L3', 'L4', 'm'],
  ['L3', 'L5', 'cm'],
  ['L4', 'L5', 'm'],
  ['L1', 'L6', 'm'],
  ['L3', 'L6', 'm'],
  ['L4', 'L6', 'm'],
  ['L5', 'L6', 'm'],
  ['L2', 'L7', 'm'],
  ['L3', 'L7', 'm'],
  ['L5', 'L7', 'cm'],
  ['L6', 'L7', 'm'],
  ['L5', 'L8', 'm'],
  ['L7', 'L8', 'm'],
];

function slippedTie(setKey: string, set: DemoSet, from: string, to: string): Seed<'tie'> {
  const right = tie(setKey, set, from, to, 'in');
  const inches = (right.body.length.valueM / 0.0254).toFixed(1);
  return { ...right, body: { ...right.body, length: { ...right.body.length, typed: `${inches} cm`, unit: 'cm', valueM: Number(inches) / 100 } } };
}

/** The day before: a take of each kind that can be solved, tried out before it counts. */
function testDay(
  put: <K extends RecordKind>(kind: K, name: string, body: RecordBodies[K]) => string,
  { galley, packB, packD, packX, packS, boat: stills }: Record<'galley' | 'packB' | 'packD' | 'packX' | 'packS', string> & Pick<DemoFiles, 'boat'>,
): Record<'whip' | 'zoom' | 'boat' | 'carried' | 'crane' | 'byHand' | 'looking', string> {
  const dayId = put('day', 'test day', { name: 'Day 10', date: TEST_DAY, unit: 'main' });
  const shop = put('set', 'set boat', { name: 'Model boat', marks: BOAT_MARKS.map((m) => m.id), pieces: [usualPiece('floor', 'workshop', 'Workshop floor'), BOAT_PIECE] });
  for (const [from, to] of [
    ['O1', 'O2'],
    ['O2', 'O4'],
    ['O1', 'O5'],
  ]) {
    const [a, b] = [from, to].map((id) => BOAT_MARKS.find((m) => m.id === id)!.at);
    put('tie', `tie ${from} ${to}`, { setId: shop, from, to, length: measured(Math.hypot(...a.map((v, k) => v - b[k])), 'm', 0.003), instrument: 'tape', measuredAt: at('13:30', TEST_DAY) });
  }
  const both = put('set', 'set both walls', { name: 'Galley, both walls', marks: [...SETS.galley.marks.map((m) => m.id), ...WHIP_MARKS, PLUMB_MARK.id] });
  for (const [from, to] of [
    ['K3', 'K7'],
    ['K4', 'K6'],
    ['K5', 'K8'],
    // with these a single picture of the far marks says where its camera stood
    ['K4', 'K5'],
    ['K3', 'K6'],
    ['K4', 'K7'],
    ['K6', 'K7'],
    ['K7', 'K8'],
  ]) {
    const [a, b] = [from, to].map((id) => markOf(SETS.galley, id));
    put('tie', `tie both ${from} ${to}`, { setId: both, from, to, length: measured(Math.hypot(...a.map((v, k) => v - b[k])), 'm', 0.004), instrument: 'laser', measuredAt: at('13:10', TEST_DAY) });
  }
  for (const [id, m] of [
    ['K6', markOf(SETS.galley, 'K6')[1]],
    [PLUMB_MARK.id, 0],
  ] as const)
    put('fact', `height both ${id}`, { setId: both, what: 'height', marks: [id], length: measured(m, 'm', 0.006), toleranceM: 0.006, measuredAt: at('13:20', TEST_DAY) });
  put('fact', 'plumb both', { setId: both, what: 'plumb', marks: [PLUMB_MARK.id, 'K6'], length: null, toleranceM: 0.006, measuredAt: at('13:21', TEST_DAY) });
  // K3 to K5 lie nearly in a line: K1 and K2 are what tells the floor where they are seen
  const ground = ['K1', 'K2', 'K3', 'K4', 'K5'];
  const setup = (key: string, name: string, slate: string, order: number): string =>
    put('setup', `setup test ${key}`, {
      dayId,
      setId: key === 'whip' || key === 'crane' ? both : galley,
      name,
      scene: '36',
      slate,
      order,
      levelMarks: ground,
      originMark: 'K3',
      headingMarks: ['K4', 'K5'],
    });
  const made = {
    whip: setup('whip', 'Whip past the stove', '36A', 1),
    zoom: setup('zoom', 'Zoom on the stove', '36B', 2),
    boat: put('setup', 'setup test boat', { dayId, setId: shop, name: 'Boat on its table', scene: '36', slate: '36C', order: 3, levelMarks: [], originMark: 'O1', headingMarks: ['O1', 'O2'] }),
    carried: setup('carried', 'Two cameras on one rig', '36D', 4),
    crane: setup('crane', 'Crane over the table', '36E', 5),
    byHand: setup('byHand', 'By hand, squeezed', '36F', 6),
    looking: setup('looking', 'Looking about', '36G', 7),
  };
  const planned = (key: keyof typeof made, packageId: string, focalMm: number) => newPlan(made[key], packageId, focalMm, { name: '', marks: [] });
  const boat = planned('boat', packB, 25);
  put('plan', 'plan test boat', {
    ...boat,
    ...(boat.move ? { move: { ...boat.move, kind: 'object' } } : {}),
    stillsPlanned: true,
    stills: { packageId: packS, ...boatWalk() },
  });
  stills.forEach(({ sha256, name, ...q }, i) =>
    put('still', `still boat ${i}`, { setupId: made.boat, picture: { sha256, name }, ...q, shotAt: at(`14:${10 + i}`, TEST_DAY), givenAt: at(`14:${10 + i}`, TEST_DAY) }),
  );
  put('plan', 'plan test zoom', planned('zoom', packD, ZOOM_MM.from));
  const { focalMm: _focal, shift: _shift, ...place } = CARRIED;
  put('rig', 'rig test', { setupId: made.carried, packageId: packX, since: at('12:00', TEST_DAY), placement: { way: 'rigid', ...place }, toleranceM: 0.01, why: '' });
  return made;
}

/** Two shooting days and a day of tests before them; the last has three sets. What is wrong in it: A-cam carries a ×0.71 focal reducer that nobody wrote down. */
export function scenario(files: DemoFiles): Seed[] {
  const seeds: Seed[] = [];
  const put = <K extends RecordKind>(kind: K, name: string, body: RecordBodies[K]): string => {
    const id = idOf(name);
    seeds.push({ kind, id, body });
    return id;
  };
  const tarvik = put('body', 'body tarvik', {
    name: 'Tarvik 6S',
    modes: [mode('mode tarvik 4k', '4K 17:9', MODES.tarvik4k), { ...mode('mode tarvik 6k', '6K 3:2', MODES.tarvik4k), widthPx: 6144, heightPx: 4096, sensorWidthMm: 36, sensorHeightMm: 24 }],
  });
  const pellon = put('body', 'body pellon', {
    name: 'Pellon Dash',
    modes: [mode('mode pellon uhd', 'UHD full width', MODES.pellonUhd), mode('mode pellon hd', 'HD 60 windowed', MODES.pellonHd, 60), mode('mode pellon hd24', 'HD 24 windowed', MODES.pellonHd)],
  });
  const lens32 = put('lens', 'lens 32', { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: 'OR-3207' });
  const lens25 = put('lens', 'lens 25', { name: 'Orrinel 25', kind: 'prime', minFocalMm: 25, maxFocalMm: 25, squeeze: 1, serial: 'OR-2511' });
  const zoom = put('lens', 'lens zoom', { name: 'Brastow 28–80', kind: 'zoom', minFocalMm: 28, maxFocalMm: 80, squeeze: 1, serial: 'BW-0042', closeFocusM: 0.9, breathing: 'some' });
  put('adapter', 'adapter reducer', { name: 'Kestow reducer ×0.71', factor: 0.71 });
  put('adapter', 'adapter extender', { name: 'Kestow extender ×1.4', factor: 1.4 });
  const packA = put('package', 'package a', { camera: 'A', bodyId: tarvik, modeId: idOf('mode tarvik 4k'), lensId: lens32, adapterId: null, focalMm: 32 });
  const packB = put('package', 'package b', { camera: 'B', bodyId: pellon, modeId: idOf('mode pellon uhd'), lensId: lens25, adapterId: null, focalMm: 25 });
  put('plate', 'plate 32', { lensId: lens32, packageId: packA, picture: { sha256: files.plate32, name: 'A_orrinel32_grid.jpg' }, focalMm: 32, focusM: 2.5, cellM: 0.04, shotAt: at('06:20') });
  put('plate', 'plate 25', { lensId: lens25, packageId: packB, picture: { sha256: files.plate25, name: 'B_orrinel25_grid.jpg' }, focalMm: 25, focusM: 2.5, cellM: 0.04, shotAt: at('06:35') });
  put('edges', 'edges room', {
    lensId: lens25,
    packageId: packB,
    picture: { sha256: files.room, name: 'B_passage_wall.jpg' },
    ...ROOM_SIZE,
    focalMm: 25,
    focusM: 3.5,
    model: 'radial',
    marks: roomMarks(),
    lineUp: null,
    shotAt: at('07:20'),
  });
  const lens18 = put('lens', 'lens 18', { name: 'Orrinel 18', kind: 'prime', minFocalMm: 18, maxFocalMm: 18, squeeze: 1, serial: 'OR-1804' });
  const packW = put('package', 'package w', { camera: 'W', bodyId: pellon, modeId: idOf('mode pellon uhd'), lensId: lens18, adapterId: null, focalMm: 18 });
  put('plate', 'plate 18', {
    lensId: lens18,
    packageId: packW,
    picture: { sha256: files.lens18, name: LENS18_FILE },
    focalMm: 18,
    focusM: 2.5,
    cellM: null,
    given: lens18Given(),
    shotAt: at('06:50'),
  });
  const lens12 = put('lens', 'lens 12', { name: 'Velmar 12', kind: 'prime', minFocalMm: CARRIED.focalMm, maxFocalMm: CARRIED.focalMm, squeeze: 1, serial: 'VM-1202' });
  const packX = put('package', 'package x', { camera: 'X', bodyId: pellon, modeId: idOf('mode pellon hd24'), lensId: lens12, adapterId: null, focalMm: CARRIED.focalMm });
  const lightZoom = put('lens', 'lens light zoom', { name: 'Velmar 20–50', kind: 'zoom', minFocalMm: 20, maxFocalMm: 50, squeeze: 1, serial: 'VM-2050' });
  const packD = put('package', 'package d', { camera: 'Z', bodyId: pellon, modeId: idOf('mode pellon uhd'), lensId: lightZoom, adapterId: null, focalMm: ZOOM_MM.from });
  // it reads its rows one after the other; of one mode somebody wrote down a third of the time
  const eldin = put('body', 'body eldin', {
    name: 'Eldin Four',
    modes: [
      { ...mode('mode eldin 43', '3.8K 4:3', MODES.eldin43, ANAMORPHIC.fps), readoutMs: ANAMORPHIC.readoutMs, readoutSource: 'measured' },
      { ...mode('mode eldin quick', '3.8K 4:3, quick', MODES.eldin43, ANAMORPHIC.fps), readoutMs: LOOKING_MS.written, readoutSource: 'stated' },
    ],
  });
  const lens40 = put('lens', 'lens 40', { name: 'Sundrey 40 ×2', kind: 'prime', minFocalMm: 40, maxFocalMm: 40, squeeze: ANAMORPHIC.squeeze, serial: 'SY-4015' });
  const spare25 = put('lens', 'lens spare 25', { name: 'Velmar 25', kind: 'prime', minFocalMm: 25, maxFocalMm: 25, squeeze: 1, serial: 'VM-2507' });
  const packV = put('package', 'package v', { camera: 'V', bodyId: eldin, modeId: idOf('mode eldin 43'), lensId: lens40, adapterId: null, focalMm: ANAMORPHIC.focalMm });
  const packY = put('package', 'package y', { camera: 'Y', bodyId: eldin, modeId: idOf('mode eldin quick'), lensId: spare25, adapterId: null, focalMm: 25 });
  const packC = put('package', 'package c', { camera: 'C', bodyId: pellon, modeId: idOf('mode pellon hd'), lensId: zoom, adapterId: null, focalMm: 45 });
  ZOOM_PLATES.forEach((q, i) =>
    put('plate', `plate zoom ${i}`, {
      lensId: zoom,
      packageId: packC,
      picture: { sha256: files.zoom[i], name: q.name },
      focalMm: q.focalMm,
      focusM: q.focusM,
      cellM: ZOOM_CELL_M,
      shotAt: at(q.time),
      chartDistance: q.measured ? measured(q.distanceM, 'm', 0.004) : null,
    }),
  );

  const sorrel = put('body', 'body sorrel', { name: 'Sorrel P1', modes: [{ id: idOf('mode sorrel'), name: 'small 3:2', ...STILLS_MODE, fps: 1 }] });
  const lens9 = put('lens', 'lens 9', { name: 'Velmar 9 fixed', kind: 'prime', minFocalMm: STILLS_FOCAL_MM, maxFocalMm: STILLS_FOCAL_MM, squeeze: 1, serial: 'VM-0911', closeFocusM: 0.3 });
  const packS = put('package', 'package s', { camera: 'S', bodyId: sorrel, modeId: idOf('mode sorrel'), lensId: lens9, adapterId: null, focalMm: STILLS_FOCAL_MM });

  put('production', 'production record', { name: PRODUCTION.name, fps: 24, lengthUnit: 'm', timeZone: 'Europe/Amsterdam', slating: 'scene', demo: true });
  const dayBefore = put('day', 'day before', { name: 'Day 11', date: DAY_BEFORE, unit: 'main' });
  const day = put('day', 'day', { name: 'Day 12', date: DAY, unit: 'main' });
  const sets: Record<string, string> = {};
  for (const [key, set] of Object.entries(SETS))
    sets[key] = put('set', `set ${key}`, {
      name: set.name,
      marks: set.marks.map((m) => m.id),
      pieces: PIECES[key as keyof typeof PIECES],
      sheet: sheetOf(key as keyof typeof PIECES),
    });
  seeds.push(
    tie('galley', SETS.galley, 'K1', 'K2', 'ft-in'),
    tie('galley', SETS.galley, 'K1', 'K4', 'm'),
    tie('galley', SETS.galley, 'K3', 'K7', 'm'),
    tie('jetty', SETS.jetty, 'J1', 'J2', 'm'),
    tie('jetty', SETS.jetty, 'J4', 'J6', 'cm'),
    tie('passage', SETS.passage, 'L1', 'L2', 'm'),
    ...NET_TIES.map(([from, to, unit]) => tie('passage', SETS.passage, from, to, unit)),
    // read in inches, and written down as centimetres
    slippedTie('passage', SETS.passage, 'L2', 'L6'),
  );
  for (const id of ['L1', 'L2', 'L3', 'L4', 'L5'])
    put('fact', `height ${id}`, { setId: sets.passage, what: 'height', marks: [id], length: measured(0, 'm', 0.004), toleranceM: 0.004, measuredAt: at('07:45') });
  const setup = (key: string, name: string, scene: string, order: number, p: string) =>
    put('setup', `setup ${key}`, { dayId: day, setId: sets[key], name, scene, order, levelMarks: [1, 2, 3, 4, 5].map((i) => `${p}${i}`), originMark: `${p}1`, headingMarks: [`${p}1`, `${p}2`] });
  const galley = setup('galley', 'Galley, dolly right', '41', 1, 'K');
  const jetty = setup('jetty', 'Jetty, small crane', '42', 2, 'J');
  const passage = setup('passage', 'Passage, tripod pan', '47', 3, 'L');

  // the galley was used the day before too: its marks and ties are the set's, whatever the day
  const lockOff = put('setup', 'setup lock-off', {
    dayId: dayBefore,
    setId: sets.galley,
    name: 'Galley, lock-off',
    scene: '38',
    slate: '38A',
    order: 1,
    levelMarks: ['K1', 'K2', 'K3'],
    originMark: 'K1',
    headingMarks: ['K1', 'K2'],
  });

  const stove = put('setup', 'setup stove', {
    dayId: dayBefore,
    setId: sets.galley,
    name: 'Galley, past the stove',
    scene: '39',
    slate: '39A',
    order: 2,
    levelMarks: ['K1', 'K2', 'K3', 'K4', 'K5'],
    originMark: 'K1',
    headingMarks: ['K1', 'K2'],
  });

  const tests = testDay(put, { galley: sets.galley, packB, packD, packX, packS, boat: files.boat });
  put('recce', 'recce passage', {
    setupId: passage,
    picture: { sha256: files.recce, name: 'recce_passage.jpg' },
    ...RECCE_SIZE,
    focal35Mm: RECCE_FOCAL_35_MM,
    lengths: recceLengths(),
    detail: files.recceDetail,
    shotAt: at('05:50'),
  });

  const plan = (key: string, setupId: string, packageId: string, focalMm: number, change: Partial<RecordBodies['plan']>) => {
    const base = newPlan(setupId, packageId, focalMm, { name: '', marks: [] });
    put('plan', `plan ${key}`, { ...base, ...change });
  };
  const eye = { timeS: 0, xM: 0, zM: 1.3, heightM: 1.4, headingRad: 0, tiltRad: -0.13, rollRad: 0, focusM: 3.2 };
  plan('galley', galley, packA, 32, {
    move: {
      kind: 'dolly',
      stations: [
        { ...eye, xM: -0.8, focalMm: 32 },
        { ...eye, timeS: 5, xM: 0.8, focalMm: 32 },
      ],
    },
    measures: { level: ['K1', 'K2', 'K3', 'K4', 'K5'], levelSigmaM: 0.005, ties: [{ a: 'K3', b: 'K6', sigmaM: 0.003 }], heights: [{ timeS: 0, sigmaM: 0.005 }] },
    stabiliser: 'off',
    witnesses: [{ packageId: packB, stabiliser: 'off', placement: { way: 'free', xM: 2.4, zM: 0.7, heightM: 1.5, headingRad: 0.55, tiltRad: -0.15 } }],
    sync: 'timecode and clap',
  });
  plan('jetty', jetty, packB, 25, {
    move: {
      kind: 'crane',
      stations: [
        { ...eye, zM: 1.6, heightM: 1.15, focalMm: 25, focusM: 4 },
        { ...eye, timeS: 6, zM: 1.2, heightM: 2.6, tiltRad: -0.3, focalMm: 25, focusM: 4 },
      ],
    },
    exterior: true,
    lightPlanned: true,
    light: { latitudeDeg: 53.2, longitudeDeg: 5.4, northDeg: 20, from: at('13:00'), to: at('15:00') },
    panoramas: [{ xM: 0.3, zM: -2.4, heightM: 1.3 }],
  });
  plan('passage', passage, packB, 25, {
    move: {
      kind: 'pan',
      pupilAheadM: 0.11,
      stations: [
        { ...eye, heightM: 1.52, headingRad: 0.45, focalMm: 25, focusM: 3.5 },
        { ...eye, timeS: 1.2, heightM: 1.52, headingRad: -0.45, focalMm: 25, focusM: 3.5 },
      ],
    },
    stillsPlanned: true,
    stills: { packageId: packS, ...passageWalk('wall') },
  });
  files.stills.forEach((q, i) =>
    put('still', `still ${i}`, {
      setupId: passage,
      station: q.station,
      picture: { sha256: q.sha256, name: q.name },
      widthPx: STILLS_MODE.widthPx,
      heightPx: STILLS_MODE.heightPx,
      notes: q.notes,
      look: q.look,
      shotAt: at(`15:${20 + i}`),
      givenAt: at(`15:${20 + i}`),
    }),
  );
  put('light', 'panorama jetty', {
    setupId: jetty,
    what: 'panorama',
    place: 0,
    shotAt: at('13:50'),
    sun: { azimuthDeg: 216.3, elevationDeg: 9.4 },
    note: '',
    pictures: files.panorama.map((q) => ({ sha256: q.sha256, name: q.name, exposure: { seconds: q.seconds, fNumber: 8, iso: 100 } })),
  });
  put('photo', 'photo passage', {
    setId: sets.passage,
    picture: { sha256: files.recce, name: 'recce_passage.jpg' },
    ...RECCE_SIZE,
    marks: SETS.passage.marks.slice(0, 5).map((m) => ({ mark: m.id, ...inRecce(m.at) })),
    shotAt: at('05:50'),
  });
  put('receiver', 'receiver lisk', {
    name: 'Lisk & Daughters',
    without: ['gltf', 'light'],
    maps: 'none',
    unit: 'cm',
    up: 'Z',
    addFrames: 1000,
    takeName: '{scene}_{slate}_{take}',
    inFileNames: true,
    notes: 'They start every shot at frame 1001.',
  });
  put('floor', 'production', { shown: [...USUAL_FIELDS], clips: ['A', 'B', 'C'].map((camera) => ({ camera, pattern: '{camera}012C###' })) });

  interface TakeSeed {
    setupId: string;
    slate: string;
    take: number;
    packageId: string;
    focalMm: number;
    focusM: number | null;
    height: { m: number; unit: LengthUnit; offsetM?: number; takenAt?: 'lens axis' | 'body base' | 'dolly head' } | null;
    tracks?: { sha256: string; name: string };
    tracksCounted?: TrackCounting;
    focalEndMm?: number;
    witnesses?: WitnessClip[];
    timecodeIn?: string;
    pictures?: { sha256: string; name: string }[];
    circled?: boolean;
    notes?: string;
    time: string;
    date?: string;
  }
  const take = (t: TakeSeed) =>
    put('take', `take ${t.slate} ${t.take}`, {
      setupId: t.setupId,
      slate: t.slate,
      take: t.take,
      packageId: t.packageId,
      focalMm: t.focalMm,
      focusM: t.focusM,
      height: t.height ? { ...measured(t.height.m - (t.height.offsetM ?? 0), t.height.unit, 0.01), takenAt: t.height.takenAt ?? 'lens axis', offsetM: t.height.offsetM ?? 0 } : null,
      heightFrame: 1,
      circled: t.circled ?? false,
      notes: t.notes ?? '',
      tracks: t.tracks ?? null,
      ...(t.tracksCounted ? { tracksCounted: t.tracksCounted } : {}),
      ...(t.timecodeIn ? { timecodeIn: t.timecodeIn } : {}),
      ...(t.focalEndMm ? { focalEndMm: t.focalEndMm } : {}),
      ...(t.witnesses ? { witnesses: t.witnesses } : {}),
      ...(t.pictures ? { pictures: t.pictures } : {}),
      loggedAt: at(t.time, t.date),
      carried: t.take > 1 ? ['packageId', 'focalMm'] : [],
    });
  const ofKind = (kind: keyof KindTracks) => ({ sha256: files.kinds[kind], name: KIND_TRACKS[kind].name });
  const test = { take: 1, packageId: packB, focalMm: 25, focusM: 3.2, date: TEST_DAY };
  take({
    ...test,
    setupId: tests.whip,
    slate: '36A',
    height: { m: 1.45, unit: 'm' },
    tracks: ofKind('whip'),
    time: '14:02',
    notes: 'Whip in the middle; W1 and W2 hang on strings between both sides.',
  });
  take({ ...test, setupId: tests.zoom, slate: '36B', packageId: packD, focalMm: ZOOM_MM.from, focalEndMm: ZOOM_MM.to, height: { m: 1.4, unit: 'm' }, tracks: ofKind('zoom'), time: '14:20' });
  take({ ...test, setupId: tests.boat, slate: '36C', height: { m: BOAT_CAMERA_M, unit: 'm' }, tracks: ofKind('boat'), time: '14:41', notes: 'The boat turns on its table, the camera is locked.' });
  take({
    ...test,
    setupId: tests.carried,
    slate: '36D',
    height: { m: 1.5, unit: 'm' },
    tracks: ofKind('carried'),
    timecodeIn: '14:58:10:09',
    witnesses: [{ packageId: packX, clip: 'X001C003', timecodeIn: '14:58:10:00', focusM: 3, stabiliser: 'off', tracks: ofKind('witness') }],
    time: '14:58',
  });
  take({ ...test, setupId: tests.byHand, slate: '36F', packageId: packV, focalMm: ANAMORPHIC.focalMm, height: { m: 1.5, unit: 'm' }, tracks: ofKind('anamorphic'), time: '15:34' });
  take({ ...test, setupId: tests.looking, slate: '36G', packageId: packY, height: { m: 1.38, unit: 'm' }, tracks: ofKind('looking'), time: '15:38' });
  const craneTake = take({ ...test, setupId: tests.crane, slate: '36E', height: { m: CRANE_M.written, unit: 'm' }, tracks: ofKind('crane'), time: '15:17' });
  put('lineup', 'line-up crane', {
    takeId: craneTake,
    picture: { sha256: files.lineUpCrane, name: '36E_t1_frame_1.jpg' },
    ...LINE_UP_SIZE,
    marks: lineUpMarks(CRANE_VIEW),
    focal: 'held',
    stood: 'height',
    shotAt: at('15:19', TEST_DAY),
  });
  take({ setupId: lockOff, slate: '38A', take: 1, packageId: packB, focalMm: 25, focusM: 2.8, height: { m: 1.31, unit: 'm' }, time: '15:40', date: DAY_BEFORE });
  take({ setupId: lockOff, slate: '38A', take: 2, packageId: packB, focalMm: 25, focusM: null, height: { m: 1.31, unit: 'm' }, time: '15:52', date: DAY_BEFORE });
  const stoveTake = take({
    setupId: stove,
    slate: '39A',
    take: 1,
    packageId: packB,
    focalMm: 25,
    focusM: 3.4,
    height: { m: STOVE_HEIGHT_M, unit: 'm' },
    tracks: { sha256: files.tracksStove, name: '39A_t1 tracks.csv' },
    // the clip is a small copy of what was recorded
    tracksCounted: { from: 'corner', yUp: false, widthPx: STOVE_CLIP.widthPx, heightPx: STOVE_CLIP.heightPx, addFrames: 0 },
    timecodeIn: STOVE_CLIP.timecode,
    time: '15:58',
    date: DAY_BEFORE,
  });
  const { file, widthPx, heightPx, frames, fps, timecode } = STOVE_CLIP;
  put('footage', 'clip stove', { takeId: stoveTake, file: { sha256: files.clipStove, name: file }, widthPx, heightPx, frames, fps, timecode, ...STOVE_FOOTAGE });
  take({ setupId: galley, slate: '41A', take: 1, packageId: packA, focalMm: 32, focusM: 3.2, height: { m: 1.402, unit: 'm' }, time: '08:52', notes: 'Bump at the end of the track.' });
  take({
    setupId: galley,
    slate: '41A',
    take: 2,
    packageId: packA,
    focalMm: 32,
    focusM: 3.2,
    height: { m: 1.402, unit: 'ft-in' },
    tracks: { sha256: files.tracksGalley, name: '41A_t2_tracks.csv' },
    circled: true,
    time: '09:05',
  });
  take({ setupId: galley, slate: '41A', take: 3, packageId: packA, focalMm: 32, focusM: 3.2, height: null, time: '09:14' });
  take({ setupId: jetty, slate: '42B', take: 1, packageId: packB, focalMm: 25, focusM: 4, height: { m: 1.15, unit: 'cm', offsetM: 0.062, takenAt: 'body base' }, time: '13:20' });
  take({
    setupId: jetty,
    slate: '42B',
    take: 2,
    packageId: packB,
    focalMm: 25,
    focusM: 4,
    height: { m: 1.15, unit: 'cm', offsetM: 0.062, takenAt: 'body base' },
    tracks: { sha256: files.tracksJetty, name: '42B_t2_tracks.csv' },
    pictures: [{ sha256: files.slate, name: '42B_t2_slate.jpg' }],
    circled: true,
    time: '13:31',
  });
  put('elsewhere', 'elsewhere jetty', {
    takeId: idOf('take 42B 2'),
    file: { sha256: files.moveJetty, name: '42B_t2_post.usda' },
    points: null,
    reading: { unit: 'cm', up: 'Z', looks: '-Z', addFrames: -1000, world: 'own' },
    order: null,
    givenAt: at('17:30'),
  });
  take({ setupId: jetty, slate: '42B', take: 3, packageId: packB, focalMm: 25, focusM: null, height: { m: 1.15, unit: 'cm', offsetM: 0.062, takenAt: 'body base' }, time: '13:44' });
  const passagePan = take({
    setupId: passage,
    slate: '47',
    take: 1,
    packageId: packB,
    focalMm: 25,
    focusM: 3.5,
    height: { m: 1.52, unit: 'm' },
    tracks: { sha256: files.tracksPassage, name: '47_t1_tracks.csv' },
    time: '16:02',
  });
  put('lineup', 'line-up passage', {
    takeId: passagePan,
    picture: { sha256: files.lineUp, name: '47_t1_frame_36.jpg' },
    ...LINE_UP_SIZE,
    marks: lineUpMarks(PASSAGE_VIEW),
    focal: 'guided',
    stood: 'height',
    shotAt: at('16:06'),
  });
  take({ setupId: passage, slate: '47', take: 2, packageId: packB, focalMm: 25, focusM: 3.5, height: { m: 1.52, unit: 'm' }, time: '16:10' });
  return seeds;
}
