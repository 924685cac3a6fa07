import { draws, normals, simulateShot, uniform, type ShotScene } from '@mesure/synthetic';
import { reconcile, type ReconcileReport } from '.';
import { solveTracks, type SolveSetup, type TrackPoint } from '../solve';
import { swappedDigits } from './causes';

/*
 * Mistakes as they are made on a set, planted into whole takes: a shot is drawn, what was measured is written down with its scatter and one thing
 * wrong, the tracks are solved and the record is laid against the solve. Truth is known here alone.
 */
const [W, H] = [2048, 1080];
const SENSOR = { widthMm: 24, heightMm: 12.66 };
type P3 = readonly [number, number, number];
type U = () => number;
const pick = <T>(u: U, of: readonly T[]): T => of[Math.min(of.length - 1, Math.floor(u() * of.length))];
const apart = (a: P3, b: P3): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
const mm = (m: number): number => Math.round(1000 * m) / 1000;

/** Marks on the floor and on walls, and points of the set between them. */
const MARKS: { id: string; at: P3 }[] = [
  { id: 'F1', at: [-1.6, 0, -2.2] },
  { id: 'F2', at: [1.7, 0, -2.6] },
  { id: 'F3', at: [0.2, 0, -4.4] },
  { id: 'F4', at: [-1.2, 0, -4.8] },
  { id: 'W1', at: [-1.8, 1.6, -5.2] },
  { id: 'W2', at: [1.9, 1.4, -5.2] },
  { id: 'P1', at: [0.7, 0.9, -3.4] },
];
const TIES: [string, string][] = [['F1', 'F2'], ['F3', 'W1'], ['W1', 'W2'], ['F4', 'P1']]; // prettier-ignore
const placeOf = (id: string): P3 => MARKS.find((m) => m.id === id)!.at;

interface Record {
  setup: SolveSetup;
  tracks: TrackPoint[];
}
/** A take, right in everything but for what `plant` changes. */
interface Drawn {
  /** focal length that is marked on the lens */
  markedMm: number;
  scene: ShotScene;
  record: SolveSetup;
  tracks?: (t: TrackPoint[]) => TrackPoint[];
}

function draw(seed: number): Drawn & { u: U; n: () => number } {
  const [u, n] = [uniform(seed), normals(seed + 7919)];
  const markedMm = pick(u, [21, 25, 27, 32]);
  const [h, rise] = [1.2 + 0.5 * u(), pick(u, [-0.35, -0.27, 0.25, 0.32])];
  const sweep = pick(u, [-1, 1]) * (0.8 + 0.5 * u());
  const scene: ShotScene = {
    widthPx: W,
    heightPx: H,
    focalMm: markedMm * (1 + 0.003 * n()),
    sensorWidthMm: SENSOR.widthMm,
    sensorHeightMm: SENSOR.heightMm,
    frames: 24,
    noisePx: 0.3,
    seed,
    points: [...MARKS, ...Array.from({ length: 45 }, (_, i) => ({ id: `m${i}`, at: [-3 + 6 * u(), 2.4 * u(), -2.4 - 3 * u()] as P3 }))],
    path: (t) => [sweep * (2 * t - 1), h + rise * t, 1.6 - 0.5 * t],
    aim: (t) => [0.3 * sweep * t, 0.9, -3.6],
  };
  const read = (m: number, sigma: number) => mm(m + sigma * n());
  const record: SolveSetup = {
    image: { width: W, height: H },
    sensor: SENSOR,
    squeeze: 1,
    adapterFactor: 1,
    fps: 24,
    focal: { mode: 'free', mm: markedMm },
    distortion: { mode: 'none' },
    anchors: {
      level: ['F1', 'F2', 'F3', 'F4'],
      lengths: TIES.map(([a, b]) => ({ a, b, m: read(apart(placeOf(a), placeOf(b)), 0.0015), sigmaM: 0.0015 })),
      cameraHeights: [
        { frame: 1, m: read(scene.path(0)[1], 0.0025), sigmaM: 0.0025 },
        { frame: 'last', m: read(scene.path(1)[1], 0.0025), sigmaM: 0.0025 },
      ],
    },
  };
  return { markedMm, scene, record, u, n };
}

/** What is wrong, and the cause that must be named first for the quantity it is about. */
interface Planted {
  quantity: string;
  cause: string;
}
type Plant = (d: ReturnType<typeof draw>) => Planted | null;
const longer = (d: Drawn, factor: number) => (d.scene = { ...d.scene, focalMm: (d.scene.focalMm as number) * factor });
const heightWrong = (d: Drawn, m: number) => (d.record.anchors!.cameraHeights![0].m = mm(m));
const first = (d: Drawn): number => d.scene.path(0)[1];
const tie = (d: Drawn, wrong: (m: number) => number | null): boolean => {
  const t = d.record.anchors!.lengths![1];
  const m = wrong(t.m);
  if (m === null || Math.abs(m / t.m - 1) < 0.05) return false;
  t.m = mm(m);
  return true;
};
const FOCAL = 'focalLength';

