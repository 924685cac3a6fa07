import { Document, NodeIO } from '@gltf-transform/core';
import { quatToMat, type ForeignMove, type Quat } from '@mesure/core';
import { SHOT_FILES, type Shot } from '../shot';
import { readMoveFile, readMovePoints } from '.';
import { TEST_SETUP as setup, TEST_SOLVE as solve } from './test-solve';

const bytes = (text: string) => new TextEncoder().encode(text);
const read = (text: string, file = 'move.usda', options = {}) => readMoveFile(bytes(text), file, { fps: 24, order: null, ...options });
/** Where the camera looks, and what is up in its picture, in the file's own axes. */
const looks = (q: Quat) => {
  const m = quatToMat(q);
  return { ahead: [-m[2], -m[5], -m[8]], up: [m[1], m[4], m[7]] };
};
const near = (a: readonly number[], b: readonly number[], digits = 6) => a.forEach((v, i) => expect(v).toBeCloseTo(b[i], digits));

describe('USD text', () => {
  const file = (camera: string, above = '', meta = 'metersPerUnit = 0.01\n    upAxis = "Z"\n    timeCodesPerSecond = 24') => `#usda 1.0
(
    """A move; "quoted" { and [ say nothing."""
    ${meta}
    customLayerData = {
        string what = "of another program"
    }
)

def Xform "World" (
    kind = "assembly"
)
{
    ${above}
    def Camera "cam" (
        prepend apiSchemas = ["Some"]
    )
    {
        float focalLength = 32 (
            doc = "in tenths of a unit"
        )
        float horizontalAperture = 24
        rel somewhere = </World/other>
        float2 clippingRange = (0.1, 1000)
        ${camera}
    }
    def Points "cloud"
    {
        point3f[] points = [(0, 0, 0), (10, 20, 30)]
        string[] primvars:names = ["K1", "K2"] (
            interpolation = "vertex"
        )
    }
}
`;

  test('moves by translate and angles, in centimetres with Z up, below a node that stands elsewhere', async () => {
    const m = await read(
      file(
        `double3 xformOp:translate.timeSamples = { 1: (0, 0, 0), 2: (10, 0, 0), 3: (20, 0, 0), }
        float3 xformOp:rotateXYZ = (90, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ"]`,
        `double3 xformOp:translate = (0, 0, 150)
    uniform token[] xformOpOrder = ["xformOp:translate"]`,
      ),
    );
    expect([m.format, m.metres, m.up, m.fps, m.frames.map((f) => f.frame)]).toEqual(['USD text', 0.01, 'Z', 24, [1, 2, 3]]);
    near(m.frames[1].position, [10, 0, 150]);
    // turned up by 90 degrees about X the camera that looked along −Z looks along +Y, with Z up
    near(looks(m.frames[0].rotation).ahead, [0, 1, 0]);
    near(looks(m.frames[0].rotation).up, [0, 0, 1]);
    expect(m.frames[0].focal).toEqual({ overWidth: 32 / 24 });
    expect(m.points).toEqual([
      { id: 'K1', at: [0, 0, 150] },
      { id: 'K2', at: [10, 20, 180] },
    ]);
  });

  test('a matrix is read in rows, a zoom by its samples, and two time codes a frame as one', async () => {
    const m = await read(
      file(
        `matrix4d xformOp:transform.timeSamples = {
            2: ( (0, 0, -1, 0), (0, 1, 0, 0), (1, 0, 0, 0), (1, 2, 3, 1) ),
            4: ( (0, 0, -1, 0), (0, 1, 0, 0), (1, 0, 0, 0), (4, 5, 6, 1) ),
        }
        float focalLength.timeSamples = { 2: 24, 4: 48 }
        uniform token[] xformOpOrder = ["xformOp:transform"]`,
        '',
        'metersPerUnit = 1\n    upAxis = "Y"\n    timeCodesPerSecond = 48\n    framesPerSecond = 24',
      ),
    );
    expect(m.frames.map((f) => f.frame)).toEqual([1, 2]);
    near(m.frames[1].position, [4, 5, 6]);
    // its own z, the third row, is the world's x: it looks along −x
    near(looks(m.frames[0].rotation).ahead, [-1, 0, 0]);
    expect(m.frames.map((f) => f.focal)).toEqual([{ overWidth: 1 }, { overWidth: 2 }]);
    expect(m.notes.join()).toMatch(/2 time codes a frame/);
  });

  test('a unit without a name is brought to metres', async () => {
    const m = await read(file('double3 xformOp:translate.timeSamples = { 1: (2, 0, 0), 2: (4, 0, 0) }\n        uniform token[] xformOpOrder = ["xformOp:translate"]', '', 'metersPerUnit = 0.5'));
    expect([m.metres, m.up]).toEqual([1, null]);
    near(m.frames[1].position, [2, 0, 0]);
    near(m.points[1].at, [5, 10, 15]);
  });

  test.each([
    ['no camera', '#usda 1.0\ndef Xform "a"\n{\n}\n', /holds no camera/],
    ['a mirror', file('matrix4d xformOp:transform = ( (-1,0,0,0), (0,1,0,0), (0,0,1,0), (0,0,0,1) )\n uniform token[] xformOpOrder = ["xformOp:transform"]'), /mirrors/],
    ['an uneven scale', file('double3 xformOp:scale = (1, 2, 1)\n uniform token[] xformOpOrder = ["xformOp:scale"]'), /unevenly/],
    ['an unknown operation', file('double xformOp:bend = 1\n uniform token[] xformOpOrder = ["xformOp:bend"]'), /not known/],
    ['half a file', file('').slice(0, 300), /ends too early|expected/],
    ['half a frame', file('double3 xformOp:translate.timeSamples = { 1: (0,0,0), 1.5: (1,0,0) }\n uniform token[] xformOpOrder = ["xformOp:translate"]'), /between two frames/],
    ['its binary form', 'PXR-USDC....', /binary form/],
  ])('%s is refused in words', async (_what, text, words) => {
    await expect(read(text)).rejects.toThrow(words);
  });
});

