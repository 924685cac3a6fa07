import { clipScene, renderClip, uniform, type RenderedClip } from '@mesure/synthetic';
import type { GrayImage } from '../picture';
import { flow } from './flow';
import { followClip, type FollowedTrack } from './follow';
import { matchPatch, patchAt } from './patch';
import { pyramidOf } from './pyramid';

const W = 240;
const H = 160;
/** A smooth picture known at every place: waves of many lengths, seen through an affine map, with gain and offset. */
function waves({ a = 1, b = 0, c = 0, d = 1, x = 0, y = 0, gain = 1, offset = 0 }): GrayImage {
  const u = uniform(5);
  const parts = Array.from({ length: 40 }, () => ({ kx: 0.4 * (u() - 0.5), ky: 0.4 * (u() - 0.5), phase: 6.3 * u(), size: 4 + 8 * u() }));
  const data = new Float32Array(W * H);
  for (let j = 0; j < H; j += 1)
    for (let i = 0; i < W; i += 1) {
      const [px, py] = [i + 0.5 - x - W / 2, j + 0.5 - y - H / 2];
      // where this pixel lay in the first picture
      const det = a * d - b * c;
      const [qx, qy] = [(d * px - b * py) / det, (a * py - c * px) / det];
      data[j * W + i] = offset + gain * parts.reduce((s, p) => s + p.size * Math.sin(p.kx * qx + p.ky * qy + p.phase), 110);
    }
  return { widthPx: W, heightPx: H, data };
}

test('a shift of many pixels and a part of one is found, forwards and backwards, though the light changed', () => {
  const from = pyramidOf(waves({}));
  const to = pyramidOf(waves({ x: 11.37, y: -6.81, gain: 1, offset: -20 }));
  const out = new Float64Array(2);
  for (const [x, y] of [
    [80, 80],
    [120.5, 60.25],
    [150, 100],
  ]) {
    expect(flow(from, to, x, y, [0, 0], out)).toBe(true);
    expect(Math.hypot(out[0] - x - 11.37, out[1] - y + 6.81)).toBeLessThan(0.03);
    const [tx, ty] = out;
    expect(flow(to, from, tx, ty, [0, 0], out)).toBe(true);
    expect(Math.hypot(out[0] - x, out[1] - y)).toBeLessThan(0.03);
  }
});

test('nothing is followed where there is nothing to go by', () => {
  const plain = { widthPx: W, heightPx: H, data: new Float32Array(W * H).fill(90) };
  expect(flow(pyramidOf(plain), pyramidOf(plain), 80, 80, [0, 0], new Float64Array(2))).toBe(false);
  expect(patchAt(pyramidOf(plain), 80, 80, 8, 'affine')).toBeNull();
});

test('a patch is found turned, larger and darker than at its first look, to a few hundredths of a pixel', () => {
  const first = pyramidOf(waves({}));
  const change = { a: 1.18, b: -0.14, c: 0.11, d: 1.09, x: 3.3, y: -2.2 };
  const now = pyramidOf(waves({ ...change, gain: 0.5, offset: 40 }));
  const [px, py] = [12, -9];
  const patch = patchAt(first, W / 2 + px, H / 2 + py, 9, 'affine')!;
  const truth = [W / 2 + change.a * px + change.b * py + change.x, H / 2 + change.c * px + change.d * py + change.y];
  const match = matchPatch(patch, now, { x: truth[0] + 1.2, y: truth[1] - 0.9, a: 1, b: 0, c: 0, d: 1 })!;
  expect(Math.hypot(match.warp.x - truth[0], match.warp.y - truth[1])).toBeLessThan(0.04);
  expect(match.warp.a).toBeCloseTo(1.18, 2);
  expect(match.warp.c).toBeCloseTo(0.11, 2);
  expect(match.correlation).toBeGreaterThan(0.999);
  // a shift alone cannot explain it, and says so by its likeness
  const stiff = patchAt(first, W / 2 + px, H / 2 + py, 9, 'translation')!;
  expect(matchPatch(stiff, now, { x: truth[0], y: truth[1], a: 1, b: 0, c: 0, d: 1 })!.correlation).toBeLessThan(match.correlation - 0.0005);
});

