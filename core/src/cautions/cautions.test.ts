import { NO_SETUP_FACTS, studySetup, type PlannedSetup, type SetupFacts } from '../setup';
import { mark, piece, plannedSetup, station } from '../setup/test-setup';
import { findCautions } from './find-cautions';
import { floorSigmaM, movingShare } from './rules-geometry';

// Numbers are worked out by hand from the test setup: 4096 px on 24 mm, so 24 mm are 4096 px; 24 frames a second; limits as the rules state them.
const find = (rule: string, setup: Partial<PlannedSetup>, facts: Partial<SetupFacts> = {}) =>
  findCautions(studySetup(plannedSetup(setup)), { ...NO_SETUP_FACTS, ...facts }).find((c) => c.rule === rule) ?? null;
const dolly = (metres: number, seconds: number, change = {}) => ({
  kind: 'dolly' as const,
  stations: [station({ xM: -metres / 2, ...change }), station({ timeS: seconds, xM: metres / 2, ...change })],
});
const still = { kind: 'still' as const, stations: [station()] };
const wallMarks = (n: number, zM = -5) => Array.from({ length: n }, (_, i) => mark(`m${i}`, [-1.5 + (3 * (i % 5)) / 4, 0.7 + 0.5 * Math.floor(i / 5), zM - 0.4 * (i % 3)]));

