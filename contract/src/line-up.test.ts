import { checkLineUp, solveNet, type NetInput } from '@mesure/core';
import { lineUpQuestion, type LineupBody, type MountedPackage, type SetupBody, type TakeBody } from '.';

const [W, H] = [3840, 2160];
const CAMERA = [0.1, 1.52, 1.1] as const;
const PLACES: Record<string, readonly [number, number, number]> = { K1: [-1.2, 0, -2.2], K2: [1.3, 0, -2.3], K3: [0.2, 0.9, -3.6], K4: [-1.5, 1.6, -4.6], K5: [0.4, 1.9, -4.1], K6: [1.7, 1.2, -4.6] };
/** Places as an instrument gave them. */
const known = (ids: string[]): NetInput => ({ facts: [], known: ids.map((id) => ({ id, at: PLACES[id], sigmaM: [0.002, 0.002, 0.002] })), near: new Map() });
const netOf = (input: NetInput) => ({ input, result: solveNet(input) });
const net = netOf(known(Object.keys(PLACES)));
const mounted: MountedPackage = {
  pack: { camera: 'B', bodyId: 'b', modeId: 'm', lensId: 'l', adapterId: null, focalMm: 25 },
  body: { name: 'Pellon', modes: [] },
  mode: { id: 'm', name: 'UHD', widthPx: W, heightPx: H, sensorWidthMm: 23.04, sensorHeightMm: 12.96, fps: 24 },
  lens: { name: 'Orrinel 25', kind: 'prime', minFocalMm: 25, maxFocalMm: 25, squeeze: 1, serial: '1' } as never,
  adapter: null,
};
const height = { typed: '1.52 m', unit: 'm', valueM: 1.52, toleranceM: 0.01, takenAt: 'lens axis', offsetM: 0 } as const;
const take = { focalMm: 25, focusM: null, height, heightFrame: 3, heightEnd: { ...height, valueM: 1.9 }, distance: null, tilt: null, roll: null } as unknown as TakeBody;
const setup = { levelMarks: [], originMark: null, headingMarks: null } as unknown as SetupBody;
/** Marks of a camera that looks straight along −Z, in a picture of half the recorded size. */
const picture = (change: Partial<LineupBody> = {}): LineupBody => ({
  takeId: 't',
  picture: { sha256: 'a'.repeat(64), name: 'frame.png' },
  widthPx: W / 2,
  heightPx: H / 2,
  marks: Object.entries(PLACES).map(([mark, p]) => {
    const f = ((25 / 23.04) * W) / 2;
    return { mark, x: W / 4 + (f * (p[0] - CAMERA[0])) / (CAMERA[2] - p[2]), y: H / 4 - (f * (p[1] - CAMERA[1])) / (CAMERA[2] - p[2]) };
  }),
  focal: 'free',
  stood: 'height',
  shotAt: '2026-11-28T09:00:00.000Z',
  ...change,
});
const ask = (change: Partial<LineupBody> = {}, other: Partial<Parameters<typeof lineUpQuestion>[0]> = {}) =>
  lineUpQuestion({ picture: picture(change), take, setup, mounted, net, measured: net.input, plates: [], ...other });
const answer = (change: Partial<LineupBody> = {}, other = {}) => {
  const asked = ask(change, other);
  if ('problem' in asked) throw new Error(asked.problem);
  return checkLineUp(asked.question);
};

test('a half-size frame of what was recorded gives the camera its place, and its height agrees', () => {
  const { lineUp, report } = answer();
  CAMERA.forEach((v, k) => expect(lineUp.position![k]).toBeCloseTo(v, 3));
  expect(lineUp.focalMm).toBeCloseTo(25, 2);
  // of two that fit exactly rounding says which comes first
  expect(report!.items.map((i) => [i.quantity, i.about, i.verdict]).sort()).toEqual([
    ['cameraHeight', 'frame 3', 'agrees'],
    ['focalLength', 'focal length', 'agrees'],
  ]);
});

test('what was read elsewhere is not laid against the picture: at the end the height at the end, elsewhere none', () => {
  const of = (stood: LineupBody['stood']) =>
    answer({ stood })
      .report!.items.filter((i) => i.quantity === 'cameraHeight')
      .map((i) => [i.about, i.verdict]);
  // the camera stands at 1.52 m, where at the end 1.9 m was read
  expect(of('end')).toEqual([['last frame', 'contradicts']]);
  expect(of('elsewhere')).toEqual([]);
});

