import { carriedPair, draws, normals, pairRoom, rigAxes, type Rig } from '@mesure/synthetic';
import { add, expSO3, matToQuat, mulMat3, quatToMat, rotationAngle, sub, type Vec3 } from '../math';
import { reconcile } from '../reconcile';
import { mountedAs, solvePair, type SolveSetup, type WitnessInput } from '.';

const SENSOR = { sensorWidthMm: 24, sensorHeightMm: 13.5 };
const MAIN = { widthPx: 2048, heightPx: 1152, focalMm: 28, ...SENSOR };
const SIDE = { widthPx: 1280, heightPx: 720, focalMm: 18, ...SENSOR };
const FRAMES = 40;
/** The witness: 22 cm to the left, 9 cm over and 4 cm behind the pupil, turned 40° to the left and 6° up. */
const RIG: Rig = { at: [-0.22, 0.09, 0.04], axes: rigAxes(0.7, 0.1) };

interface Case {
  seed?: number;
  /** features that the main camera can follow; the rest is out of focus */
  mainSees?: (id: string) => boolean;
  shift?: number;
  /** as it truly was, where that is another one than is told */
  trueShift?: number;
  marks?: number;
  rig?: Rig | ((t: number) => Rig);
  /** first radial coefficients of both lenses */
  bends?: readonly [number, number];
}

function pair({ seed = 5, mainSees = () => true, shift = 0, trueShift = shift, marks = 4, rig = RIG, bends = [0, 0] }: Case = {}) {
  const points = pairRoom(seed);
  const shot = carriedPair({
    main: { ...MAIN, k: [bends[0], 0, 0] },
    witness: { ...SIDE, k: [bends[1], 0, 0] },
    frames: FRAMES,
    path: (t) => [-0.8 + 1.6 * t, 1.5 + 0.25 * Math.sin(4 * t), 1 - 0.5 * t],
    aim: (t) => [0.9 * Math.sin(3 * t), 1 + 0.5 * Math.cos(5 * t), -4],
    rig,
    points,
    shift: trueShift,
    noisePx: 0.3,
    seed,
  });
  const shared = new Set(Array.from({ length: marks }, (_, i) => `M${i + 1}`));
  // each camera counts its features for itself: f7 of the one is not f7 of the other
  const renamed = shot.witness.filter((t) => t.track.startsWith('g') || shared.has(t.track)).map((t) => ({ ...t, track: t.track.replace('g', 'f') }));
  const tracks = shot.main.tracks.filter((t) => !t.track.startsWith('g') && mainSees(t.track) && (!t.track.startsWith('M') || shared.has(t.track)));
  const g = normals(seed + 9);
  const anchors = { points: points.filter((p) => shared.has(p.id)).map(({ id, at }) => ({ track: id, x: at[0] + 0.002 * g(), y: at[1] + 0.002 * g(), z: at[2] + 0.002 * g(), sigmaM: 0.002 })) };
  const witness: WitnessInput = { name: 'W', tracks: renamed, setup: setupOf(SIDE), shift: { addFrames: shift }, shared };
  return { shot, tracks, witness, anchors };
}
const setupOf = (camera: typeof MAIN, change: Partial<SolveSetup> = {}): SolveSetup => ({
  image: { width: camera.widthPx, height: camera.heightPx },
  sensor: { widthMm: camera.sensorWidthMm, heightMm: camera.sensorHeightMm },
  focal: { mode: 'held', mm: camera.focalMm },
  distortion: { mode: 'none' },
  ...change,
});
const timeOf = (frame: number): number => (frame - 1) / (FRAMES - 1);

const rigOff = (r: ReturnType<typeof solvePair>): { m: number; deg: number } => ({
  m: Math.hypot(...r.witness!.translation.map((v, k) => v - RIG.at[k])),
  deg: (180 / Math.PI) * rotationAngle(quatToMat(r.witness!.rotation), RIG.axes),
});
const worstM = (r: ReturnType<typeof solvePair>, { shot }: ReturnType<typeof pair>): number =>
  Math.max(...r.frames.map((f) => Math.hypot(...f.position.map((v, k) => v - shot.mainAt(timeOf(f.frame)).at[k]))));

