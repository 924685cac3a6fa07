import { normals, placeBehind, renderStill, roomPanels, seenAt, type Panel, type StillCamera } from '@mesure/synthetic';
import { distance, type Vec3 } from '../math';
import { wordsOf } from '../warnings';
import { placeWalk, type PlacedWalk, type WalkShot } from './place-walk';
import { walkFeatures } from './walk-features';

/** A room with two screens that stand in it, so that there is depth. */
const ROOM: Panel[] = [
  ...roomPanels(12, 8, 3, 9),
  { corner: [-1.2, 0.4, -2.2], along: [1.1, 0, 0.4], up: [0, 1.3, 0], pattern: 77 },
  { corner: [0.6, 0.2, -2.9], along: [0.9, 0, -0.3], up: [0, 1.6, 0], pattern: 78 },
];
const WALL: Panel[] = roomPanels(12, 8, 3, 9);
/** Places on the walls that somebody taped: on the far wall and on a screen. */
const FOCAL_PX = 480;
const MARKS: Record<string, Vec3> = { m1: [-1.9, 1.2, -4], m2: [1.6, 1.9, -4], m3: [0.3, 0.7, -4] };

const arc = (i: number): StillCamera => {
  const x = -1.6 + 0.46 * i;
  return {
    at: [x, 1.5 + 0.07 * Math.sin(3 * i), 1 + 0.3 * Math.cos(i)],
    headingRad: Math.atan2(x * 0.5, 3.4) + 0.03 * Math.sin(7 * i),
    tiltRad: -0.03 + 0.02 * Math.cos(2 * i),
    widthPx: 640,
    heightPx: 427,
    focalPx: FOCAL_PX,
  };
};
/** Every other picture by a phone held upright. */
const mixed = (i: number): StillCamera => (i % 2 === 1 ? { ...arc(i), widthPx: 450, heightPx: 600, focalPx: 470 } : arc(i));
const stationOf = (c: StillCamera) => ({ at: [...c.at] as Vec3, headingRad: c.headingRad, tiltRad: c.tiltRad });

const shoot = (c: StillCamera, seed: number, panels = ROOM) => {
  const { widthPx, heightPx, gray } = renderStill(panels, c, { noise: 2, seed, blurPx: [0.5, 0.5] });
  return walkFeatures({ widthPx, heightPx, data: gray });
};
const CAMERAS = Array.from({ length: 8 }, (_, i) => mixed(i));
const FEATURES = CAMERAS.map((c, i) => shoot(c, i + 1));
const shots = (change: (s: WalkShot, i: number) => Partial<WalkShot> = () => ({})): WalkShot[] =>
  CAMERAS.map((c, i) => {
    const shot: WalkShot = { name: `still-${i + 1}`, features: FEATURES[i], focalPx: c.focalPx, lens: c.widthPx === 640 ? 'house' : 'phone', station: stationOf(c) };
    return { ...shot, ...change(shot, i) };
  });
const lens = (w: PlacedWalk, name: string) => w.lenses.find((l) => l.lens === name)!;

test.each([0.5, 2])('a focal length that was noted %p times too long is found all the same', (times) => {
  const w = placeWalk(shots((s) => ({ focalPx: s.focalPx * times })));
  expect(w.status).toBe('solved');
  expect(Math.abs(lens(w, 'house').focalPx / FOCAL_PX - 1)).toBeLessThan(0.03);
  expect(lens(w, 'house').told).toBe(true);
});