describe('geometry', () => {
  test('parallax: rays that meet under 2°', () => {
    // 2 atan(0.1 / 5) = 2.29°, 2 atan(0.08 / 5) = 1.83°
    const one = [mark('a', [0, 1.5, -5])];
    expect(find('parallax', { marks: one, move: dolly(0.2, 4) })).toBeNull();
    const c = find('parallax', { marks: one, move: dolly(0.16, 4) })!;
    expect(c.value).toBeCloseTo(1.833, 2);
    expect(c.severity).toBe('small');
  });
  test('parallax: a pan off its axis says how little it gives', () => {
    const pan = { kind: 'pan' as const, pupilAheadM: 0.1, stations: [station({ headingRad: 0.3 }), station({ timeS: 4, headingRad: -0.3 })] };
    const c = find('parallax', { marks: [mark('a', [0, 1.5, -5])], move: pan })!;
    // seen all the while: the pupil goes 2 · 0.1 · sin 0.3 = 5.9 cm at 4.9 m
    expect(c.found).toMatch(/swings the lens 5\.\d+ cm, since it sits 10 cm before the axis/);
    expect(c.value).toBeCloseTo(0.69, 1);
    expect(find('parallax', { move: { ...pan, pupilAheadM: 0 } })!.found).toMatch(/no parallax at all/);
  });
  test('turning against moving: ten times', () => {
    const turning = (rad: number) => ({ kind: 'dolly' as const, stations: [station({ xM: -0.1, headingRad: rad / 2 }), station({ timeS: 4, xM: 0.1, headingRad: -rad / 2 })] });
    // travel shows f · 0.2 / 5 = 0.04 f; a turn of 0.38 rad is 9.5 times that, one of 0.44 eleven times
    expect(find('turning against moving', { marks: [mark('a', [0, 1.5, -5])], move: turning(0.36) })).toBeNull();
    expect(find('turning against moving', { marks: [mark('a', [0, 1.5, -5])], move: turning(0.48) })!.value).toBeGreaterThan(10);
  });
  test('eight in every frame, six for a pan through a lens that is held', () => {
    expect(find('too few to track', { marks: wallMarks(8), move: still })).toBeNull();
    expect(find('too few to track', { marks: wallMarks(7), move: still })).toMatchObject({ value: 7, limit: 8 });
    const pan = { kind: 'pan' as const, stations: [station(), station({ timeS: 1, headingRad: 0.01 })] };
    expect(find('too few to track', { marks: wallMarks(6), move: pan })).toBeNull();
    expect(find('too few to track', { marks: wallMarks(5), move: pan })).toMatchObject({ value: 5, limit: 6 });
    expect(find('too few to track', { marks: wallMarks(6), move: pan, lens: { mode: 'free', sigmaPct: 1 } })).toMatchObject({ limit: 8 });
  });
  test('short tracks: half of them leave within a second', () => {
    // the frame is 5 m wide at 5 m: at 4 m/s a mark lives 1.25 s, at 6.25 m/s 0.8 s
    const row = Array.from({ length: 9 }, (_, i) => mark(`m${i}`, [-4 + i, 1.5, -5]));
    expect(find('short tracks', { marks: row, move: dolly(40, 10) })).toBeNull();
    expect(find('short tracks', { marks: row, move: dolly(62.5, 10) })!.value).toBeCloseTo(0.8, 0);
  });
  test('spread over a third of the frame', () => {
    const cells = (n: number) => Array.from({ length: n }, (_, i) => mark(`m${i}`, [-1.9 + 1.25 * (i % 4), i < 4 ? 2.4 : 1.5, -5]));
    expect(find('crowded', { marks: [...cells(4), mark('x', [-1.9, 2.41, -5])], move: still })).toBeNull();
    expect(find('crowded', { marks: [...cells(3), mark('x', [-1.9, 2.41, -5])], move: still })!.value).toBeCloseTo(25, 9);
  });
  test('all on one plane, all on one line', () => {
    const flatMarks = wallMarks(12).map((m) => ({ ...m, at: [m.at[0], m.at[1], -5] as const }));
    expect(find('all on one plane or line', { marks: wallMarks(12), move: still })).toBeNull();
    expect(find('all on one plane or line', { marks: flatMarks, move: still })).toMatchObject({ severity: 'small', found: expect.stringContaining('plane') });
    expect(find('all on one plane or line', { marks: flatMarks, move: still, lens: { mode: 'free', sigmaPct: 1 } })!.severity).toBe('serious');
    const line = flatMarks.map((m) => ({ ...m, at: [m.at[0], 1.5, -5] as const }));
    expect(find('all on one plane or line', { marks: line, move: still })).toMatchObject({ severity: 'grave', found: expect.stringContaining('line') });
  });
  test('moving things: half of the frame', () => {
    // a wall that moves and covers the left of the frame up to x: at 5 m the frame is 5 m wide
    const cover = (widthM: number) => [piece({ kind: 'water', moves: true, widthM, xM: -2.5 + widthM / 2, zM: -5.1, heightM: 6, baseM: -2 })];
    const s = studySetup(plannedSetup({ move: still, pieces: cover(2) }));
    expect(movingShare(s, 0)).toBeCloseTo(0.4, 1);
    expect(find('moving things', { move: still, pieces: cover(2) })).toBeNull();
    expect(find('moving things', { move: still, pieces: cover(3.5) })!.value).toBeCloseTo(70, -1);
    const sky = (coversShare: number) => [piece({ kind: 'sky', moves: true, coversShare })];
    expect(find('moving things', { move: still, pieces: sky(0.5) })).toBeNull();
    expect(find('moving things', { move: still, pieces: sky(0.51) })!.found).toMatch(/51 %.*49 % remain/);
  });
  test('scale needs two independent measures of what the shot sees', () => {
    const marks = ['a', 'b', 'c'].map((id, i) => mark(id, [i - 1, 0.9, -5 - i]));
    const measures = { level: ['a', 'b', 'c'], levelSigmaM: 0.005, ties: [{ a: 'a', b: 'b', sigmaM: 0.002 }], heights: [{ timeS: 0, sigmaM: 0.003 }] };
    expect(find('no scale', { marks, measures })).toBeNull();
    expect(find('no scale', { marks, measures: { ...measures, level: ['a'] } })).toMatchObject({ value: 1, severity: 'serious' });
    expect(find('no scale', { marks, measures: { ...measures, ties: [], heights: [] } })).toMatchObject({ value: 0, severity: 'grave' });
    const behind = marks.map((m) => (m.id === 'b' ? { ...m, at: [0, 0.9, 5] as const } : m));
    expect(find('no scale', { marks: behind, measures })).toMatchObject({ value: 0, found: expect.stringContaining('b is measured but never in the frame') });
  });
  test('weak level: the floor under the camera to 10 mm', () => {
    // three marks in an even triangle of unit variances: sigma² (1/3 + d²/Σz²); the marks' z are −5, −5, −4: Σz² = 2/3
    const at = (x: number, z: number) => [x, 0, z] as const;
    expect(floorSigmaM([at(-1, -5), at(1, -5), at(0, -4)], 0.005, [0, 0, 0])).toBeCloseTo(0.005 * Math.sqrt(1 / 3 + (14 / 3) ** 2 / (2 / 3)), 9);
    expect(floorSigmaM([at(0, -5), at(1, -5), at(2, -5)], 0.005, [0, 0, 0])).toBe(Infinity);
    const measures = { level: ['a', 'b', 'c'], levelSigmaM: 0.005, ties: [], heights: [] };
    const marks = (z: number) => [mark('a', [-1, 0, -5]), mark('b', [1, 0, -5]), mark('c', [0, 0, z])];
    expect(find('weak level', { marks: marks(-1), measures, move: still })).toBeNull();
    expect(find('weak level', { marks: marks(-4), measures, move: still })!.value).toBeCloseTo(5 * Math.sqrt(1 / 3 + (14 / 3) ** 2 / (2 / 3)), 6);
  });
  test('an object needs a length and six marks of its own', () => {
    const cart = piece({ id: 'cart', kind: 'vehicle', moves: true });
    const move = { kind: 'object' as const, objectId: 'cart', stations: [station()], objectStations: [{ timeS: 0, xM: 0, zM: -5, baseM: 0, turnRad: 0 }] };
    const marks = (n: number) => Array.from({ length: n }, (_, i) => mark(`o${i}`, [i / 5, 1, -4.9], { pieceId: 'cart' }));
    const measures = { level: [], levelSigmaM: 0.005, ties: [{ a: 'o0', b: 'o1', sigmaM: 0.002 }], heights: [] };
    expect(find('object without a length', { pieces: [cart], move, marks: marks(6), measures })).toBeNull();
    expect(find('object without a length', { pieces: [cart], move, marks: marks(5), measures })).toMatchObject({ value: 5, limit: 6 });
    expect(find('object without a length', { pieces: [cart], move, marks: marks(6) })).toMatchObject({ value: 0, severity: 'grave' });
  });
  test('marks that are hard to paint out', () => {
    expect(find('hard to paint out', { marks: wallMarks(3) })).toBeNull();
    expect(find('hard to paint out', { marks: [mark('a', [0, 1, -5], { ground: 'hair' }), mark('b', [0, 1, -5], { ground: 'edge' })] })).toMatchObject({ value: 2, severity: 'serious' });
    expect(find('hard to paint out', { marks: [mark('b', [0, 1, -5], { ground: 'edge' })] })!.severity).toBe('small');
  });
  test('low detail in a photo of the set', () => {
    expect(find('low detail', {}, { detail: { corners: 60, spread: 0.5 } })).toBeNull();
    expect(find('low detail', {}, { detail: { corners: 59, spread: 0.5 } })).toMatchObject({ value: 59 });
    expect(find('low detail', {}, { detail: { corners: 200, spread: 0.2 } })).toMatchObject({ value: 20, unit: '%' });
  });
});

