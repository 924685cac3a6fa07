import { momentAt, NO_SETUP_FACTS, studySetup, type PlannedSetup, type WitnessCamera, type WitnessPlacement } from '../setup';
import { mark, piece, plannedSetup, station } from '../setup/test-setup';
import { findCautions } from '../cautions';
import { witnessMoment } from './place-witness';
import { watchWitness } from './watch-witness';

// 24 mm are 4096 px, so that the frame is as wide as it is far; half a pixel of noise at 5 m is 5000 · 0.5 / 4096 = 0.610 mm.
const optics = plannedSetup().optics;
const free = (change: Partial<WitnessPlacement & { way: 'free' }> = {}): WitnessPlacement => ({ way: 'free', xM: 0, zM: 0, heightM: 1.5, headingRad: 0, tiltRad: 0, ...change });
const rigid = (change: Partial<WitnessPlacement & { way: 'rigid' }> = {}): WitnessPlacement => ({ way: 'rigid', rightM: 0, upM: 0, forwardM: 0, turnRad: 0, tiltRad: 0, ...change });
const camera = (placement: WitnessPlacement): WitnessCamera => ({ optics, focalMm: 24, placement });
const still = { kind: 'still' as const, stations: [station()] };
const watch = (placement: WitnessPlacement, setup: Partial<PlannedSetup> = {}) => watchWitness(studySetup(plannedSetup({ move: still, ...setup })), camera(placement));

describe('placing a witness', () => {
  const main = momentAt({ kind: 'still', stations: [station({ headingRad: 0.3, tiltRad: -0.2 })] }, 0);
  it('carries a rigid one along in the main camera’s axes', () => {
    const at = witnessMoment(camera(rigid({ rightM: 0.1, upM: 0.2, forwardM: -0.05 })), main);
    const [c, s, ct, st] = [Math.cos(0.3), Math.sin(0.3), Math.cos(-0.2), Math.sin(-0.2)];
    // right is level; up leans forward by the tilt downwards; forward goes left by the heading
    const right = [c, 0, -s];
    const up = [s * st, ct, c * st];
    const forward = [-s * ct, st, -c * ct];
    [0, 1, 2].forEach((a) => expect(at.position[a]).toBeCloseTo(main.position[a] + 0.1 * right[a] + 0.2 * up[a] - 0.05 * forward[a], 12));
    at.toCamera.forEach((v, i) => expect(v).toBeCloseTo(main.toCamera[i], 12));
  });
  it('turns a rigid one by its own angles', () => {
    // a quarter to the left of the main camera: it looks where the main camera's left is
    const at = witnessMoment(camera(rigid({ turnRad: Math.PI / 2 })), main);
    [0, 1, 2].forEach((a) => expect(at.toCamera[6 + a]).toBeCloseTo(-main.toCamera[a], 12));
    expect(at.headingRad).toBeCloseTo(0.3 + Math.PI / 2, 12);
    // and one that is tilted up by as much as the main camera looks down is level
    expect(witnessMoment(camera(rigid({ tiltRad: 0.2 })), main).tiltRad).toBeCloseTo(0, 12);
  });
  it('leaves a free one where it stands', () => {
    const at = witnessMoment(camera(free({ xM: 3, zM: -2, heightM: 2, headingRad: 1 })), main);
    expect(at.position).toEqual([3, 2, -2]);
    expect(at.headingRad).toBe(1);
  });
});