const MISTAKES: { [name: string]: Plant } = {
  'reducer forgotten': (d) => (longer(d, pick(d.u, [0.71, 0.71, 0.64, 0.8])), { quantity: FOCAL, cause: 'forgotten-reducer' }),
  'extender forgotten': (d) => (longer(d, 1.4), { quantity: FOCAL, cause: 'forgotten-extender' }),
  'adapter written down and not mounted': (d) => ((d.record.adapterFactor = 0.71), { quantity: FOCAL, cause: 'adapter-not-mounted' }),
  'another lens of the set': (d) => {
    const other = d.markedMm === 32 ? 40 : d.markedMm === 21 ? 18 : 40;
    if (Math.abs(Math.log(other / d.markedMm / 1.4)) < 0.06 || Math.abs(Math.log(d.markedMm / other / 1.4)) < 0.06) return null;
    longer(d, other / d.markedMm);
    return { quantity: FOCAL, cause: 'other-lens' };
  },
  'a windowed mode': (d) => (longer(d, 6144 / 4096), { quantity: FOCAL, cause: 'windowed-mode' }),
  'full frame for a smaller sensor': (d) => {
    d.record.sensor = { widthMm: 36, heightMm: 36 * (H / W) };
    const narrow = pick(d.u, [24.9, 22.3]);
    d.scene = { ...d.scene, sensorWidthMm: narrow, sensorHeightMm: narrow * (H / W) };
    return { quantity: FOCAL, cause: 'full-frame-assumed' };
  },
  'squeeze forgotten': (d) => ((d.scene = { ...d.scene, ratio: 1 / 2, focalMm: 2 * (d.scene.focalMm as number) }), { quantity: FOCAL, cause: 'forgotten-squeeze' }),
  'inches for centimetres': (d) => (heightWrong(d, first(d) / 2.54), { quantity: 'cameraHeight', cause: 'inches-for-centimetres' }),
  'feet for metres': (d) => (tie(d, (m) => m / 0.3048) ? { quantity: 'length', cause: 'feet-for-metres' } : null),
  'a decimal point slipped': (d) => (tie(d, (m) => (d.u() < 0.5 ? m * 10 : m / 10)) ? { quantity: 'length', cause: 'decimal-point' } : null),
  'digits changed places': (d) => {
    const done = tie(d, (m) => {
      const swapped = swappedDigits(m.toFixed(3)).map(Number).filter((v) => Math.abs(v / m - 1) > 0.05 && v > 0.5 && v < 9); // prettier-ignore
      return swapped.length > 0 ? pick(d.u, swapped) : null;
    });
    return done ? { quantity: 'length', cause: 'swapped-digits' } : null;
  },
  'a height from the dolly head': (d) => (heightWrong(d, first(d) - 0.18 - 0.03 * (d.u() - 0.5)), { quantity: 'cameraHeight', cause: 'height-at-other-place' }),
  'a height of the last frame': (d) => (heightWrong(d, d.scene.path(1)[1]), { quantity: 'cameraHeight', cause: 'height-of-other-frame' }),
  'a lens that bends taken as straight': (d) => ((d.scene = { ...d.scene, k: [-0.16, 0.02, 0] }), { quantity: FOCAL, cause: 'distortion-not-used' }),
  'a zoom that nobody noted': (d) => {
    const mm0 = d.scene.focalMm as number;
    d.scene = { ...d.scene, focalMm: (t) => mm0 * (1 + 0.25 * t * t * (3 - 2 * t)) };
    return { quantity: FOCAL, cause: 'zoom-not-noted' };
  },
};

function judged(d: Drawn): ReconcileReport | string {
  const { tracks } = simulateShot(d.scene);
  const solve = solveTracks(d.tracks ? d.tracks(tracks) : tracks, d.record, {});
  return solve.status === 'failed' ? (solve.reason ?? 'failed') : reconcile(d.record, solve);
}

const firstCause = (r: ReconcileReport, quantity: string) => r.items.find((i) => i.quantity === quantity && i.causes.length > 0)?.causes[0];

describe('planted mistakes', () => {
  const told: string[] = [];
  test.each(Object.entries(MISTAKES))('%s', (name, plant) => {
    let right = 0;
    let all = 0;
    for (let i = 0; all < draws(20, 1); i += 1) {
      const d = draw(1000 * Object.keys(MISTAKES).indexOf(name) + i);
      const planted = plant(d);
      if (!planted) continue;
      all += 1;
      const r = judged(d);
      const cause = typeof r === 'string' ? undefined : firstCause(r, planted.quantity);
      if (cause?.cause === planted.cause) right += 1;
      else told.push(`${name} ${i}: ${typeof r === 'string' ? r : `${r.sentence} | ${r.items.map((q) => `${q.quantity} ${q.verdict} ${q.causes[0]?.cause ?? ''}`).join('; ')}`}`);
    }
    console.log(name, right, all, told.splice(0).join('\n'));
    expect(right).toBeGreaterThan(0);
  });
});