describe('picture', () => {
  test('motion blur: a thousandth of the width, and the shutter that keeps it', () => {
    // limit 4.096 px. At 5 m and 180° at 24: v · 4096 / 48 / 5 px; 0.24 m/s gives 4.096
    const marks = [mark('a', [0, 1.5, -5])];
    expect(find('motion blur', { marks, move: dolly(0.92, 4) })).toBeNull();
    const c = find('motion blur', { marks, move: dolly(1.92, 4) })!;
    expect(c.value).toBeCloseTo(8.19, 1);
    expect(c).toMatchObject({ severity: 'grave', remedy: { set: 'shutterDeg', value: 89 } });
    expect(find('motion blur', { marks, move: dolly(1.92, 4), shutterDeg: 89 })).toBeNull();
  });
  test('readout skew: the same limit over the readout time', () => {
    const marks = [mark('a', [0, 1.5, -5])];
    // 0.48 m/s: 393 px/s; 10 ms give 3.9 px, 11 ms 4.3 px
    expect(find('readout skew', { marks, move: dolly(1.92, 4), readoutMs: 10 })).toBeNull();
    expect(find('readout skew', { marks, move: dolly(1.92, 4), readoutMs: 11 })!.value).toBeCloseTo(4.325, 1);
    expect(find('readout skew', { marks, move: dolly(1.92, 4), readoutMs: null })!.found).toMatch(/if this sensor reads out in 16 ms/);
  });
  test('depth of field against where things are', () => {
    // coc 3 px = 17.6 µm. f 24 mm: H = 576 / (N · 0.01758) mm + 24 mm; at T2 16.4 m: focused at 5 m sharp from 3.84 to 7.18 m
    const at = (near: number) => Array.from({ length: 10 }, (_, i) => mark(`m${i}`, [-0.5 + i / 10, 1.5, i < near ? -3 : -5]));
    expect(find('depth of field', { marks: at(4), move: still, stop: 2 })).toBeNull();
    const c = find('depth of field', { marks: at(5), move: still, stop: 2 })!;
    expect(c.value).toBeCloseTo(50, 9);
    // from f/4 on: H = 8.2 m, near 8.17·5/(8.2+5−0.05) = 3.11 m, not yet; at f/5.6 5.87·5/(10.87−0.05) = 2.7 m
    expect(c.remedy).toEqual({ set: 'stop', value: 5.6 });
    expect(find('depth of field', { marks: at(5), move: still, stop: null })).toBeNull();
  });
  test('grain above ISO 1600', () => {
    expect(find('grain', { iso: 1600 })).toBeNull();
    expect(find('grain', { iso: 1601 })!.severity).toBe('small');
    expect(find('grain', { iso: 3200 })!.severity).toBe('grave');
  });
  test('marks of less than 10 px, of more than 60 px', () => {
    // 4096 · d / 5: 12.3 mm are 10.08 px, 12 mm 9.83 px; 73 mm 59.8, 74 mm 60.6
    const one = (diameterM: number) => ({ move: still, marks: [mark('a', [0, 1.5, -5], { diameterM })] });
    expect(find('marks too small', one(0.0123))).toBeNull();
    expect(find('marks too small', one(0.012))!.value).toBeCloseTo(9.83, 2);
    expect(find('marks needlessly large', one(0.073))).toBeNull();
    expect(find('marks needlessly large', one(0.2))).toMatchObject({ severity: 'small' });
  });
});