test('pictures of two cameras find their places and focal lengths, from records that are both wrong', () => {
  const w = placeWalk(shots((s) => ({ focalPx: s.focalPx * (s.lens === 'house' ? 1.2 : 0.85) })));
  expect(w.status).toBe('solved');
  expect(w.scaledBy).toBe('stations');
  w.stills.forEach((s, i) => expect(distance(s!.position, CAMERAS[i].at as unknown as Vec3)).toBeLessThan(0.02));
  for (const [name, truth] of [
    ['house', FOCAL_PX],
    ['phone', 470],
  ] as const) {
    const found = lens(w, name);
    expect(found.told).toBe(true);
    expect(found.sigmaPx!).toBeLessThan(0.02 * truth);
    expect(Math.abs(found.focalPx - truth)).toBeLessThan(4 * found.sigmaPx!);
  }
  // what was found lies on the walls and screens of the room
  const off = w.places.filter((p) => p.stills >= 3).map((p) => offSurfaces(p.position));
  expect(off.length).toBeGreaterThan(40);
  expect(off.sort((a, b) => a - b)[Math.floor(0.8 * off.length)]).toBeLessThan(0.08);
});

/** How far a place lies before or behind what some camera sees in its direction, m; another one may see it hidden. */
function offSurfaces(p: Vec3): number {
  return Math.min(
    ...CAMERAS.map((c) => {
      const at = seenAt(c, p);
      const hit = at && placeBehind(ROOM, c, at.xPx, at.yPx);
      return hit ? Math.abs(distance(hit.at as unknown as Vec3, c.at as unknown as Vec3) - distance(p, c.at as unknown as Vec3)) : Infinity;
    }),
  );
}

test('two marks with a tape between them say what a metre is, whatever the stations say', () => {
  const noise = normals(3);
  const marked = (s: WalkShot, i: number) => ({
    station: { ...s.station!, at: s.station!.at.map((v) => 1.3 * v) as unknown as Vec3 },
    marks: Object.entries(MARKS).flatMap(([id, p]) => {
      const at = seenAt(CAMERAS[i], p);
      return at && at.xPx > 0 && at.yPx > 0 && at.xPx < CAMERAS[i].widthPx && at.yPx < CAMERAS[i].heightPx ? [{ id, xPx: at.xPx + 0.4 * noise(), yPx: at.yPx + 0.4 * noise() }] : [];
    }),
  });
  const m = distance(MARKS.m1, MARKS.m2);
  const w = placeWalk(shots(marked), { anchors: { lengths: [{ a: 'm1', b: 'm2', m, sigmaM: 0.003 }] } });
  expect(w.scaledBy).toBe('measured');
  const at = (id: string) => w.places.find((p) => p.mark === id)!.position;
  expect(distance(at('m1'), at('m2'))).toBeCloseTo(m, 2);
  const sigma = w.sigmaScalePct! / 100;
  expect(sigma).toBeLessThan(0.03);
  expect(Math.abs(distance(at('m2'), at('m3')) / distance(MARKS.m2, MARKS.m3) - 1)).toBeLessThan(3 * sigma);
  // the stations were planned a third too far apart, and the pictures do not follow them
  expect(Math.abs(distance(w.stills[0]!.position, w.stills[7]!.position) / distance(CAMERAS[0].at as unknown as Vec3, CAMERAS[7].at as unknown as Vec3) - 1)).toBeLessThan(4 * sigma);
});

test('a picture that was taken somewhere else than planned is named, and the size does not count on it', () => {
  const w = placeWalk(shots((s, i) => (i === 5 ? { station: { ...s.station!, at: [s.station!.at[0], s.station!.at[1], s.station!.at[2] - 0.9] } } : {})));
  expect(wordsOf(w.warnings).filter((words) => words.includes('from its station'))).toEqual([expect.stringMatching(/^still-6 was taken 0\.9\d? m from its station/)]);
  expect(distance(w.stills[0]!.position, CAMERAS[0].at as unknown as Vec3)).toBeLessThan(0.03);
});

