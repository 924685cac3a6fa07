import { CoreError } from '../errors';
import { featuresOf, fromPiece, hides, inside, toPiece } from './set-piece';
import { checkMove, momentAt, momentBeforeObject, objectPoseAt, sampleMove, toCameraOf } from './move';
import { exposureS, pointsOf, runPx, studySetup } from './study-setup';
import { mark, piece, plannedSetup, station } from './test-setup';

const close = (got: ArrayLike<number>, wanted: readonly number[], digits = 9) => wanted.forEach((v, i) => expect(got[i]).toBeCloseTo(v, digits));

describe('camera axes', () => {
  it('looks along −Z, down and to the left by hand-turned axes', () => {
    // rows right, down, forward
    close(toCameraOf(0, 0, 0), [1, 0, 0, 0, -1, 0, 0, 0, -1]);
    // a quarter turn to the left looks along −X; its right is −Z
    close(toCameraOf(Math.PI / 2, 0, 0), [0, 0, -1, 0, -1, 0, -1, 0, 0]);
    // straight up: forward is +Y, and the picture's down points back along... the top of the picture is behind, +Z
    close(toCameraOf(0, Math.PI / 2, 0), [1, 0, 0, 0, 0, -1, 0, 1, 0]);
    // a quarter roll: right becomes up
    close(toCameraOf(0, 0, Math.PI / 2), [0, 1, 0, 1, 0, 0, 0, 0, -1]);
  });
});

describe('a move', () => {
  it('runs evenly between two stations, smoothly through more, and rests outside', () => {
    const { move } = plannedSetup();
    expect(momentAt(move, 1).position[0]).toBeCloseTo(-0.5, 12);
    expect(momentAt(move, 9).position[0]).toBe(1);
    const three = { ...move, stations: [station(), station({ timeS: 1, xM: 1 }), station({ timeS: 3, xM: 1 })] };
    expect(momentAt(three, 1).position[0]).toBeCloseTo(1, 12);
    // Catmull–Rom at the middle of the first second, by hand: slopes 1 and 1/3 give h00·0 + h10·1 + h01·1 + h11·1/3 = 0.125 + 0.5 − 0.125/3
    expect(momentAt(three, 0.5).position[0]).toBeCloseTo(0.125 + 0.5 - 0.125 / 3, 12);
  });
  it('zooms by ratios and pulls focus by inverse distance', () => {
    const move = { kind: 'zoom' as const, stations: [station({ focalMm: 25, focusM: 1 }), station({ timeS: 2, focalMm: 100, focusM: 3 })] };
    expect(momentAt(move, 1).focalMm).toBeCloseTo(50, 9);
    expect(momentAt(move, 1).focusM).toBeCloseTo(1.5, 9);
  });
  it('swings the pupil round the axis of a pan head', () => {
    const move = { kind: 'pan' as const, pupilAheadM: 0.1, stations: [station({ headingRad: -Math.PI / 2 }), station({ timeS: 2, headingRad: Math.PI / 2 })] };
    close(momentAt(move, 0).position, [0.1, 1.5, 0]);
    close(momentAt(move, 1).position, [0, 1.5, -0.1]);
    close(momentAt(move, 2).position, [-0.1, 1.5, 0]);
  });
  it('sways a hand by the stated deviation', () => {
    const move = { kind: 'handheld' as const, swayM: 0.03, swayRad: 0, stations: [station(), station({ timeS: 100 })] };
    const off = sampleMove(move, 4000).map((m) => m.position[0]);
    expect(Math.sqrt(off.reduce((s, v) => s + v * v, 0) / off.length)).toBeCloseTo(0.03, 3);
  });
  it('turns a moving object into a camera that goes round it', () => {
    const move = {
      kind: 'object' as const,
      objectId: 'cart',
      stations: [station()],
      objectStations: [
        { timeS: 0, xM: 1, zM: -4, baseM: 0, turnRad: 0 },
        { timeS: 2, xM: 3, zM: -4, baseM: 0, turnRad: Math.PI / 2 },
      ],
    };
    const still = momentAt(move, 2);
    const pose = objectPoseAt(move, 2)!;
    const seen = momentBeforeObject(still, pose);
    // a corner of the cart at rest, (1.5, 1, −4), has gone to (3, 1, −4.5): a quarter turn takes +X to −Z
    const there = [3, 1, -4.5];
    const r = still.toCamera;
    const inCamera = [0, 1, 2].map((k) => r[3 * k] * (there[0] - still.position[0]) + r[3 * k + 1] * (there[1] - still.position[1]) + r[3 * k + 2] * (there[2] - still.position[2]));
    const q = seen.toCamera;
    close(
      [0, 1, 2].map((k) => q[3 * k] * (1.5 - seen.position[0]) + q[3 * k + 1] * (1 - seen.position[1]) + q[3 * k + 2] * (-4 - seen.position[2])),
      inCamera,
    );
  });
  it('refuses no station and times that do not rise', () => {
    expect(() => checkMove({ kind: 'still', stations: [] })).toThrow(CoreError);
    expect(() => checkMove({ kind: 'dolly', stations: [station({ timeS: 1 }), station({ timeS: 1 })] })).toThrow(/not after/);
  });
});

