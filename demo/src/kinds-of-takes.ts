import { carriedPair, rigAxes, simulateShot, uniform, type SimulatedShot } from '@mesure/synthetic';
import { SETS, type DemoSet, type NamedPoint } from './sets';
import { MODES, TRUE_LENSES } from './shots';

/*
 * The test day before the shoot: a take of each kind that Check can solve, and a second planted mistake. Each is drawn through its true lens; what is
 * recorded of it stands in the scenario.
 */
type Point = readonly [number, number, number];
export type Tracks = SimulatedShot['tracks'];
const B25 = { ...MODES.pellonUhd, focalMm: TRUE_LENSES.orrinel25.effectiveMm, k: TRUE_LENSES.orrinel25.k };
const NOISE_PX = 0.45;
const usual = { ...B25, noisePx: NOISE_PX };

/** What the set offers, and more of it on both sides than one picture holds. */
function around(set: DemoSet, seed: number): NamedPoint[] {
  const u = uniform(seed);
  const more = Array.from({ length: 60 }, (_, i) => {
    const side = i % 2 === 0 ? -1 : 1;
    return { id: `s${i}`, at: [side * (1.2 + 2.6 * u()), 2.4 * u(), -4.6 + 1.9 * u()] as Point };
  });
  // between the two sides: what both see is found again by its name
  const middle = ([[-0.2, 0.6, -3.9], [0.15, 1.5, -4.4]] as Point[]).map((at, i) => ({ id: `W${i + 1}`, at })); // prettier-ignore
  return [...set.marks, ...set.features, ...more, ...middle];
}
/** Hung up for the whip, between both of its sides. */
export const WHIP_MARKS = ['W1', 'W2'];
export const WHIP = { frames: 78, blurredFrom: 36, blurredTo: 43 } as const;

/** Past the stove to the left, round in eight frames, on to the right. */
export function whip(): Tracks {
  const names = new Set([...SETS.galley.marks.map((m) => m.id), ...WHIP_MARKS]);
  const shot = simulateShot({
    ...usual,
    frames: WHIP.frames,
    points: around(SETS.galley, 71),
    seed: 404,
    path: (t) => [-0.8 + 1.6 * t, 1.45 + 0.15 * Math.sin(4 * t), 1.2 - 0.5 * t],
    aim: (t) => [t < 0.5 ? -1.5 + 0.3 * t : 1.1 + 0.3 * t, 1, -4],
  });
  return shot.tracks.flatMap((t) => {
    if (t.frame >= WHIP.blurredFrom && t.frame <= WHIP.blurredTo) return [];
    // a feature that was lost is another one when it comes back; a mark has its name
    return [names.has(t.track) ? t : { ...t, track: `${t.track}${t.frame < WHIP.blurredFrom ? 'a' : 'b'}` }];
  });
}

export const ZOOM_MM = { from: 24, to: 36 } as const;
const eased = (t: number): number => t * t * (3 - 2 * t);

/** A zoom that is noted, on a lens of which nobody has shot a plate; it does not bend. */
export const zooming = (): Tracks =>
  simulateShot({
    ...usual,
    k: [0, 0, 0],
    focalMm: (t) => ZOOM_MM.from + (ZOOM_MM.to - ZOOM_MM.from) * eased(t),
    frames: 70,
    points: [...SETS.galley.marks, ...SETS.galley.features],
    seed: 505,
    path: (t) => [-0.9 + 1.7 * t, 1.4 + 0.1 * t, 1.3 - 0.2 * t],
    aim: () => [0, 0.9, -3.8],
  }).tracks;

/** A model boat on a turntable before the still camera: seen from the boat, the camera goes round it. */
export const BOAT_MARKS: NamedPoint[] = ([[-0.5, 0.05, 0.1], [0.5, 0.05, 0.12], [0, 0.35, -0.15], [0.1, 0.75, 0], [-0.3, 0.2, -0.2]] as Point[]).map((at, i) => ({ id: `O${i + 1}`, at })); // prettier-ignore
export const BOAT_CAMERA_M = 1.35;
export function boat(): Tracks {
  const u = uniform(91);
  const hull = Array.from({ length: 46 }, (_, i) => ({ id: `h${i}`, at: [-0.65 + 1.3 * u(), 0.85 * u() * (i % 3 === 0 ? 1 : 0.4), -0.25 + 0.5 * u()] as Point }));
  const round = (t: number): number => -0.55 + 1.1 * t;
  return simulateShot({ ...usual, frames: 60, points: [...BOAT_MARKS, ...hull], seed: 606, path: (t) => [2.4 * Math.sin(round(t)), 0.9, 2.4 * Math.cos(round(t))], aim: () => [0, 0.3, 0] }).tracks;
}