test('one flat wall square-on tells no focal length: it is taken as recorded, and that is said', () => {
  const cameras = Array.from({ length: 5 }, (_, i): StillCamera => ({ at: [-1.2 + 0.5 * i, 1.5, -2.2], headingRad: 0, tiltRad: 0, widthPx: 640, heightPx: 427, focalPx: 480 }));
  const w = placeWalk(cameras.map((c, i) => ({ name: `still-${i + 1}`, features: shoot(c, i + 20, WALL), focalPx: 470, lens: 'house', station: stationOf(c) })));
  expect(w.status).toBe('solved');
  expect(w.lenses[0].told).toBe(false);
  expect(wordsOf(w.warnings).join(' ')).toMatch(/do not tell the focal length/);
  w.stills.forEach((s, i) => expect(distance(s!.position, cameras[i].at as unknown as Vec3)).toBeLessThan(0.12));
});

test('a mark that a finger put two pixels off is no mark that moved, however well the pictures lie on each other', () => {
  const cameras = Array.from({ length: 5 }, (_, i): StillCamera => ({ at: [-1.2 + 0.5 * i, 1.5, -1.6], headingRad: 0, tiltRad: 0, widthPx: 640, heightPx: 427, focalPx: 480 }));
  const clear = ({ widthPx, heightPx, ...c }: StillCamera) => {
    const { gray } = renderStill(WALL, { ...c, widthPx, heightPx }, { noise: 0.3, seed: 1, blurPx: [0.7, 0.7] });
    return walkFeatures({ widthPx, heightPx, data: gray });
  };
  const ends: Record<string, Vec3> = { n1: [-0.9, 1.2, -4], n2: [0.3, 1.9, -4] };
  const marks = (c: StillCamera, i: number) =>
    i < 1 || i > 2
      ? []
      : Object.entries(ends).map(([id, p]) => {
          const { xPx, yPx } = seenAt(c, p)!;
          return { id, xPx: xPx + (i - 1.5), yPx: yPx + 4 * (i - 1.5) };
        });
  const m = distance(ends.n1, ends.n2);
  const w = placeWalk(
    cameras.map((c, i) => ({ name: `still-${i + 1}`, features: clear(c), focalPx: 480, lens: 'house', marks: marks(c, i) })),
    { anchors: { lengths: [{ a: 'n1', b: 'n2', m, sigmaM: 0.003 }] } },
  );
  expect(w.noisePx!).toBeLessThan(0.1);
  expect(w.places.filter((p) => p.mark)).toHaveLength(2);
  expect(w.scaledBy).toBe('measured');
  // and the metre is as good as the marks are, which is not what the features are
  const off = distance(w.stills[0]!.position, w.stills[4]!.position) / 2 - 1;
  expect(Math.abs(off)).toBeLessThan(3 * (w.sigmaScalePct! / 100));
  expect(w.sigmaScalePct!).toBeGreaterThan(0.2);
});

test('of four pictures the focal length is not asked, and none is claimed', () => {
  const w = placeWalk(shots().slice(0, 4));
  expect(w.stills.filter(Boolean).length).toBeGreaterThanOrEqual(3);
  for (const l of w.lenses) expect([l.told, l.sigmaPx]).toEqual([false, null]);
  expect(wordsOf(w.warnings).join(' ')).toMatch(/do not tell the focal length/);
});

test('a picture that shows something else has no place, and is told why', () => {
  const stranger = shoot({ ...arc(3), headingRad: Math.PI }, 90);
  const w = placeWalk(shots((_, i) => (i === 4 ? { features: stranger } : {})));
  expect(w.status).toBe('partial');
  expect(w.unplaced).toEqual([{ still: 4, why: expect.stringMatching(/nothing in it was found/) }]);
  expect(w.stills[4]).toBeNull();
  expect(w.stills.filter(Boolean)).toHaveLength(7);
});

test('too few pictures, or one without a focal length, is no walk', () => {
  expect(() => placeWalk(shots().slice(0, 2))).toThrow(/three at least/);
  expect(() => placeWalk(shots((_, i) => (i === 2 ? { focalPx: 0 } : {})))).toThrow(/still-3: its focal length is not known/);
});