describe('glTF', () => {
  /** A camera below a node that carries the move, as exporters write it; `turn` stands between the two. */
  async function glb({ fps = 24, rotated = [0, 0, 0, 1] as [number, number, number, number], cameras = 1, scale = 1 } = {}): Promise<Uint8Array> {
    const doc = new Document();
    const buffer = doc.createBuffer();
    const scene = doc.createScene();
    const animation = doc.createAnimation();
    for (let i = 0; i < cameras; i += 1) {
      const lens = doc
        .createCamera()
        .setType('perspective')
        .setYFov(2 * Math.atan(0.25))
        .setAspectRatio(2);
      const above = doc.createNode(`rig ${i}`).setScale([scale, scale, scale]);
      above.addChild(doc.createNode(`cam ${i}`).setCamera(lens).setRotation(rotated).setTranslation([0, 1, 0]));
      scene.addChild(above);
      const input = doc
        .createAccessor()
        .setType('SCALAR')
        .setArray(Float32Array.from([0, 1, 2, 3].map((f) => f / fps)))
        .setBuffer(buffer);
      const output = doc
        .createAccessor()
        .setType('VEC3')
        .setArray(Float32Array.from([0, 1, 2, 3].flatMap((f) => [f, 0, 5])))
        .setBuffer(buffer);
      const sampler = doc.createAnimationSampler().setInput(input).setOutput(output).setInterpolation('LINEAR');
      animation.addSampler(sampler).addChannel(doc.createAnimationChannel().setTargetNode(above).setTargetPath('translation').setSampler(sampler));
    }
    return new NodeIO().writeBinary(doc);
  }
  const readGlb = async (data: Uint8Array, fps: number | null = 24) => readMoveFile(data, 'move.glb', { fps, order: null });

  test('the camera is followed through the node above it, which moves', async () => {
    const m = await readGlb(await glb({ rotated: [0, Math.SQRT1_2, 0, Math.SQRT1_2], scale: 2 }));
    expect(m.frames.map((f) => f.frame)).toEqual([0, 1, 2, 3]);
    near(m.frames[3].position, [3, 2, 5]);
    near(looks(m.frames[0].rotation).ahead, [-1, 0, 0]);
    // half a height over the width: tan(fov / 2) = 0.25 at an aspect of 2
    expect((m.frames[0].focal as { overWidth: number }).overWidth).toBeCloseTo(1 / (2 * 0.25 * 2), 5);
    expect(m.notes.join()).toMatch(/counts in seconds/);
  });

  test('an animation whose numbers are not there is refused, whatever else the file holds', async () => {
    const whole = Buffer.from(await glb());
    const at = whole.indexOf('"output":') + '"output":'.length;
    expect(at).toBeGreaterThan(20);
    // the accessor that it names is none of the file's
    whole.write('9', at, 'latin1');
    await expect(readGlb(new Uint8Array(whole))).rejects.toThrow(/without its times or values|cannot be read as glTF/);
  });

  test('another rate than it was made at, no rate, two cameras and no glTF are refused in words', async () => {
    await expect(readGlb(await glb({ fps: 25 }))).rejects.toThrow(/made at another rate/);
    await expect(readGlb(await glb(), null)).rejects.toThrow(/how many frames a second/);
    await expect(readGlb(await glb({ cameras: 2 }))).rejects.toThrow(/2 cameras that move/);
    await expect(readGlb(bytes('glTF and no more'))).rejects.toThrow(/cannot be read as glTF/);
  });
});