/** A crane whose height was written with its digits changed about: 1.24 for 1.42. */
export const CRANE_M = { truly: 1.42, written: 1.24 } as const;
export const crane = (): Tracks =>
  simulateShot({
    ...usual,
    frames: 72,
    points: [...SETS.galley.marks, ...SETS.galley.features],
    seed: 707,
    path: (t) => [-0.6 + 1.1 * t, CRANE_M.truly + 0.8 * t, 1.3 - 0.3 * t],
    aim: () => [0.1, 0.8, -3.8],
  }).tracks;

/** A small camera to the left over the lens, looking to the left of it; its frame n + 9 is the main camera's n. */
export const CARRIED = { focalMm: 12, rightM: -0.14, upM: 0.11, forwardM: 0.03, turnRad: 0.52, tiltRad: 0.05, shift: 9 } as const;
export function carried(): { main: Tracks; witness: Tracks } {
  const points = around(SETS.galley, 83);
  const { main, witness } = carriedPair({
    main: B25,
    witness: { ...MODES.pellonHd, focalMm: CARRIED.focalMm },
    frames: 64,
    path: (t) => [-0.7 + 1.5 * t, 1.5 + 0.2 * Math.sin(4 * t), 1.3 - 0.5 * t],
    aim: (t) => [0.8 * Math.sin(3 * t), 0.9 + 0.4 * Math.cos(5 * t), -4],
    rig: { at: [CARRIED.rightM, CARRIED.upM, -CARRIED.forwardM], axes: rigAxes(CARRIED.turnRad, CARRIED.tiltRad) },
    points,
    shift: CARRIED.shift,
    noisePx: NOISE_PX,
    seed: 808,
  });
  const marks = new Set(SETS.galley.marks.map((m) => m.id));
  // each camera counts its features for itself, and so the same names are other things
  const number = new Map(points.map((p, i) => [p.id, `f${String(i + 1).padStart(3, '0')}`]));
  const mirrored = new Map(points.map((p, i) => [p.id, `f${String(points.length - i).padStart(3, '0')}`]));
  const named = (tracks: Tracks, by: ReadonlyMap<string, string>) => tracks.map((t) => (marks.has(t.track) ? t : { ...t, track: by.get(t.track)! }));
  // seven in ten of the main camera's features lie out of its focus
  return { main: named(main.tracks, number).filter((t) => !t.track.startsWith('f') || Number(t.track.slice(1)) % 10 < 3), witness: named(witness, mirrored) };
}

/** A lens that squeezes twice, by hand, on a sensor that reads its rows one after the other; that is known, and is taken out. */
export const ANAMORPHIC = { focalMm: 40, squeeze: 2, readoutMs: 15.5, fps: 24 } as const;
const onEldin = { ...MODES.eldin43, focalMm: ANAMORPHIC.focalMm, noisePx: NOISE_PX, readoutShare: (ANAMORPHIC.readoutMs / 1000) * ANAMORPHIC.fps };
export const anamorphic = (): Tracks =>
  simulateShot({
    ...onEldin,
    ratio: 1 / ANAMORPHIC.squeeze,
    frames: 66,
    points: around(SETS.galley, 97),
    seed: 909,
    path: (t) => [-0.8 + 1.5 * t, 1.5 + 0.06 * Math.sin(13 * t), 1.4 - 0.4 * t],
    aim: (t) => [0.5 * Math.sin(6 * t), 0.9 + 0.25 * Math.sin(11 * t), -4],
  }).tracks;

/** A quick look about on the spot, in a mode whose readout was written down with a third of what it takes. */
export const LOOKING_MS = { truly: 15.5, written: 5.2 } as const;
export const lookingAbout = (): Tracks =>
  simulateShot({
    ...onEldin,
    focalMm: 25,
    frames: 60,
    points: around(SETS.galley, 101),
    seed: 911,
    path: () => [0.1, 1.38, 1.2],
    aim: (t) => [1.3 * Math.sin(6 * t), 0.9 + 0.3 * Math.sin(14 * t), -4],
  }).tracks;

/** The files of the test day, by what they are called. */
export const KIND_TRACKS = {
  whip: { name: '36A_t1_tracks.csv', make: whip },
  zoom: { name: '36B_t1_tracks.csv', make: zooming },
  boat: { name: '36C_t1_tracks.csv', make: boat },
  carried: { name: '36D_t1_tracks.csv', make: () => carried().main },
  witness: { name: '36D_t1_witness_tracks.csv', make: () => carried().witness },
  crane: { name: '36E_t1_tracks.csv', make: crane },
  anamorphic: { name: '36F_t1_tracks.csv', make: anamorphic },
  looking: { name: '36G_t1_tracks.csv', make: lookingAbout },
} as const;
export type KindTracks = Record<keyof typeof KIND_TRACKS, string>;
