import { coverOf } from './cover';

const frame = { widthPx: 1000, heightPx: 500 };
const box = (left: number, top: number, right: number, bottom: number) => [
  { x: left, y: top },
  { x: right, y: top },
  { x: right, y: bottom },
  { x: left, y: bottom },
];

describe('what several plates cover', () => {
  test('is their union, not the best of them', () => {
    const half = coverOf([box(0, 0, 500, 500)], frame);
    expect(half.share).toBeCloseTo(0.5, 2);
    expect(coverOf([box(0, 0, 500, 500), box(500, 0, 1000, 500)], frame)).toEqual({ share: 1, empty: null });
    // what two cover counts once
    expect(coverOf([box(0, 0, 600, 500), box(400, 0, 1000, 500)], frame).share).toBe(1);
    expect(coverOf([box(100, 100, 300, 300), box(100, 100, 300, 300)], frame).share).toBeCloseTo(0.08, 2);
  });
  test.each<[string, [number, number, number, number]]>([
    ['left side', [300, 0, 1000, 500]],
    ['right side', [0, 0, 700, 500]],
    ['top', [0, 120, 1000, 500]],
    ['bottom', [0, 0, 1000, 400]],
    ['right side and bottom', [0, 0, 600, 400]],
    ['right side, left side and top', [250, 100, 600, 500]],
  ])('names the empty side: %s', (side, [l, t, r, b]) => {
    expect(coverOf([box(l, t, r, b)], frame).empty).toBe(side);
  });
  test('names an empty corner of a slanted chart, and nothing where there is nothing to name', () => {
    const cut = [
      { x: 0, y: 0 },
      { x: 550, y: 0 },
      { x: 1000, y: 330 },
      { x: 1000, y: 500 },
      { x: 0, y: 500 },
    ];
    expect(coverOf([cut], frame).empty).toBe('top right corner');
    expect(coverOf([box(30, 20, 970, 480)], frame).empty).toBeNull();
    expect(coverOf([], frame)).toEqual({ share: 0, empty: null });
    expect(coverOf([[{ x: 1, y: 1 }]], frame)).toEqual({ share: 0, empty: null });
  });
});