describe('open tracking metadata', () => {
  const sample = (transforms: object[], change: object = {}) =>
    JSON.stringify({ timing: { sampleRate: { num: 24000, denom: 1001 }, sequenceNumber: 7 }, lens: { pinholeFocalLength: 27.5 }, transforms, ...change });
  const still = { translation: { x: 1, y: 2, z: 3 }, rotation: { pan: 0, tilt: 0, roll: 0 } };

  test('at rest the camera looks along +Y with Z up; pan is about Z, and one transform stands in the one before it', async () => {
    const m = await read(`${sample([still])}\n`, 'a.jsonl');
    expect([m.metres, m.up, m.frames[0].frame]).toEqual([1, 'Z', 7]);
    expect(m.fps).toBeCloseTo(23.976, 3);
    near(looks(m.frames[0].rotation).ahead, [0, 1, 0]);
    near(looks(m.frames[0].rotation).up, [0, 0, 1]);
    const panned = { translation: { x: 0, y: 0, z: 1 }, rotation: { pan: 90, tilt: 0, roll: 0 } };
    const two = await read(`${sample([panned, { translation: { x: 1, y: 0, z: 0 }, rotation: { pan: 0, tilt: 30, roll: 0 } }])}\n`, 'a.jsonl');
    near(two.frames[0].position, [0, 1, 1]);
    near(looks(two.frames[0].rotation).ahead, [-Math.cos(Math.PI / 6), 0, 0.5]);
  });

  test('a list is read like lines; a sample without transforms, and what is no number, are named by their line', async () => {
    expect((await read(`[${sample([still])}]`, 'a.json')).frames).toHaveLength(1);
    await expect(read(`${sample([still])}\n${sample([])}`, 'a.jsonl')).rejects.toThrow(/a\.jsonl, line 2, transforms/);
    await expect(read(sample([{ ...still, rotation: { pan: 'x', tilt: 0, roll: 0 } }]), 'a.jsonl')).rejects.toThrow(/pan: is not a number/);
    await expect(read('{"transforms": [', 'a.jsonl')).rejects.toThrow(/no JSON/);
  });
});