describe('two cameras', () => {
  const one = { marks: [mark('a', [0, 1.5, -5])] };
  it('cuts a point from rays at right angles as well as each sees it across', () => {
    const w = watch(free({ xM: 5, zM: -5, headingRad: Math.PI / 2 }), one);
    expect(w.moments[0]).toMatchObject({ seen: 1, both: 1 });
    expect(w.moments[0].angleDeg).toBeCloseTo(90, 9);
    expect(w.shared[0]).toMatchObject({ id: 'a', share: 1 });
    expect(1000 * w.shared[0].sigmaM).toBeCloseTo((5000 * 0.5) / 4096, 9);
    // twice as far: its own axis is twice as loose
    expect(1000 * watch(free({ xM: 10, zM: -5, headingRad: Math.PI / 2 }), one).shared[0].sigmaM).toBeCloseTo((10_000 * 0.5) / 4096, 9);
  });
  it('agrees with the depth of a stereo pair: Z² σ √2 / (f b)', () => {
    const w = watch(free({ xM: 0.2 }), { marks: [mark('a', [0.1, 1.5, -5])] });
    expect(w.shared[0].sigmaM / ((25 * 0.5 * Math.SQRT2) / (4096 * 0.2))).toBeCloseTo(1, 3);
    expect(w.moments[0].angleDeg).toBeCloseTo((Math.atan(0.04) * 180) / Math.PI, 9);
  });
  it('counts half the picture as common when the other one stands half a frame to the side', () => {
    const wall = { pieces: [piece()] };
    expect(watch(free({ xM: 2.5 }), wall).moments[0].overlap).toBe(0.5);
    expect(watch(free(), wall).moments[0].overlap).toBe(1);
    expect(watch(free({ headingRad: Math.PI }), wall).moments[0].overlap).toBe(0);
    expect(watch(free()).moments[0].overlap).toBeNull();
    // a post close before the witness hides the middle column or two from it
    const hidden = watch(free({ xM: 0.5 }), { pieces: [piece(), piece({ id: 'post', kind: 'post', xM: 0.7, zM: -1, widthM: 0.25, depthM: 0.1 })] }).moments[0].overlap!;
    expect(hidden).toBeLessThan(0.9);
  });
  it('follows the main camera, and knows what both see', () => {
    const move = { kind: 'dolly' as const, stations: [station({ xM: -1 }), station({ timeS: 2, xM: 1 })] };
    const w = watch(rigid({ rightM: 2.5 }), { move, marks: [mark('a', [0, 1.5, -5]), mark('b', [4.5, 1.5, -5])] });
    // at 5 m the main camera sees −3.5 … 1.5 at the start and −1.5 … 3.5 at the end; the witness −1 … 4 and 1 … 6
    expect(w.shared.map((s) => s.id)).toEqual(['a']);
    expect(w.shared[0].share).toBeCloseTo(0.5, 1);
    expect(w.moments[0]).toMatchObject({ seen: 1, both: 1 });
    expect(w.moments[w.moments.length - 1]).toMatchObject({ seen: 1, both: 0, sigmaM: null });
  });
});

describe('cautions of witnesses', () => {
  const find = (rule: string, placement: WitnessPlacement | null, setup: Partial<PlannedSetup>) =>
    findCautions(studySetup(plannedSetup({ move: still, ...setup })), {
      ...NO_SETUP_FACTS,
      witnesses: [{ name: 'W1', fps: 24, stabiliser: 'off', camera: placement ? camera(placement) : null }],
    }).find((c) => c.rule === rule) ?? null;
  const marks = (n: number) => Array.from({ length: n }, (_, i) => mark(`m${i}`, [-1 + 0.3 * i, 1.5, -5]));
  test('a free-standing one shares fewer than six points', () => {
    expect(find('witness shares little', free({ xM: 2 }), { marks: marks(9) })).toBeNull();
    // its frame begins at x = −0.5: two of seven are out of it
    expect(find('witness shares little', free({ xM: 2 }), { marks: marks(7) })).toMatchObject({ value: 5, limit: 6, severity: 'small' });
    expect(find('witness shares little', rigid({ rightM: 2 }), { marks: marks(7) })).toBeNull();
  });
  test('rays that meet under 10° or over 150°', () => {
    // 2 · 5 m · tan 5° is 0.875 m; the witness beside the camera: atan(0.88 / 5) = 9.98°, atan(0.9 / 5) = 10.2°
    expect(find('witness angle', free({ xM: 0.9 }), {})).toBeNull();
    expect(find('witness angle', free({ xM: 0.88 }), {})!.value).toBeCloseTo(9.98, 2);
    expect(find('witness angle', free({ xM: 1, zM: -10 }), {})!.advice).toMatch(/looks against the camera/);
  });
  test('a rigid one sees fewer than eight things', () => {
    expect(find('witness sees too little', rigid(), { marks: marks(8) })).toBeNull();
    expect(find('witness sees too little', rigid(), { marks: marks(7) })).toMatchObject({ value: 7, limit: 8 });
    expect(find('witness sees too little', free(), { marks: marks(7) })).toBeNull();
  });
  test('one that nobody has placed', () => {
    expect(find('witness not placed', null, {})!.found).toMatch(/where W1 stands/);
    expect(find('witness not placed', free(), {})).toBeNull();
  });
});