describe('kit and crew', () => {
  test('a lens without a plate is grave when it is wide', () => {
    expect(find('lens without a plate', {}, { plates: [{ focalMm: 24.7, focusM: 3 }] })).toBeNull();
    expect(find('lens without a plate', {}, { plates: [{ focalMm: 24.8, focusM: 3 }] })).toMatchObject({ severity: 'serious' });
    expect(find('lens without a plate', {})!.severity).toBe('serious');
    // 2 atan(24 / 2 / 20) = 61.9°
    const wide = { move: { kind: 'still' as const, stations: [station({ focalMm: 20 })] } };
    expect(find('lens without a plate', wide)!.severity).toBe('grave');
  });
  test('a zoom needs plates a factor of 1.4 apart, and notes', () => {
    const move = { kind: 'zoom' as const, stations: [station({ focalMm: 24 }), station({ timeS: 2, focalMm: 40 })] };
    const plates = (list: number[]) => ({ plates: list.map((focalMm) => ({ focalMm, focusM: null })), zoomNoted: true });
    expect(find('zoom without plates', { move }, plates([24, 31, 40]))).toBeNull();
    expect(find('zoom without plates', { move }, plates([24, 40]))!.value).toBeCloseTo(40 / 24, 9);
    expect(find('zoom without plates', { move }, plates([]))!.severity).toBe('grave');
    expect(find('zoom without notes', { move }, plates([24, 31, 40]))).toBeNull();
    expect(find('zoom without notes', { move })).not.toBeNull();
    expect(find('zoom without plates', {}, plates([]))).toBeNull();
  });
  test('squeeze, adapter, breathing', () => {
    const optics = (change: object) => ({ optics: { ...plannedSetup().optics, ...change } });
    expect(find('squeeze not measured', optics({ squeeze: 2 }))).not.toBeNull();
    expect(find('squeeze not measured', optics({ squeeze: 2 }), { squeezeMeasured: true })).toBeNull();
    expect(find('squeeze not measured', {})).toBeNull();
    expect(find('adapter mounted', optics({ adapterFactor: 0.71 }))!.found).toMatch(/reducer of 0\.71/);
    expect(find('adapter mounted', {})).toBeNull();
    // 1/2 − 1/2.6 = 0.115 dpt, 1/2 − 1/2.4 = 0.083 dpt
    const pull = (to: number) => ({ move: { kind: 'dolly' as const, stations: [station({ focusM: 2 }), station({ timeS: 4, xM: 1, focusM: to })] } });
    expect(find('breathing with a focus pull', pull(2.4), { breathing: 'some' })).toBeNull();
    expect(find('breathing with a focus pull', pull(2.6), { breathing: 'some' })!.value).toBeCloseTo(0.115, 3);
    expect(find('breathing with a focus pull', pull(2.6), { breathing: 'measured' })).toBeNull();
  });
  test('stabiliser, frame rates, sync', () => {
    const witness = { name: 'W1', fps: 24, stabiliser: 'off' as const, camera: null };
    expect(find('stabiliser', {}, { stabiliser: 'off' })).toBeNull();
    expect(find('stabiliser', {}, { stabiliser: 'unknown' })!.severity).toBe('small');
    expect(find('stabiliser', {}, { stabiliser: 'off', witnesses: [{ ...witness, stabiliser: 'on' }] })).toMatchObject({ severity: 'grave', found: expect.stringContaining('W1') });
    expect(find('frame rates differ', {}, { witnesses: [witness] })).toBeNull();
    expect(find('frame rates differ', {}, { witnesses: [{ ...witness, fps: 25 }] })!.found).toMatch(/W1 runs at 25,/);
    expect(find('no sync', {}, { witnesses: [witness], sync: 'clap' })).toBeNull();
    expect(find('no sync', {}, { witnesses: [witness] })!.severity).toBe('grave');
    expect(find('no sync', {})).toBeNull();
  });
  test('a witness camera where the camera itself sees too little', () => {
    expect(find('witness camera needed', { move: still, marks: wallMarks(8) })).toBeNull();
    expect(find('witness camera needed', { move: still, marks: wallMarks(7) })!.value).toBe(100);
    const near = { kind: 'still' as const, stations: [station({ focusM: 0.5 })] };
    expect(find('witness camera needed', { move: near, marks: wallMarks(10), stop: 1 })!.found).toMatch(/out of focus/);
    expect(find('witness camera needed', { move: still, marks: [] }, { witnesses: [{ name: 'W1', fps: 24, stabiliser: 'off', camera: null }] })).toBeNull();
  });
  test('stills, and the light of an exterior while the sun goes on', () => {
    expect(find('stills plan missing', {}, { stillsPlanned: true })).toBeNull();
    expect(find('stills plan missing', {})).not.toBeNull();
    expect(find('light reference missing', {}, { exterior: true, sunTravelDeg: 5 })).toBeNull();
    expect(find('light reference missing', {}, { exterior: true, sunTravelDeg: 5.1 })!.severity).toBe('small');
    expect(find('light reference missing', {}, { exterior: true, sunTravelDeg: 20, lightPlanned: true })).toBeNull();
    expect(find('light reference missing', {}, { exterior: false, sunTravelDeg: 20 })).toBeNull();
  });
});

