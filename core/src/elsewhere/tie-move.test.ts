import { roomShot } from '@mesure/synthetic';
import { expSO3, matToQuat, mulMat3, mulMatVec, type Mat3, type Quat, type Vec3 } from '../math';
import type { SolveSetup } from '../solve';
import { wordsOf } from '../warnings';
import { usualReading, type ForeignMove } from './move';
import { tieMove } from './tie-move';

const SHOT = { widthPx: 1920, heightPx: 1012, focalMm: 32, sensorWidthMm: 24, sensorHeightMm: 12.65, frames: 40, noisePx: 0.2 };
const { shot, floorMarks, points } = roomShot(SHOT);
const placeOf = new Map(points.map((p) => [p.id, p.at]));
const far = (a: string, b: string) => Math.hypot(...placeOf.get(a)!.map((v, k) => v - placeOf.get(b)![k]));
const [a, b, c, d] = floorMarks;
const off = points.find((p) => p.at[1] > 1)!.id;
const FIRST = shot.cameras[0].frame;
const setup = (anchors: SolveSetup['anchors'] = {}, mm = 32): SolveSetup => ({
  image: { width: SHOT.widthPx, height: SHOT.heightPx },
  sensor: { widthMm: 24, heightMm: 12.65 },
  focal: { mode: 'free', mm },
  fps: 24,
  anchors: {
    level: [a, b, c, d],
    lengths: [
      { a, b, m: far(a, b), sigmaM: 0.003 },
      { a: c, b: off, m: far(c, off), sigmaM: 0.003 },
    ],
    cameraHeights: [{ frame: FIRST, m: shot.cameras[0].position[1], sigmaM: 0.005 }],
    ...anchors,
  },
});

/** The true camera and points, in a world of their own: turned, moved, and `size` times as large. */
function foreign({
  size = 1,
  turn = [0, 0, 0] as Vec3,
  shift = [0, 0, 0] as Vec3,
  own = null as Mat3 | null,
  metres = null as number | null,
  up = null as 'Y' | 'Z' | null,
  names = true,
} = {}): ForeignMove {
  const r = expSO3(turn);
  const place = (p: readonly number[]): Vec3 => mulMatVec(r, p as Vec3).map((v, k) => size * v + shift[k]) as unknown as Vec3;
  const rotation = ({ right: x, down: y, forward: z }: (typeof shot.cameras)[number]): Quat =>
    matToQuat(mulMat3(mulMat3(r, [x[0], -y[0], -z[0], x[1], -y[1], -z[1], x[2], -y[2], -z[2]]), own ?? [1, 0, 0, 0, 1, 0, 0, 0, 1]));
  return {
    format: 'test',
    frames: shot.cameras.map((f) => ({ frame: f.frame, position: place(f.position), rotation: rotation(f), focal: { mm: 32 } })),
    points: points.map((p, i) => ({ id: names ? p.id : `v${i}`, at: place(p.at) })),
    metres,
    up,
    pictureWidthPx: null,
    fps: 24,
    notes: [],
  };
}
const tie = (move: ForeignMove, change: object = {}, asked = setup()) => tieMove(move, { ...usualReading(move), ...change }, asked);
const verdicts = (t: ReturnType<typeof tieMove>) => t.report!.items.map((i) => i.verdict);

test('a move in a world of its own is tied to the set by what was measured, and the record agrees with it', () => {
  const t = tie(foreign({ size: 3.7, turn: [0.3, -0.8, 0.2], shift: [4, 1, -2] }), { unit: 'of the solve' });
  shot.cameras.forEach((f, i) => expect(t.solve.frames[i].position[1]).toBeCloseTo(f.position[1], 2));
  expect(verdicts(t)).not.toContain('contradicts');
  expect(t.report!.items.filter((i) => i.verdict === 'agrees').length).toBeGreaterThanOrEqual(3);
  expect(wordsOf(t.solve.warnings).join()).toMatch(/does not say how well it knows its camera/);
  expect(t.doubts).toEqual([]);
});