test('at the end of a zoom the focal length noted there counts, and in its midst none', () => {
  const zoom = { take: { ...take, focalMm: 50, focalEndMm: 25, heightEnd: null } as TakeBody };
  const mm = (stood: LineupBody['stood'], focal: LineupBody['focal'] = 'free') => answer({ stood, focal }, zoom).report!.items.find((i) => i.quantity === 'focalLength')!;
  expect(mm('end')).toMatchObject({ recorded: 25, verdict: 'agrees' });
  // held as recorded would hold 50 mm, which it is not there
  expect(answer({ stood: 'elsewhere', focal: 'held' }, zoom).lineUp.focalMm).toBeCloseTo(25, 2);
});

test('the middle of the lens, which a plate knows in pixels of the recording, is carried to a smaller picture', () => {
  const distortion = { model: 'radial', k: [-0.05, 0, 0], p: [0, 0], focalMm: 25, center: [W / 2 + 30, H / 2 - 20], aspect: 1 };
  const plates = [{ plate: { focalMm: 25 } as never, report: { status: 'usable', distortion } as never }];
  const asked = ask({}, { plates });
  expect('question' in asked && asked.question.setup.distortion!.center).toEqual([W / 4 + 15, H / 4 - 10]);
});

test.each([
  ['another shape', { widthPx: 1440, heightPx: 1080 }, {}, /another part of the sensor/],
  ['no net', {}, { net: null, measured: { facts: [] } }, /no tape net/],
  ['too few marks', { marks: picture().marks.slice(0, 3) }, {}, /3 of at least 4 marks.*K4, K5, K6/],
  ['marks that nobody measured', { marks: picture().marks.map((m, i) => ({ ...m, mark: `Q${i}` })) }, {}, /0 of at least 4/],
] as const)('%s is said in words, and nothing is computed', (_what, change, other, words) => {
  const asked = ask(change as Partial<LineupBody>, other as never);
  expect('problem' in asked && asked.problem).toMatch(words);
});

/** Ties that no net comes of: it could be its own mirror image, or hangs over no floor. */
const tied = (pairs: readonly string[]) =>
  pairs.map((p) => {
    const [a, b] = p.split(' ');
    return { kind: 'tie' as const, a, b, m: Math.hypot(...PLACES[a].map((v, k) => v - PLACES[b][k])), sigmaM: 0.002 };
  });

test('a net that hangs over no floor lines the picture up by its lengths: the focal length is compared, the height is not', () => {
  const pairs = ['K1', 'K2', 'K3', 'K4', 'K5'].flatMap((a, i, all) => all.slice(i + 1).map((b) => `${a} ${b}`));
  const without = netOf({ facts: tied(pairs), near: new Map(Object.entries(PLACES).map(([id, p]) => [id, [...p] as [number, number, number]])) });
  const { lineUp, report } = answer({}, { net: without, measured: without.input });
  expect(lineUp).toMatchObject({ status: 'solved', frame: 'camera' });
  expect(lineUp.focalMm).toBeCloseTo(25, 2);
  expect(report!.items.map((i) => [i.quantity, i.verdict])).toEqual([['focalLength', 'agrees']]);
});

test('marks that were put down level are on the floor: with their lengths the height is told, though no net comes of them', () => {
  const at = { K1: [-1.2, 0, -2.2], K2: [1.3, 0, -2.3], K7: [1.4, 0, -4.4], K8: [-1.5, 0, -4.1] } as const;
  const pairs = ['K1 K2', 'K2 K7', 'K7 K8', 'K8 K1', 'K1 K7'];
  const facts = pairs.map((p) => {
    const [a, b] = p.split(' ') as (keyof typeof at)[];
    return { kind: 'tie' as const, a, b, m: Math.hypot(...at[a].map((v, k) => v - at[b][k])), sigmaM: 0.002 };
  });
  const marks = Object.entries(at).map(([mark, p]) => {
    const f = ((25 / 23.04) * W) / 2;
    return { mark, x: W / 4 + (f * (p[0] - CAMERA[0])) / (CAMERA[2] - p[2]), y: H / 4 - (f * (p[1] - CAMERA[1])) / (CAMERA[2] - p[2]) };
  });
  const level = { setup: { ...setup, levelMarks: ['K1', 'K2', 'K7', 'K8'] } as SetupBody, net: null, measured: { facts } };
  const { lineUp, report } = answer({ marks }, level);
  expect(lineUp.frame).toBe('floor');
  expect(lineUp.position![1]).toBeCloseTo(CAMERA[1], 3);
  expect(report!.items.map((i) => [i.quantity, i.verdict]).sort()).toEqual([
    ['cameraHeight', 'agrees'],
    ['focalLength', 'agrees'],
  ]);
  // with a length less it is said how much is missing
  const less = ask({ marks }, { ...level, measured: { facts: facts.slice(0, 3) } });
  expect('problem' in less && less.problem).toMatch(/no tape net.*Or tape between marks of this picture: one length more/);
});