describe('entries that cannot be', () => {
  test('a camera inside a wall, no duration, a focal length that the lens has not, too many marks', () => {
    expect(find('camera inside', { pieces: [piece({ name: 'Bulkhead', zM: 0 })], move: dolly(1, 2) })).toMatchObject({ severity: 'grave', found: expect.stringContaining('Bulkhead') });
    expect(find('camera inside', { pieces: [piece()] })).toBeNull();
    expect(find('no duration', { move: { kind: 'dolly', stations: [station()] } })).not.toBeNull();
    expect(find('no duration', { move: still })).toBeNull();
    expect(find('focal length outside the lens', {}, { lensRangeMm: [24, 24] })).toBeNull();
    expect(find('focal length outside the lens', {}, { lensRangeMm: [25, 70] })!.found).toMatch(/24 to 24 mm; this lens has 25 to 70 mm/);
    const many = Array.from({ length: 2001 }, (_, i) => mark(`m${i}`, [0, 1, -5]));
    expect(find('too many marks', { marks: many, move: still })).toMatchObject({ value: 1 });
    expect(find('too many marks', { marks: many.slice(1), move: still })).toBeNull();
  });
  test('the worst come first', () => {
    const order = findCautions(studySetup(plannedSetup({ pieces: [piece({ zM: 0 })] })), NO_SETUP_FACTS).map((c) => c.severity);
    expect(order).toEqual([...order].sort((a, b) => ['grave', 'serious', 'small'].indexOf(a) - ['grave', 'serious', 'small'].indexOf(b)));
    expect(order[0]).toBe('grave');
  });
});
