import { renderChequer, uniform, type ChequerScene, type RenderedPlate, some } from '@mesure/synthetic';
import { analysePlate, gridReport, quickLook, withoutDropped } from '.';
import type { GrayImage } from '../picture';
import { wordsOf } from '../warnings';

const W = 1200,
  H = 640,
  F = 1500;
const frame = { widthPx: W, heightPx: H, fxPx: F, fyPx: F };
const setup = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.8 }, focal: { mm: 30 } };

function shoot(change: Partial<ChequerScene> & { cellPx?: number } = {}): { plate: RenderedPlate; image: GrayImage } {
  const { cellPx = 40, ...scene } = change;
  const lens = { fxPx: F, fyPx: F, cx: W / 2, cy: H / 2, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 };
  const plate = renderChequer({ widthPx: W, heightPx: H, lens, cellSlope: cellPx / F, blurPx: 1, noise: 2, offsetCells: [0.3, 0.2], ...scene });
  return { plate, image: { widthPx: W, heightPx: H, data: new Float32Array(plate.gray) } };
}

/** A finger on the corner nearest to the middle and on its right-hand neighbour, a few pixels off. */
function touch(plate: RenderedPlate) {
  const middle = [...plate.corners].sort((a, b) => Math.hypot(a.x - W / 2, a.y - H / 2) - Math.hypot(b.x - W / 2, b.y - H / 2))[0];
  const next = plate.corners.find((c) => c.row === middle.row && c.col === middle.col + 1)!;
  return { x: middle.x + 5, y: middle.y - 4, nextX: next.x - 3, nextY: next.y + 4 };
}

const worstPx = (plate: RenderedPlate, nodes: readonly { x: number; y: number }[]) => Math.max(...nodes.map((n) => Math.min(...plate.corners.map((c) => Math.hypot(c.x - n.x, c.y - n.y)))));

describe('a touched start', () => {
  test.each<[string, Partial<ChequerScene> & { cellPx?: number }, string]>([
    ['edges too soft for the search', { blurPx: 7, cellPx: 60 }, 'blurred'],
    ['fewer corners than chance could make', { boardHalfCells: [2.8, 1.8] }, 'no-chart'],
    ['cells as large as a third of the frame', { cellPx: 220 }, 'no-chart'],
  ])('%s: the search gives up, the touch finds the corners', (_name, scene, reason) => {
    const { plate, image } = shoot(scene);
    expect(analysePlate(image, frame).reason).toBe(reason);
    const found = analysePlate(image, frame, { start: touch(plate) });
    expect(found.status).toBe('found');
    expect(found.nodes.length).toBeGreaterThanOrEqual(0.9 * plate.corners.length - 1);
    expect(worstPx(plate, found.nodes)).toBeLessThan(1.2);
  });

  test('on a good plate it gives the lattice that the search gives', () => {
    const { plate, image } = shoot({ rollRad: 0.5 });
    const auto = analysePlate(image, frame);
    const touched = analysePlate(image, frame, { start: touch(plate) });
    // but for a corner at the very border, which one of them may find room for
    expect(Math.abs(touched.nodes.length - auto.nodes.length)).toBeLessThanOrEqual(1);
    expect(worstPx(plate, touched.nodes)).toBeLessThan(0.1);
  });

  test('beside the chart, or with one finger, it says so', () => {
    const { image } = shoot({ boardHalfCells: [4, 3] });
    expect(analysePlate(image, frame, { start: { x: 60, y: 60, nextX: 100, nextY: 60 } })).toMatchObject({ status: 'refused', message: expect.stringContaining('No corner under the touch') });
    expect(() => analysePlate(image, frame, { start: { x: 60, y: 60, nextX: 62, nextY: 60 } })).toThrow(/at least 6 px apart/);
  });
});

describe('corners taken out', () => {
  test('the fit follows without them, and gets better when they were wrong', () => {
    const { plate, image } = shoot();
    const found = analysePlate(image, frame);
    const jitter = uniform(3);
    // somebody's sticker lies over a part of the chart and moved its corners
    const spoilt = { ...found, nodes: found.nodes.map((n) => (n.row < 4 && n.col < 8 ? { ...n, x: n.x + 3 * (jitter() - 0.5), y: n.y + 3 * (jitter() - 0.5) } : n)) };
    const wrong = spoilt.nodes.filter((n) => n.row < 4 && n.col < 8);
    const kept = withoutDropped(spoilt, wrong, frame);
    expect(kept.nodes).toHaveLength(found.nodes.length - wrong.length);
    const before = gridReport([spoilt], ['p'], setup);
    const after = gridReport([kept], ['p'], setup);
    expect(after.rmsPx!).toBeLessThan(0.05);
    expect(worstPx(plate, kept.nodes)).toBeLessThan(0.1);
    expect(before.plates[0].corners).toBeGreaterThan(after.plates[0].corners);
    // by place, not by number: the same places again take out the same corners
    expect(analysePlate(image, frame, { dropped: found.nodes.slice(0, 7) }).nodes).toHaveLength(found.nodes.length - 7);
  });

  test('a lattice is not worn down to nothing', () => {
    const { image } = shoot();
    const found = analysePlate(image, frame);
    expect(withoutDropped(found, found.nodes.slice(5), frame)).toMatchObject({ status: 'refused', reason: 'too-few-corners', message: expect.stringContaining('Take some back') });
    expect(withoutDropped(found, [{ x: -50, y: -50 }], frame)).toBe(found);
  });
});

