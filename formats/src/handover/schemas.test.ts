import { readFdl, writeFdl, type FdlCanvas } from '../fdl';
import { writeLensMetadata, type LensSetting } from '../lens-metadata';
import { SHOT_FILES } from '../shot';
import { TEST_SETUP, TEST_SOLVE } from '../solve-in/test-solve';
import { schemaProblem } from './schemas';

type Tree = Record<string, any>;
const shot = { name: 'a shot', solve: TEST_SOLVE, setup: TEST_SETUP, fps: 23.976, lens: 'Orrinel', body: 'Tarvik', lensSerial: '', focusM: 2.5, shotAtFps: null, markedFocalMm: null };
const samples = async (): Promise<Tree[]> => {
  const text = await SHOT_FILES.find((f) => f.format === 'tracking-json')!.write(shot as never);
  return String(text).trim().split('\n').map((l) => JSON.parse(l) as Tree); // prettier-ignore
};
const altered = (value: Tree, change: (v: Tree) => void): Tree => {
  const copy = JSON.parse(JSON.stringify(value)) as Tree;
  change(copy);
  return copy;
};

test('every sample of a camera move follows the schema, and a rate that is no whole number is a ratio', async () => {
  const all = await samples();
  expect(all.length).toBe(TEST_SOLVE.frames.length);
  for (const s of all) expect(schemaProblem('tracking sample', s)).toBeNull();
  expect(all[0].timing.sampleRate).toEqual({ num: 24_000, denom: 1001 });
});

test.each<[string, (v: Tree) => void, RegExp]>([
  ['a size of no picture', (v) => (v.static.camera.activeSensorResolution.width = 0), /activeSensorResolution\/width it must be >= 1/],
  ['a rate as a number', (v) => (v.timing.sampleRate = 24), /sampleRate it must be object/],
  ['angles in words', (v) => (v.transforms[0].rotation.pan = '12'), /pan it must be number/],
  ['another axis', (v) => (v.transforms[0].rotation.yaw = 1), /rotation it must NOT have additional properties \(yaw\)/],
  ['no focal length at all', (v) => (v.lens.pinholeFocalLength = 0), /pinholeFocalLength it must be > 0/],
  ['another protocol', (v) => (v.protocol.name = 'Other'), /protocol\/name/],
  ['a place of its own', (v) => (v.frame = 3), /at its top it must NOT have additional properties \(frame\)/],
])('%s does not', async (_what, change, words) => {
  const [first] = await samples();
  expect(schemaProblem('tracking sample', altered(first, change))).toMatch(words);
});

test('a plate’s lens follows it too', () => {
  const setting = {
    lens: 'Orrinel',
    serial: '',
    body: 'Tarvik',
    focalMm: 32,
    focusM: null,
    pupilMm: 80,
    report: {
      distortion: { model: 'radial', k: [-0.1, 0, 0], p: [0, 0.001], center: [2050, 1080], aspect: 1, focalMm: 32, sigma: {}, terms: [] },
      overscan: null,
      rmsPx: 0.1,
      focalFromDistance: null,
      focalFromTilt: null,
    },
    setup: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 } },
  } as unknown as LensSetting;
  expect(schemaProblem('tracking sample', JSON.parse(writeLensMetadata(setting)!))).toBeNull();
});

describe('a framing list', () => {
  const canvas: FdlCanvas = {
    source: 'Tarvik',
    label: 'open gate',
    widthPx: 4096,
    heightPx: 3024,
    photositesX: 4096,
    photositesY: 3024,
    sensorWidthMm: 28.25,
    sensorHeightMm: 18.17,
    squeeze: 2,
    frames: [{ label: '2.39', x: 0, y: 312.5, widthPx: 4096, heightPx: 1714.5 }],
  };
  const written = () => JSON.parse(writeFdl([canvas, { ...canvas, label: 'whole', frames: [] }], '3f2c0f0a-8d4e-4a0e-9c55-0a4a6e2b9d10')) as Tree;

  test('follows its schema as it is written, and is read again', () => {
    expect(schemaProblem('framing list', written())).toBeNull();
    expect(readFdl(JSON.stringify(written()), 'a.fdl')[0]).toMatchObject({ widthPx: 4096, squeeze: 2, frames: [{ heightPx: 1714.5 }] });
  });
  test.each<[string, (v: Tree) => void, RegExp]>([
    ['half a pixel of a canvas', (v) => (v.contexts[0].canvases[0].dimensions.width = 4095.5), /dimensions\/width it must be integer/],
    ['an id with a blank', (v) => (v.contexts[0].canvases[0].id = 'canvas 1'), /canvases\/0\/id it must match pattern/],
    ['no list of intents', (v) => delete v.framing_intents, /required property 'framing_intents'/],
  ])('%s does not', (_what, change, words) => {
    expect(schemaProblem('framing list', altered(written(), change))).toMatch(words);
  });
});