test('a tie that is wrong, and a focal length that is wrong, are contradicted, and the right ones are not', () => {
  const wrong = setup({
    lengths: [
      { a, b, m: far(a, b), sigmaM: 0.003 },
      { a: c, b: off, m: far(c, off), sigmaM: 0.003 },
      { a: b, b: off, m: far(b, off) + 0.35, sigmaM: 0.003 },
      { a: d, b: off, m: far(d, off), sigmaM: 0.003 },
    ],
  });
  const t = tie(foreign({ size: 0.4, turn: [0.1, 2, 0] }), { unit: 'of the solve' }, wrong);
  expect(t.report!.items.filter((i) => i.verdict === 'contradicts').map((i) => i.about)).toEqual([`${b}–${off}`]);
  const reduced = tie(foreign(), {}, setup({}, 32 / 0.71));
  expect(reduced.report!.items[0]).toMatchObject({ quantity: 'focalLength', verdict: 'contradicts' });
  expect(reduced.report!.items[0].causes[0].cause).toMatch(/reducer|adapter/);
});

test('places that are said to be those of the set are judged as they stand', () => {
  const right = tie(foreign(), { world: 'set' }, setup({ cameraAngles: [{ frame: FIRST, of: 'roll', rad: 0 }] }));
  expect(verdicts(right)).not.toContain('contradicts');
  expect(right.report!.items.find((i) => i.quantity === 'roll')!.verdict).toBe('agrees');
  const lower = tie(foreign({ shift: [0, -0.4, 0] }), { world: 'set' });
  expect(lower.report!.items.find((i) => i.quantity === 'cameraHeight')!.verdict).toBe('contradicts');
});

test('a wrong unit, a wrong axis upwards, a camera that looks the other way, and shifted frames are each doubted with what would explain it', () => {
  const only = (t: ReturnType<typeof tieMove>) => t.doubts.map((q) => [q.code, q.instead]);
  expect(only(tie(foreign()))).toEqual([]);
  expect(only(tie(foreign({ size: 100 })))).toEqual([['unit', { unit: 'cm' }]]);
  expect(only(tie(foreign({ size: 1 / 0.3048 })))).toEqual([['unit', { unit: 'ft' }]]);
  expect(only(tie(foreign({ turn: [Math.PI / 2, 0, 0] })))).toEqual([['up', { up: 'Z' }]]);
  expect(only(tie(foreign({ own: [1, 0, 0, 0, -1, 0, 0, 0, -1] })))).toEqual([['looks', { looks: '+Z' }]]);
  expect(only(tie(foreign(), { addFrames: 1000 }))).toEqual([['frames', { addFrames: 0 }]]);
});

test('read as the doubt proposes, each of them agrees', () => {
  for (const [move, change] of [
    [foreign({ size: 100 }), { unit: 'cm' }],
    [foreign({ turn: [Math.PI / 2, 0, 0] }), { up: 'Z' }],
    [foreign({ own: [1, 0, 0, 0, -1, 0, 0, 0, -1] }), { looks: '+Z' }],
  ] as const) {
    const t = tie(move, change);
    expect(t.doubts).toEqual([]);
    expect(verdicts(t)).not.toContain('contradicts');
    expect(t.scale!.factor).toBeCloseTo(1, 2);
  }
});

test('a file that says metres, and is 3 % off, has that said', () => {
  const t = tie(foreign({ size: 1.03, metres: 1, up: 'Y' }));
  expect(wordsOf(t.solve.warnings).join()).toMatch(/its lengths are 3\.0 % too long/);
});

test('without a point that has the name of a mark only the lens is compared, and that is said', () => {
  const t = tie(foreign({ names: false }));
  expect(t.report!.items.find((i) => i.quantity === 'focalLength')!.verdict).toBe('agrees');
  expect(t.report!.items.filter((i) => i.quantity !== 'focalLength').every((i) => i.verdict === 'not observable')).toBe(true);
  expect(wordsOf(t.solve.warnings).join()).toMatch(/None of its points has the name of a mark/);
});

test('a file without a camera, with a frame twice, or not made of numbers is refused', () => {
  const move = foreign();
  expect(() => tie({ ...move, frames: [] })).toThrow(/holds no camera/);
  expect(() => tie({ ...move, frames: [...move.frames, move.frames[0]] })).toThrow(/twice/);
  expect(() => tie({ ...move, frames: [{ ...move.frames[0], position: [NaN, 0, 0] }] })).toThrow(/not made of numbers/);
});

test('a focal length over the width of a wider picture is brought to the recorded one', () => {
  const move = foreign();
  const wide = { ...move, pictureWidthPx: 2112, frames: move.frames.map((f) => ({ ...f, focal: { overWidth: 32 / (24 * 1.1) } })) };
  expect(tie(wide).solve.focalMm).toBeCloseTo(32, 6);
});