/** Whether one flat thing alone is to be seen about a place. */
const flatOn = (clip: RenderedClip) => (frame: number, x: number, y: number) =>
  [-12, 0, 12].every((dx) => [-12, 0, 12].every((dy) => clip.panelAt(frame, x + dx, y + dy) === clip.panelAt(frame, x, y)));

/** How far tracks are from what they were on in their middle, px, from the least; of those on one flat thing. */
function errorsOn(clip: RenderedClip, tracks: readonly FollowedTrack[]): number[] {
  const isFlat = flatOn(clip);
  return tracks
    .flatMap((t) => {
      const m = t.frames.length >> 1;
      if (!isFlat(t.frames[m], t.xPx[m], t.yPx[m])) return [];
      return t.frames.map((f, i) => {
        const q = clip.truth(t.frames[m], t.xPx[m], t.yPx[m], f)!;
        return Math.hypot(q.xPx - t.xPx[i], q.yPx - t.yPx[i]);
      });
    })
    .sort((p, q) => p - q);
}

test('a lens that goes out of focus and back pulls no feature off its place', () => {
  const clip = renderClip(clipScene('defocus', 480, 16));
  const errors = errorsOn(clip, followClip(clip, { most: 120 }));
  expect(errors.length).toBeGreaterThan(400);
  // compared with the sharp first look alone they are off by 0.4, nine of ten by less than 1.1
  expect([errors[errors.length >> 1] < 0.2, errors[Math.floor(0.9 * errors.length)] < 0.5, errors[errors.length >> 1]]).toEqual([true, true, expect.anything()]);
});

test('a camera that turns fast from the first frame on is followed: nobody knows yet how its picture goes', () => {
  const clip = renderClip(clipScene('pan', 960, 4));
  const tracks = followClip(clip, { most: 100 });
  // 17 px from frame to frame; none was left when the first step was held against no motion at all
  for (let f = 0; f < 4; f += 1) expect(tracks.filter((t) => t.frames.includes(f)).length).toBeGreaterThan(50);
  expect(errorsOn(clip, tracks)[0]).toBeLessThan(0.3);
});

describe('a rendered walk', () => {
  const clip = renderClip(clipScene('walk', 400, 14));
  const tracks = followClip(clip, { most: 120 });
  const isFlat = flatOn(clip);

  test('its features stay on what they were found on, both ways, and are spread over the frame', () => {
    const errors = errorsOn(clip, tracks);
    expect(errors.length).toBeGreaterThan(200);
    expect(errors[errors.length >> 1]).toBeLessThan(0.3);
    expect(errors[Math.floor(0.9 * errors.length)]).toBeLessThan(1);
    const first = tracks.filter((t) => t.frames[0] === 0);
    expect(new Set(first.map((t) => Math.floor((4 * t.xPx[0]) / 400) + 4 * Math.floor((3 * t.yPx[0]) / 225))).size).toBeGreaterThanOrEqual(9);
  });

  test('a feature found late is known in the frames before too: its first frame is not where it was found', () => {
    const backwards = followClip(clip, { most: 120, from: 13 });
    expect(backwards.filter((t) => t.frames[0] === 0 && t.frames[t.frames.length - 1] === 13).length).toBeGreaterThan(10);
    for (const t of [...tracks, ...backwards]) for (let i = 1; i < t.frames.length; i += 1) expect(t.frames[i]).toBeGreaterThan(t.frames[i - 1]);
  });

  test('a feature pointed out in the middle is followed both ways under its name', () => {
    const [corner] = tracks.filter((t) => t.frames.length === 14 && isFlat(7, t.xPx[7], t.yPx[7]));
    const at = { id: 'm1', index: 7, xPx: corner.xPx[7], yPx: corner.yPx[7] };
    const marked = followClip(clip, { most: 60, marks: [at] }).find((t) => t.id === 'm1')!;
    expect(marked).toMatchObject({ byHand: true });
    expect(marked.frames[0]).toBe(0);
    expect(marked.frames[marked.frames.length - 1]).toBe(13);
    const q = clip.truth(7, at.xPx, at.yPx, 0)!;
    expect(Math.hypot(marked.xPx[0] - q.xPx, marked.yPx[0] - q.yPx)).toBeLessThan(0.6);
  });

  test('it can be stopped', () => {
    expect(() =>
      followClip(clip, {
        most: 60,
        onProgress: (done) => {
          if (done === 3) throw new Error('enough');
        },
      }),
    ).toThrow('enough');
  });
});
