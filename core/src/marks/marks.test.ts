import { plannedSetup, mark, piece, station } from '../setup/test-setup';
import { studySetup } from '../setup';
import { layGrid, layRing, layScatter, nextMarkIds } from './lay-marks';
import { lifeFrames, markDiameterFor, markSizePx, spareMarks, watchMoments } from './watch-marks';

const still = { kind: 'still' as const, stations: [station()] };
const laid = { kind: 'cross' as const, diameterM: 0.05, taken: [] };

describe('watching marks', () => {
  it('counts, sizes and spreads by hand-made numbers', () => {
    // two marks in two of the twelve cells: 4096 px wide, 1.25 m at 5 m is 1024 px, a quarter of the frame
    const s = studySetup(plannedSetup({ move: still, marks: [mark('a', [-1, 1.5, -5]), mark('b', [1, 1.5, -5], { diameterM: 0.04 })] }));
    const [w] = watchMoments(s);
    expect(w).toMatchObject({ marks: 2, features: 0, secondShare: null });
    expect(w.spread).toBeCloseTo(2 / 12, 12);
    expect(w.smallestPx).toBeCloseTo((4096 * 0.02) / 5, 9);
    expect(w.largestPx).toBeCloseTo((4096 * 0.04) / 5, 9);
    expect(markSizePx(s, 0, 1)).toBeCloseTo(32.768, 9);
  });
  it('tells a line, a plane and a room', () => {
    const shape = (at: [number, number, number][]) => {
      const [w] = watchMoments(studySetup(plannedSetup({ move: still, marks: at.map((p, i) => mark(`m${i}`, p)) })));
      return [w.secondShare!, w.thirdShare!];
    };
    const line = shape([-1, -0.5, 0, 0.5, 1].map((x) => [x, 1.5, -5]));
    expect(line[0]).toBeLessThan(1e-6);
    // a square of 2 m: both extents alike, none across
    const plane = shape([-1, 1].flatMap((x) => [0.6, 2.4].map((y): [number, number, number] => [x, y, -5])));
    expect(plane[0]).toBeCloseTo(0.9, 9);
    expect(plane[1]).toBeLessThan(1e-6);
    const room = shape([-1, 1].flatMap((x) => [0.6, 2.4].flatMap((y) => [-4, -6].map((z): [number, number, number] => [0.5 * x, y, z]))));
    expect(room[1]).toBeCloseTo(0.5, 9);
  });
  it('counts the frames of the longest run', () => {
    // at 1 m/s past a mark 5 m away: the frame is 5 m wide there, and the way is 8 m in 8 s
    const s = studySetup(plannedSetup({ move: { kind: 'dolly', stations: [station({ xM: -4 }), station({ timeS: 8, xM: 4 })] }, marks: [mark('a', [0, 1.5, -5])] }), 161);
    expect(lifeFrames(s, 0) / 24).toBeCloseTo(5, 0);
  });
  it('finds marks that can go, and keeps those that a cell or a count needs', () => {
    const crowd = Array.from({ length: 30 }, (_, i) => mark(`m${i}`, [-1 + 0.03 * i, 1.5 + 0.01 * (i % 5), -5]));
    const s = studySetup(plannedSetup({ move: still, marks: [...crowd, mark('alone', [2, 2.4, -5])] }));
    const spare = spareMarks(s);
    expect(spare).not.toContain('alone');
    expect(spare.length).toBe(31 - 16);
    expect(spareMarks(studySetup(plannedSetup({ move: still, marks: crowd.slice(0, 16) })))).toEqual([]);
  });
  it('advises a diameter of 10 to 20 px: d = px · distance / f', () => {
    const a = markDiameterFor(4096, 5);
    expect(a.leastM).toBeCloseTo(0.012207, 6);
    expect(a.mostM).toBeCloseTo(0.024414, 6);
    expect(a.diameterM).toBe(0.015);
  });
});

describe('laying marks', () => {
  it('counts ids on from those that are taken', () => {
    expect(nextMarkIds(['M3', 'K9', 'M12', 'x'], 2)).toEqual(['M13', 'M14']);
  });
  it('lays a grid centred on the face, on its surface, facing outwards', () => {
    const marks = layGrid(piece(), 'front', 1, laid);
    expect(marks).toHaveLength(6 * 3);
    expect(marks[0].at[0] + marks[5].at[0]).toBeCloseTo(0, 9);
    expect(marks.every((m) => Math.abs(m.at[2] - -4.998) < 1e-9 && m.normal![2] === 1)).toBe(true);
    const back = layGrid(piece({ turnRad: Math.PI }), 'front', 1, laid);
    expect(back[0].normal![2]).toBeCloseTo(-1, 9);
  });
  it('lays a ring on the sides of a box', () => {
    const box = piece({ kind: 'box', widthM: 1, depthM: 1, heightM: 1, xM: 2, zM: -3 });
    const ring = layRing(box, 8, 0.5, laid);
    for (const m of ring) {
      expect(Math.max(Math.abs(m.at[0] - 2), Math.abs(m.at[2] + 3))).toBeCloseTo(0.502, 6);
      expect(m.normal![0] * (m.at[0] - 2) + m.normal![2] * (m.at[2] + 3)).toBeGreaterThan(0.5);
    }
    expect(layRing(box, 8, 0.5, { ...laid, kind: 'ball' })[0].normal).toBeNull();
  });
  it('scatters evenly without repeating steps', () => {
    const marks = layScatter(piece(), 'front', 24, laid, 7);
    const gaps = marks.map((a) => Math.min(...marks.filter((b) => b !== a).map((b) => Math.hypot(a.at[0] - b.at[0], a.at[1] - b.at[1]))));
    // even: 24 on 18 m² would be 0.87 m apart in a grid; none nearer than a third of it
    expect(Math.min(...gaps)).toBeGreaterThan(0.29);
    expect(marks.every((m) => Math.abs(m.at[0]) <= 3 && m.at[1] >= 0 && m.at[1] <= 3)).toBe(true);
    // a grid's steps all repeat; of these, steps to the nearest hardly do
    const steps = marks.map((a) => {
      const b = marks.filter((q) => q !== a).reduce((best, q) => (Math.hypot(a.at[0] - q.at[0], a.at[1] - q.at[1]) < Math.hypot(a.at[0] - best.at[0], a.at[1] - best.at[1]) ? q : best));
      return [a.at[0] - b.at[0], a.at[1] - b.at[1]];
    });
    const alike = steps.filter((s, i) => steps.some((t, j) => j < i && Math.hypot(s[0] - t[0], s[1] - t[1]) < 0.05 * Math.hypot(s[0], s[1])));
    expect(alike.length).toBeLessThan(6);
    expect(layScatter(piece(), 'front', 24, laid, 7)).toEqual(marks);
  });
  it('refuses what cannot be laid', () => {
    expect(() => layGrid(piece(), 'front', 0.01, laid)).toThrow(/spacing/);
    expect(() => layGrid(piece({ widthM: 60 }), 'front', 0.1, laid)).toThrow(/would be needed/);
    expect(() => layRing(piece(), 2, 1, laid)).toThrow(/ring/);
    expect(() => layScatter(piece(), 'front', 4000, laid)).toThrow(/scattered/);
  });
});