/** Spreads a picture along x with a box: a pan during the exposure. */
function panned(image: GrayImage, px: number): GrayImage {
  const data = image.data.map((_, i) => {
    const x = i % W;
    let sum = 0;
    for (let k = 0; k < px; k += 1) sum += image.data[i - x + Math.min(W - 1, Math.max(0, x + k - (px >> 1)))];
    return sum / px;
  });
  return { ...image, data };
}

/** Soft towards the right-hand border, as when the chart stands askew to the focus plane. */
function softRight(sharp: GrayImage, soft: GrayImage): GrayImage {
  return { ...sharp, data: sharp.data.map((v, i) => (i % W > 0.7 * W ? soft.data[i] : v)) };
}

describe('blur by zone', () => {
  const words = (image: GrayImage) => analysePlate(image, frame);
  const remark = (image: GrayImage) => wordsOf(gridReport([words(image)], ['p'], setup).plates[0].warnings).join(' ');

  test('a sharp plate has nine zones and no remark', () => {
    const { image } = shoot({ cellPx: 50 });
    const { zones } = words(image);
    expect(zones).toHaveLength(9);
    for (const z of zones) {
      expect(z.acrossPx!).toBeGreaterThan(0.8);
      expect(z.acrossPx!).toBeLessThan(1.4);
      expect(z.downPx!).toBeLessThan(1.4);
    }
    expect(remark(image)).toBe('');
  });

  test('a camera that moved is told from one out of focus', () => {
    expect(remark(panned(shoot({ cellPx: 60 }).image, 9))).toMatch(/Moved: edges are spread \d\.\d px along the chart's columns and \d\.\d px along its rows/);
  });

  test('a soft side is named', () => {
    expect(remark(softRight(shoot({ cellPx: 60 }).image, shoot({ cellPx: 60, blurPx: 3 }).image))).toMatch(/Soft in the upper right, right, lower right/);
  });
});

describe('a quick look', () => {
  test.each<[string, Partial<ChequerScene> & { cellPx?: number }, string, RegExp]>([
    ['a good plate', { offsetCells: [0.5, 0.5] }, 'keep', /Worth keeping: \d+ corners, \d+ % covered, blur 1\.\d px/],
    ['a small chart', { boardHalfCells: [6, 4] }, 'again', /only \d+ % covered/],
    ['a soft one', { blurPx: 5, cellPx: 60 }, 'doubtful', /edges are spread [45]\.\d px/],
    ['no chart', { dark: 100, bright: 100 }, 'again', /no chart found/],
  ])('%s', (_name, scene, worth, sentence) => {
    const look = quickLook(shoot(scene).image);
    expect(look.worth).toBe(worth);
    expect(look.sentence).toMatch(sentence);
  });
});

describe('a small chart before a cluttered wall, as in a photograph', () => {
  /** Rectangles, stripes and grain behind the chart, by a seed; the chart itself stays as it was rendered. */
  function cluttered(seed: number, scene: Partial<ChequerScene> & { cellPx?: number }): { plate: RenderedPlate; image: GrayImage } {
    const shot = shoot(scene);
    // where nothing of the chart is seen, its two shades do not matter
    const other = shoot({ ...scene, dark: 90, bright: 90, noise: 0 }).image;
    const white = shoot({ ...scene, dark: 200, bright: 200, noise: 0 }).image;
    const u = uniform(seed);
    const boxes = Array.from({ length: 60 }, () => ({ x: u() * W, y: u() * H, w: 8 + 90 * u(), h: 8 + 90 * u(), v: 20 + 210 * u(), stripe: u() < 0.4 ? 6 + 14 * u() : 0 }));
    const data = shot.image.data.map((v, i) => {
      if (Math.abs(other.data[i] - white.data[i]) > 2) return v;
      const [x, y] = [i % W, Math.floor(i / W)];
      let wall = 120 + 30 * Math.sin(x / 90) + 8 * (u() - 0.5);
      for (const b of boxes) if (x > b.x && x < b.x + b.w && y > b.y && y < b.y + b.h) wall = b.stripe > 0 && Math.floor((x - b.x) / b.stripe + (y - b.y) / b.stripe) % 2 === 0 ? 255 - b.v : b.v;
      return wall;
    });
    return { plate: shot.plate, image: { ...shot.image, data } };
  }

  test.each(some([1, 2, 3, 4, 5, 6], 2))('wall %d: no corner is invented, and nearly all are found', (seed) => {
    const { plate, image } = cluttered(seed, { boardHalfCells: [5, 3.5], cellPx: 44, rollRad: 0.1 * seed, tiltXRad: 0.08 * seed, tiltYRad: -0.3 + 0.1 * seed, dark: 45, bright: 205 });
    const found = analysePlate(image, frame);
    expect(found.status).toBe('found');
    expect(worstPx(plate, found.nodes)).toBeLessThan(1);
    expect(found.nodes.length).toBeGreaterThanOrEqual(0.85 * 9 * 6);
  });
});