describe('main and witness camera together', () => {
  test('one path, the rig found within its sigma, either camera’s pixels', () => {
    const p = pair();
    const r = solvePair(p.tracks, setupOf(MAIN, { anchors: p.anchors }), { ...p.witness, mounted: mountedAs({ rightM: -0.22, upM: 0.09, forwardM: -0.04, turnRad: 0.7, tiltRad: 0.1 }) });
    expect(r.status).toBe('solved');
    expect(r.frames).toHaveLength(FRAMES);
    expect(worstM(r, p)).toBeLessThan(0.02);
    expect(r.witness!.shared.length).toBeGreaterThanOrEqual(3);
    const off = rigOff(r);
    expect(off.m).toBeLessThan(4 * r.witness!.sigmaM!);
    expect(r.witness!.sigmaM!).toBeLessThan(0.01);
    expect(off.deg).toBeLessThan(5 * r.witness!.sigmaDeg!);
    // f7 of the one is not f7 of the other
    expect(r.points.filter((q) => q.track === 'f7' || q.track === 'W f7')).toHaveLength(2);
    // each in its own pixels: 0.3 of 2048, 0.19 of 1280, in two dimensions
    expect(r.witness!.rmsPx).toBeLessThan(0.32);
    // the witness was where it was
    const last = r.witness!.frames[r.witness!.frames.length - 1];
    const truth = p.shot.witnessAt(timeOf(last.frame));
    expect(Math.hypot(...sub(last.position, truth.at))).toBeLessThan(0.03);
    expect(rotationAngle(quatToMat(last.rotation), truth.axes)).toBeLessThan(0.004);
  });

  test('what the main camera sees too little of, the witness holds: six tracks alone, and no mark that both see', () => {
    const p = pair({ mainSees: (id) => ['f0', 'f1', 'f2', 'f3', 'f4', 'f5'].includes(id), marks: 0 });
    const lengths = [{ a: 'f0', b: 'f1', m: Math.hypot(...sub(pairRoom(5)[0].at, pairRoom(5)[1].at)), sigmaM: 0.003 }];
    const told = { ...p.witness, setup: { ...p.witness.setup, anchors: {} } };
    // nothing gives the witness metres, and how it was mounted is nothing without them
    const without = solvePair(p.tracks, setupOf(MAIN, { anchors: { lengths } }), told);
    expect(without.status).not.toBe('solved');
    expect(without.reason).toMatch(/not tied/);
  });

  test('six tracks alone: by marks that only the witness can be placed by, and its mounting', () => {
    const few = ['f0', 'f1', 'f2', 'f3', 'M1', 'M2', 'M3', 'M4'];
    const p = pair({ mainSees: (id) => few.slice(0, 7).includes(id) });
    const alone = solvePair(p.tracks, setupOf(MAIN, { anchors: p.anchors }), { ...p.witness, mounted: null });
    expect(alone.status).not.toBe('solved');
    const r = solvePair(p.tracks, setupOf(MAIN, { anchors: p.anchors }), {
      ...p.witness,
      mounted: { translation: add(RIG.at, [0.01, -0.01, 0.015] as Vec3), rotation: matToQuat(mulMat3(expSO3([0.01, -0.015, 0.01]), RIG.axes)) },
    });
    expect(r.status).toBe('solved');
    expect(r.frames).toHaveLength(FRAMES);
    expect(worstM(r, p)).toBeLessThan(0.05);
    expect(rigOff(r).m).toBeLessThan(4 * r.witness!.sigmaM!);
  });

  test('without a mark that both see, by the turns of the move', () => {
    const p = pair({ marks: 0 });
    const points = pairRoom(5).filter((q) => q.id.startsWith('f')).slice(0, 6).map(({ id, at }) => ({ track: id, x: at[0], y: at[1], z: at[2], sigmaM: 0.002 })); // prettier-ignore
    const r = solvePair(p.tracks, setupOf(MAIN, { anchors: { points } }), p.witness);
    expect(r.status).toBe('solved');
    expect(r.witness!.shared).toEqual([]);
    expect(rigOff(r).m).toBeLessThan(4 * r.witness!.sigmaM!);
    expect(rigOff(r).deg).toBeLessThan(0.5);
  });

  test('shutters that open half a frame apart are no error; a frame too many is one, and the right one is named', () => {
    const half = pair({ shift: -11.5 });
    const r = solvePair(half.tracks, setupOf(MAIN, { anchors: half.anchors }), half.witness);
    expect(r.status).toBe('solved');
    expect(rigOff(r).m).toBeLessThan(4 * r.witness!.sigmaM!);
    const wrong = pair({ shift: -11, trueShift: -12 });
    const no = solvePair(wrong.tracks, setupOf(MAIN, { anchors: wrong.anchors }), wrong.witness);
    expect(no.status).toBe('partial');
    expect(no.reason).toMatch(/with a shift of -12 instead of -11 frames they turn as one/);
    expect(no.warnings[0].code).toBe('PAIR_APART');
  });

  test('a rig that was knocked on the way is no rigid thing, and no shift explains it', () => {
    const knocked = (t: number): Rig => (t < 0.5 ? RIG : { at: [-0.22, 0.07, 0.04], axes: rigAxes(0.76, 0.1) });
    const p = pair({ rig: knocked });
    const r = solvePair(p.tracks, setupOf(MAIN, { anchors: p.anchors }), p.witness);
    expect(r.status).toBe('partial');
    expect(r.reason).toMatch(/the rig moved/);
  });

  test('what was noted of the rig is compared: a side taken for the other is named, and a right one agrees', () => {
    const p = pair();
    const noted = { name: 'W-cam', rightM: -0.22, upM: 0.09, forwardM: -0.04, turnRad: 0.7, tiltRad: 0.1, sigmaM: 0.005 };
    const judged = (witness: typeof noted) => {
      const setup = setupOf(MAIN, { anchors: p.anchors, witness });
      return reconcile(setup, solvePair(p.tracks, setup, p.witness)).items.filter((i) => i.quantity.startsWith('witness'));
    };
    expect(judged(noted).map((i) => i.verdict)).toEqual(Array(5).fill('agrees'));
    const [first] = judged({ ...noted, rightM: 0.22 });
    expect(first).toMatchObject({ about: 'W-cam, to the right', verdict: 'contradicts', causes: [{ cause: 'sign' }] });
  });

  test('a focal length of the witness that nobody knows is found with the rest', () => {
    const p = pair();
    const r = solvePair(p.tracks, setupOf(MAIN, { anchors: p.anchors, focal: { mode: 'free', mm: 25 } }), { ...p.witness, setup: { ...p.witness.setup, focal: { mode: 'free', mm: 20 } } });
    expect(r.status).toBe('solved');
    expect(Math.abs(r.focalMm! - MAIN.focalMm)).toBeLessThan(4 * r.sigmaFocalMm!);
    expect(Math.abs(r.witness!.focalMm - SIDE.focalMm)).toBeLessThan(4 * r.witness!.sigmaFocalMm!);
    expect(r.witness!.sigmaFocalMm!).toBeLessThan(0.3);
  });

  test('tracks of another take, a zoom and a turn are refused with words', () => {
    const p = pair();
    expect(solvePair(p.tracks, setupOf(MAIN), { ...p.witness, shift: { addFrames: 5000 } }).reason).toMatch(/no frame of W ran together/);
    expect(solvePair(p.tracks, setupOf(MAIN, { focal: { mode: 'zoom', mm: 28, endMm: 40 } }), p.witness).reason).toMatch(/solve a zoom by itself/);
    expect(solvePair(p.tracks, setupOf(MAIN, { motion: 'pan' }), p.witness).reason).toMatch(/solve a turn/);
  });
});