describe('pieces', () => {
  it('carry places into their axes and back', () => {
    const p = piece({ xM: 2, zM: -3, baseM: 0.4, turnRad: 0.7 });
    close(fromPiece(p, toPiece(p, [1.1, 2.2, 3.3])), [1.1, 2.2, 3.3]);
    close(fromPiece({ ...p, turnRad: Math.PI / 2 }, [1, 0, 0]), [2, 0.4, -4]);
  });
  it('hide what lies behind, not what sits on them, before them or beside them', () => {
    const p = piece();
    const eye = [0, 1.5, 0] as const;
    expect(hides(p, eye, [0, 1.5, -7])).toBe(true);
    expect(hides(p, eye, [0, 1.5, -5])).toBe(false);
    expect(hides(p, eye, [0, 1.5, -3])).toBe(false);
    expect(hides(p, eye, [9, 1.5, -7])).toBe(false);
    expect(hides(p, eye, [0, 7, -7])).toBe(false); // over its top
    expect(inside(p, [0, 1, -5.1])).toBe(true);
    expect(inside(p, [0, 1, -4.9])).toBe(false);
  });
  it('spread their features over their faces by area', () => {
    const list = featuresOf(piece({ detail: 'rich' }));
    expect(list.length).toBeGreaterThanOrEqual(16);
    // the two large faces carry them; the 6 × 0.2 m top is an edge
    expect(list.every((f) => Math.abs(f.normal[2]) === 1)).toBe(true);
    expect(featuresOf(piece({ detail: 'rich', kind: 'sky' }))).toEqual([]);
  });
});

describe('a study', () => {
  const setup = plannedSetup({
    move: { kind: 'still', stations: [station()] },
    pieces: [piece()],
    marks: [
      mark('ahead', [0.5, 1.5, -5], { normal: [0, 0, 1] }),
      mark('behind the wall', [0.5, 1.5, -6]),
      mark('behind the camera', [0, 1.5, 2]),
      mark('beside the frame', [4, 1.5, -5]),
      mark('turned away', [-0.5, 1.5, -4], { normal: [0, 0, -1] }),
    ],
  });
  it('projects by hand-made numbers and knows what is seen', () => {
    const s = studySetup(setup);
    expect(s.points.filter((_, p) => s.seen[p]).map((p) => p.id)).toEqual(['ahead']);
    // f = 4096 px: 0.5 m at 5 m is 409.6 px right of the middle
    close([s.xPx[0], s.yPx[0], s.depthM[0]], [2048 + 409.6, 1080, 5]);
  });
  it('leaves out what sits on moving pieces, and takes only that of a moving object', () => {
    const cart = piece({ id: 'cart', kind: 'vehicle', moves: true, detail: 'some' });
    const marks = [mark('on it', [0, 1, -4], { pieceId: 'cart' }), mark('on the floor', [0, 0, -4])];
    const still = plannedSetup({ pieces: [cart], marks });
    expect(pointsOf(still).map((p) => p.id)).toEqual(['on the floor']);
    const move = { kind: 'object' as const, objectId: 'cart', stations: [station()], objectStations: [{ timeS: 0, xM: 0, zM: -5, baseM: 0, turnRad: 0 }] };
    expect(pointsOf({ ...still, move }).map((p) => p.id)).toContain('on it');
    expect(pointsOf({ ...still, move }).map((p) => p.id)).not.toContain('on the floor');
  });
  it('blur of travelling is f·v·t/d, of turning f·ω·t in the middle, of standing none', () => {
    // 0.5 m/s, 180° at 24: 1/48 s; 4096 · 0.5/48/5
    const s = studySetup(plannedSetup({ marks: [mark('a', [0, 1.5, -5])] }));
    const middle = Math.round((s.moments.length - 1) / 2);
    expect(exposureS(s.setup)).toBeCloseTo(1 / 48, 12);
    expect(runPx(s, middle, [s.moments[middle].position[0], 1.5, -5], 1 / 48)).toBeCloseTo((4096 * 0.5) / 48 / 5, 2);
    const pan = studySetup(plannedSetup({ move: { kind: 'pan', stations: [station({ headingRad: 0.3 }), station({ timeS: 4, headingRad: -0.3 })] } }));
    const m = pan.moments[30];
    expect(runPx(pan, 30, [m.position[0] + 5 * m.toCamera[6], 1.5, m.position[2] + 5 * m.toCamera[8]], 1 / 48)).toBeCloseTo((4096 * 0.15) / 48, 2);
    const still = studySetup(plannedSetup({ move: { kind: 'still', stations: [station()] } }));
    expect(runPx(still, 0, [0, 1, -4], 1)).toBe(0);
  });
  it('stays quick and says so with ten thousand marks', () => {
    const many = Array.from({ length: 10_000 }, (_, i) => mark(`m${i}`, [((i % 100) - 50) / 20, (i / 100) % 3, -5]));
    const s = studySetup(plannedSetup({ marks: many }));
    expect(s.leftOut).toBe(8000);
    expect(s.moments.length).toBeLessThan(20);
  });
  it('refuses a frame rate of nothing', () => {
    expect(() => studySetup(plannedSetup({ fps: 0 }))).toThrow(/frame rate/);
  });
});
