import { normals, uniform } from '@mesure/synthetic';
import { isInside, outlineAt } from './mask';
import { edgeMasks, proposeMasks, type JudgedTrack } from './movers';

const [W, H] = [1920, 1080];
const FRAMES = Array.from({ length: 30 }, (_, i) => i);
const g = normals(5);
const u = uniform(6);
/** Features of a thing of 160 px whose middle goes its way; each is followed over a part of it. */
const thing = (name: string, way: (f: number) => [number, number], count: number, frames = FRAMES): JudgedTrack[] =>
  Array.from({ length: count }, (_, i) => {
    const [ox, oy] = [160 * (u() - 0.5), 160 * (u() - 0.5)];
    const mine = frames.slice(i % 3, frames.length - (i % 2));
    return { id: `${name}${i}`, moving: true, frames: mine, xPx: mine.map((f) => way(f)[0] + ox + 0.3 * g()), yPx: mine.map((f) => way(f)[1] + oy + 0.3 * g()) };
  });
const left = (f: number): [number, number] => [300 + 12 * f, 500];
const right = (f: number): [number, number] => [1500 - 9 * f, 620 + 4 * f];
const still = (id: string): JudgedTrack => ({ id, moving: false, frames: FRAMES, xPx: FRAMES.map(() => 900), yPx: FRAMES.map(() => 300) });

test('two things that go their own ways are two masks that follow them, and hold while they are there', () => {
  const proposals = proposeMasks([...thing('a', left, 5), ...thing('b', right, 4, FRAMES.slice(8)), still('s')], W, H);
  expect(proposals.map((p) => p.tracks.map((t) => t[0]).join(''))).toEqual(['aaaaa', 'bbbb']);
  expect(proposals.map((p) => [p.from, p.to])).toEqual([
    [0, 29],
    [8, 29],
  ]);
  for (const [p, way] of [
    [proposals[0], left],
    [proposals[1], right],
  ] as const)
    for (const f of [p.from, 14, 21, p.to]) expect(isInside(outlineAt(p, f)!, ...way(f))).toBe(true);
  // and not the rest of the picture
  expect(isInside(outlineAt(proposals[0], 14)!, 1200, 500)).toBe(false);
  expect(outlineAt(proposals[1], 3)).toBeNull();
});

test('features that cross for a moment are not one thing, and one or two that slip are none', () => {
  const crossing = proposeMasks([...thing('a', (f) => [400 + 30 * f, 500], 3), ...thing('b', (f) => [1300 - 30 * f, 500], 3)], W, H);
  expect(crossing).toHaveLength(2);
  expect(proposeMasks([...thing('a', left, 2), still('s')], W, H)).toEqual([]);
  expect(proposeMasks([], W, H)).toEqual([]);
});

test('a mask stays inside the frame, and every key has as many corners', () => {
  const [p] = proposeMasks(
    thing('a', (f) => [40 + 4 * f, 1060], 4),
    W,
    H,
  );
  for (const k of p.keys) {
    expect(k.outline).toHaveLength(4);
    for (const [x, y] of k.outline) expect(x >= 0 && x <= W && y >= 0 && y <= H).toBe(true);
  }
});

test('strips along the borders leave the middle free', () => {
  const strips = edgeMasks(W, H);
  const masked = (x: number, y: number) => strips.some((s) => isInside(s, x, y));
  expect([masked(10, 500), masked(1910, 500), masked(900, 10), masked(900, 1070)]).toEqual([true, true, true, true]);
  expect(masked(960, 540)).toBe(false);
  expect(masked(70, 70)).toBe(false);
});

test('what slides along the edges of things that stand still is no thing of its own, however the camera goes', () => {
  // a camera that pans: everything goes by at nine pixels a frame, and near things at fourteen
  const by = (x: number, y: number, perFrame: number, id: string, moving: boolean): JudgedTrack => ({
    id,
    moving,
    frames: FRAMES,
    xPx: FRAMES.map((f) => x - perFrame * f + 0.3 * g()),
    yPx: FRAMES.map(() => y + 0.3 * g()),
  });
  const background = Array.from({ length: 60 }, (_, i) => by(300 + 1500 * u(), 1080 * u(), 9, `s${i}`, false));
  const slides = Array.from({ length: 8 }, (_, i) => by(900 + 12 * i, 400 + 20 * i, 9.6, `e${i}`, true));
  expect(proposeMasks([...background, ...slides], W, H)).toEqual([]);
  // and something that crosses against the pan is one
  const crossing = thing('a', (f) => [600 + 8 * f, 500], 5);
  expect(proposeMasks([...background, ...slides, ...crossing], W, H).map((p) => p.tracks.length)).toEqual([5]);
});
