import { clipScene, renderClip } from '@mesure/synthetic';
import { CoreError } from '../errors';
import { isInside, maskedShare, outlineAt, type ClipMask } from './mask';
import { trackClip, type ClipTrack } from './track-clip';
import { wordsOf } from '../warnings';

const W = 480;
const clip = renderClip(clipScene('burn-in and box', W, 24));
const kindOf = (t: ClipTrack): string => {
  const m = t.frames.length >> 1;
  return clip.kindAt(t.frames[m], t.xPx[m], t.yPx[m]);
};

describe('a walk with a box that moves and figures burnt in', () => {
  const result = trackClip(clip, { most: 200 });

  test('what is on the box or on the figures has weight 0 and says why; what stands still is kept', () => {
    const still = result.tracks.filter((t) => kindOf(t) === 'still');
    const box = result.tracks.filter((t) => kindOf(t) === 'box');
    const figures = result.tracks.filter((t) => kindOf(t) === 'burn-in');
    expect(box.length).toBeGreaterThanOrEqual(4);
    expect(figures.length).toBeGreaterThanOrEqual(4);
    expect(figures.filter((t) => t.weight.some((w) => w > 0))).toEqual([]);
    expect(figures.map((t) => t.note)).toEqual(figures.map(() => 'burn-in'));
    expect(box.filter((t) => t.note === '' && t.weight.some((w) => w > 0)).map((t) => t.id)).toEqual([]);
    expect(still.filter((t) => t.note === '').length / still.length).toBeGreaterThan(0.8);
    expect(result.judged).toBe(true);
    expect(wordsOf(result.warnings).join()).toContain('burnt into the picture');
  });

  test('each frame says how many tracks a solve may use, and over how much of it they lie', () => {
    expect(result.frames).toHaveLength(24);
    result.frames.forEach((f, index) => {
      expect(f.tracks).toBe(result.tracks.filter((t) => t.frames.some((i, n) => i === index && t.weight[n] > 0)).length);
      expect(f.tracks).toBeGreaterThanOrEqual(40);
      expect(f.cells).toBeGreaterThanOrEqual(10);
    });
  });
});

test('a mark pointed out a few pixels off comes to its centre; put right on a second frame it is still one track, and meets both', () => {
  // a quartered disc of 12 pixels pasted onto a wall that moves, and gone for two frames
  const at = (f: number) => ({ x: 150 + 3.3 * f, y: 120 + 0.6 * f });
  const pasted = {
    ...clip,
    count: 12,
    at(f: number) {
      const { data, ...size } = clip.at(f);
      const copy = Uint8Array.from(data);
      const { x, y } = at(f);
      if (f !== 5 && f !== 6)
        for (let j = Math.floor(y) - 11; j <= y + 11; j += 1)
          for (let i = Math.floor(x) - 11; i <= x + 11; i += 1) {
            let [black, inside] = [0, 0];
            for (let v = 0.5; v < 4; v += 1)
              for (let u = 0.5; u < 4; u += 1) {
                const [dx, dy] = [i + u / 4 - x, j + v / 4 - y];
                if (Math.hypot(dx, dy) > 10) continue;
                inside += 1;
                if (dx * dy > 0) black += 1;
              }
            copy[j * W + i] = ((16 - inside) * copy[j * W + i] + black * 20 + (inside - black) * 230) / 16;
          }
      return { ...size, data: copy };
    },
  };
  const mark = (index: number) => ({ id: 'K3', index, xPx: at(index).x + 3.4, yPx: at(index).y - 2.9 });
  const named = (marks: ReturnType<typeof mark>[]) => trackClip(pasted, { most: 60, marks }).tracks.filter((t) => t.id === 'K3');
  const [once] = named([mark(1)]);
  expect(Math.max(...once.frames)).toBeLessThan(7);
  const both = named([mark(1), mark(9)]);
  expect(both).toHaveLength(1);
  expect(both[0].frames).toEqual(expect.arrayContaining([0, 1, 2, 3, 4, 7, 8, 9, 10, 11]));
  both[0].frames.forEach((f, i) => {
    if (f !== 5 && f !== 6) expect(Math.hypot(both[0].xPx[i] - at(f).x, both[0].yPx[i] - at(f).y)).toBeLessThan(0.25);
  });
});

describe('masks', () => {
  const mask: ClipMask = {
    keys: [
      { index: 0, outline: [[0, 0], [100, 0], [100, 50], [0, 50]] }, // prettier-ignore
      { index: 10, outline: [[200, 0], [300, 0], [300, 50], [200, 50]] }, // prettier-ignore
    ],
  };

  test('an outline moves evenly from one frame to the next, and stays before and after', () => {
    expect(outlineAt(mask, 5)![0]).toEqual([100, 0]);
    expect(outlineAt(mask, 30)).toEqual(mask.keys[1].outline);
    expect(outlineAt({ ...mask, to: 7 }, 8)).toBeNull();
    expect(isInside(outlineAt(mask, 5)!, 150, 25)).toBe(true);
    expect(isInside(outlineAt(mask, 5)!, 99, 25)).toBe(false);
    expect(maskedShare([mask], 0, 400, 100)).toBeCloseTo(0.125, 2);
    expect(() => outlineAt({ keys: [mask.keys[0], { index: 3, outline: mask.keys[0].outline.slice(1) }] }, 1)).toThrow(CoreError);
  });

  test('nothing is taken up under a mask, and a track that comes under it has weight 0 there', () => {
    const half: ClipMask = { keys: [{ index: 0, outline: [[0, 0], [W / 2, 0], [W / 2, 400], [0, 400]] }] }; // prettier-ignore
    const { tracks, frames } = trackClip({ ...clip, count: 8 }, { most: 120, masks: [half] });
    for (const t of tracks) t.xPx.forEach((x, i) => expect(x < W / 2 && t.weight[i] > 0).toBe(false));
    expect(tracks.filter((t) => t.weight.some((w) => w > 0)).length).toBeGreaterThan(20);
    expect(frames[0].masked).toBeCloseTo(0.5, 1);
  });
});

test('a clip of one frame is none', () => {
  expect(() => trackClip({ ...clip, count: 1 })).toThrow(/two are the least/);
});