/** What lenses usually have: the corner of the picture lies 1.5 % of its distance from the middle off. */
const usualK1 = ({ focalMm, sensorWidthMm, sensorHeightMm }: typeof MAIN): number => 0.015 / ((sensorWidthMm / 2) ** 2 + (sensorHeightMm / 2) ** 2) / focalMm ** -2;
const PLATED: Partial<SolveSetup> = { distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] } };

/** Offset and turn of the rig against their own sigmas, over many pairs. */
test.each([
  ['of lenses whose plates saw no bend', false],
  ['of lenses that bend as lenses do and that nobody measured', true],
] as const)('what is said of the rig is as sure as it says, %s', (_what, bent) => {
  const runs = draws(60, 3);
  const n = normals(31);
  let [z2, w2, straight] = [0, 0, 0];
  for (let run = 0; run < runs; run += 1) {
    const p = pair({ seed: 200 + run, bends: bent ? [usualK1(MAIN) * n(), usualK1(SIDE) * n()] : [0, 0] });
    const solved = (change: Partial<SolveSetup>) => solvePair(p.tracks, setupOf(MAIN, { anchors: p.anchors, ...change }), { ...p.witness, setup: { ...p.witness.setup, ...change } });
    const r = solved(bent ? {} : PLATED);
    expect(r.status).not.toBe('failed');
    z2 += (rigOff(r).m / r.witness!.sigmaM!) ** 2 / 3 / runs;
    w2 += (rigOff(r).deg / r.witness!.sigmaDeg!) ** 2 / 3 / runs;
    if (bent) {
      const { witness } = solved(PLATED);
      straight += (((180 / Math.PI) * rotationAngle(quatToMat(witness!.rotation), RIG.axes)) / witness!.sigmaDeg!) ** 2 / 3 / runs;
    }
  }
  console.info(`rig: z² of the offset ${z2.toFixed(2)}, of the turn ${w2.toFixed(2)} over ${runs} pairs${bent ? `; of the turn as by straight lenses ${straight.toFixed(1)}` : ''}`);
  for (const v of [z2, w2]) {
    expect(v).toBeGreaterThan(runs > 20 ? 0.5 : 0.1);
    expect(v).toBeLessThan(runs > 20 ? 1.6 : 3);
  }
  if (bent) expect(straight).toBeGreaterThan(2 * w2);
});