describe('CSV', () => {
  test('quaternion or angles; of angles the order has to be said', async () => {
    const q = await read('frame,x,y,z,qx,qy,qz,qw,focal_mm,unit,up\n1,1,2,3,0,0,0,1,32,cm,Z\n', 'c.csv');
    expect([q.metres, q.up, q.frames[0].focal]).toEqual([0.01, 'Z', { mm: 32 }]);
    const text = 'frame,x,y,z,rx,ry,rz\n1,0,0,0,0,90,90\n';
    await expect(read(text, 'c.csv')).rejects.toThrow(/in which order/);
    // about Y by 90: −Z turns to −X; then about Z by 90: −X turns to −Y
    near(looks((await read(text, 'c.csv', { order: 'XYZ' })).frames[0].rotation).ahead, [0, -1, 0]);
    // the other way round: about Z first leaves −Z, then about Y: −X
    near(looks((await read(text, 'c.csv', { order: 'ZYX' })).frames[0].rotation).ahead, [-1, 0, 0]);
  });

  test.each([
    ['frame,x,y,z\n1,0,0,0\n', /qx/],
    ['frame,x,y,z,qx,qy,qz,qw\n1.5,0,0,0,0,0,0,1\n', /whole number/],
    ['frame,x,y,z,qx,qy,qz,qw,unit\n1,0,0,0,0,0,0,1,m\n2,0,0,0,0,0,0,1,cm\n', /m and cm/],
    ['frame,x,y,z,qx,qy,qz,qw,unit\n1,0,0,0,0,0,0,1,yard\n', /yard/],
    ['frame,x,y,z,qx,qy,qz,qw,focal_mm\n1,0,0,0,0,0,0,1,-3\n', /above 0/],
  ])('%j is refused in words', async (text, words) => {
    await expect(read(text, 'c.csv')).rejects.toThrow(words);
  });

  test('points come as CSV or as PLY text, with their names', () => {
    expect(readMovePoints(bytes('id,x,y,z,unit\nK1,1,2,3,cm\n'), 'p.csv')).toEqual({ points: [{ id: 'K1', at: [1, 2, 3] }], pointsMetres: 0.01, pointsUp: null });
    const ply =
      'ply\nformat ascii 1.0\ncomment vertex 1 K2\nelement vertex 2\nproperty float y\nproperty float x\nproperty float z\nelement face 0\nproperty list uchar int vertex_indices\nend_header\n2 1 3\n5 4 6\n';
    expect(readMovePoints(bytes(ply), 'p.ply').points).toEqual([
      { id: 'vertex 0', at: [1, 2, 3] },
      { id: 'K2', at: [4, 5, 6] },
    ]);
    expect(() => readMovePoints(bytes(ply.replace('ascii', 'binary_little_endian')), 'p.ply')).toThrow(/write it as ascii/);
    expect(() => readMovePoints(bytes(ply.replace('5 4 6', '5 4')), 'p.ply')).toThrow(/vertex 1 is not made of numbers/);
    expect(() => readMovePoints(bytes('id,x,y,z\nK1,1,2,3\nK1,1,2,3\n'), 'p.csv')).toThrow(/K1 stands in it twice/);
  });
});

describe('what is written here comes in as it left', () => {
  const shot = (space?: Shot['space']): Shot => ({ name: 'a shot', solve, setup, fps: 24, space });

  test.each(['gltf', 'usda', 'tracking-json', 'csv'])('%s, in metres, and where it is open in centimetres with Z up', async (format) => {
    const file = SHOT_FILES.find((f) => f.format === format)!;
    for (const space of [undefined, { unit: 'cm', up: 'Z' }] as const) {
      const written = await file.write(shot(space));
      const m: ForeignMove = await readMoveFile(typeof written === 'string' ? bytes(written) : written, file.file, { fps: 24, order: null });
      const zUp = m.up === 'Z';
      const metres = m.metres as number;
      expect(m.frames.map((f) => f.frame)).toEqual([101, 102, 103]);
      m.frames.forEach((f, i) => {
        const [x, y, z] = solve.frames[i].position;
        near(
          f.position.map((v) => v * metres),
          zUp ? [x, -z, y] : [x, y, z],
          4,
        );
        const [a, b] = [looks(f.rotation).ahead, looks(solve.frames[i].rotation).ahead];
        near(a, zUp ? [b[0], -b[2], b[1]] : b, 5);
        const mm = 'mm' in f.focal! ? f.focal.mm : f.focal!.overWidth * ((m.pictureWidthPx ?? 1920) / 1920) * 24;
        expect(mm).toBeCloseTo(28, 3);
      });
      if (m.points.length > 0)
        near(
          m.points[1].at.map((v) => v * metres),
          zUp ? [-1, 4, 1.2] : [-1, 1.2, -4],
          4,
        );
    }
  });
});
