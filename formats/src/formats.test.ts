import { NodeIO } from '@gltf-transform/core';
import type { SolveResult } from '@mesure/core';
import Papa from 'papaparse';
import sharp from 'sharp';
import { FormatError, readSetupJson, readSolveJson, readTracksCsv, writeCameraCsv, writeCornersCsv, writeGltf, writePointsCsv, writeReadingsCsv } from '.';
import { inspectPicture, readGray } from './picture';

const validator = require('gltf-validator') as {
  validateBytes(bytes: Uint8Array): Promise<{ issues: { numErrors: number; numWarnings: number; messages: unknown[] }; info: { animationCount: number } }>;
};

const h = Math.SQRT1_2;
const SOLVE = {
  status: 'solved',
  focalMm: 24,
  frames: [
    { frame: 10, position: [0, 1.4, 0], rotation: [0, 0, 0, 1], focalMm: 24, rmsPx: 0.4, tracks: 30, sigmaPositionM: 0.004 },
    { frame: 11, position: [0.1, 1.41, -0.02], rotation: [0, h, 0, h], focalMm: 24, rmsPx: 0.4, tracks: 30, sigmaPositionM: 0.004 },
    { frame: 12, position: [0.2, 1.42, -0.04], rotation: [0, -h, 0, -h], focalMm: 24, rmsPx: 0.4, tracks: 30, sigmaPositionM: 0.004 },
  ],
  points: [
    { track: 'K1', position: [1, 0, -2], sigmaM: 0.002, rmsPx: 0.3, observations: 3 },
    { track: '=cmd', position: [2, 0, -3], sigmaM: null, rmsPx: 0.3, observations: 3 },
  ],
} as unknown as SolveResult;

describe('tracks CSV', () => {
  test('reads columns in any order, keeps weights, reports what it does not know', () => {
    const r = readTracksCsv('\uFEFFframe,track,y,x,colour,weight\n1,"a,1",2.5,1.5,red,0.5\n\n2,b,4,3,blue,\n', 't.csv');
    expect(r.tracks).toEqual([
      { track: 'a,1', frame: 1, x: 1.5, y: 2.5, weight: 0.5 },
      { track: 'b', frame: 2, x: 3, y: 4, weight: 1 },
    ]);
    expect(r.unknownColumns).toEqual(['colour']);
  });
  test.each([
    ['track,frame,x\na,1,2', 1, 'y'],
    ['track,frame,x,y\na,1,2,zwei', 2, 'y'],
    ['track,frame,x,y\na,1,2,3\na,1.5,2,3', 3, 'frame'],
    ['track,frame,x,y\na,1,2,3\n,2,2,3', 3, 'track'],
    ['track,frame,x,y\na,1,2,3\na,1,5,6', 3, 'track'],
    ['track,frame,x,y\na,1,2', 2, null],
    ['track,frame,x,y,weight\na,1,2,3,-1', 2, 'weight'],
    ['track,frame,x,y\n', null, null],
  ])('refuses %j with line and field', (text, line, field) => {
    expect(() => readTracksCsv(text, 'bad.csv')).toThrow(expect.objectContaining({ file: 'bad.csv', line, field }));
  });
});

describe('JSON', () => {
  const good = { image: { width: 10, height: 5 }, sensor: { widthMm: 2, heightMm: 1 }, focal: { mm: 3 } };
  test('names the missing field, the line of a syntax error and a bad anchor', () => {
    expect(readSetupJson(JSON.stringify(good), 's.json')).toEqual(good);
    expect(() => readSetupJson('{"image":{"width":10,"height":5},"sensor":{"widthMm":2},"focal":{"mm":3}}', 's.json')).toThrow('s.json, sensor.heightMm: is missing');
    expect(() => readSetupJson('{\n"image": {]', 's.json')).toThrow(/s\.json, line 2: is not JSON/);
    expect(() => readSetupJson(JSON.stringify({ ...good, anchors: { lengths: [{ a: 'x', b: 'y', m: 'long' }] } }), 's.json')).toThrow('anchors.lengths[0].m');
    expect(() => readSetupJson('[]', 's.json')).toThrow(FormatError);
    expect(() => readSolveJson('{"status":"maybe"}', 'r.json')).toThrow('r.json, status');
  });
});

describe('CSV out', () => {
  test('the camera path comes back to the last digit', () => {
    const rows = Papa.parse<Record<string, string>>(writeCameraCsv(SOLVE), { header: true, skipEmptyLines: true }).data;
    expect(Object.keys(rows[0])).toEqual(['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'focal_mm']);
    SOLVE.frames.forEach((f, i) => expect([Number(rows[i].x), Number(rows[i].qy), Number(rows[i].focal_mm)]).toEqual([f.position[0], f.rotation[1], 24]));
  });
  test('points, corners and readings have the columns of the convention; nothing runs in a spreadsheet', () => {
    expect(writePointsCsv(SOLVE).split('\n')[0]).toBe('id,x,y,z,sigma_x,sigma_y,sigma_z');
    expect(writePointsCsv(SOLVE)).toContain("'=cmd");
    const nodes = [{ row: 0, col: 1, x: 2.5, y: 3.5 }];
    expect(writeCornersCsv([{ plate: 'a', nodes }])).toBe('row,col,x,y\n0,1,2.5,3.5\n');
    expect(
      writeCornersCsv([
        { plate: 'a', nodes },
        { plate: 'b', nodes },
      ]).split('\n')[2],
    ).toBe('b,0,1,2.5,3.5');
    expect(
      writeReadingsCsv([
        {
          setup: 's',
          take: 't',
          quantity: 'tie',
          about: 'a to b',
          value: 1.40335,
          unit: 'm',
          as_entered: '4\' 7 1/4"',
          tolerance: 0.01,
          instrument: 'tape',
          taken_at: '',
          carried: 'measured',
          when: '2026-01-01',
          who: 'w',
        },
      ]),
    ).toContain('"4\' 7 1/4"""');
  });
});

describe('glTF', () => {
  test('is valid by the standard’s own validator and holds the camera move', async () => {
    const bytes = await writeGltf(SOLVE, { name: '41A take 2', fps: 24, sensorHeightMm: 12.66, aspect: 1.896 });
    const report = await validator.validateBytes(bytes);
    expect(report.issues.messages).toEqual([]);
    expect(report.info.animationCount).toBe(1);
    const doc = await new NodeIO().readBinary(bytes);
    const camera = doc.getRoot().listCameras()[0];
    expect(camera.getYFov()).toBeCloseTo(2 * Math.atan(12.66 / 48), 6);
    const [translation, rotation] = doc.getRoot().listAnimations()[0].listSamplers();
    expect(Array.from(translation.getInput()!.getArray()!)).toEqual([0, Math.fround(1 / 24), Math.fround(2 / 24)]);
    expect(translation.getOutput()!.getArray()![7]).toBeCloseTo(1.42, 6);
    // q and −q are one rotation: the writer keeps neighbours on one side
    const q = rotation.getOutput()!.getArray()!;
    expect(q[4 * 2 + 1]).toBeCloseTo(q[4 + 1], 6);
    expect(doc.getRoot().listMeshes()[0].getExtras().tracks).toEqual(['K1', '=cmd']);
  });
});

describe('pictures', () => {
  const raw = (channels: 1 | 3 = 1) => sharp(Buffer.from(Array.from({ length: 20 * 10 * channels }, (_, i) => (i * 7) % 256)), { raw: { width: 20, height: 10, channels } });
  test('JPEG, PNG, 8- and 16-bit TIFF come out grey and upright', async () => {
    for (const bytes of [await raw(3).jpeg().toBuffer(), await raw().png().toBuffer(), await raw().tiff().toBuffer()]) {
      const g = await readGray(bytes, 'p');
      expect([g.widthPx, g.heightPx, g.data.length]).toEqual([20, 10, 200]);
    }
    expect((await readGray(await raw().png().toBuffer(), 'p')).data[5]).toBe(35);
    const deep = await raw().toColourspace('grey16').png().toBuffer();
    expect((await readGray(deep, 'p')).data[5]).toBeCloseTo(35, 0);
    const turned = await raw(3).withMetadata({ orientation: 6 }).jpeg().toBuffer();
    expect(await inspectPicture(turned, 'p')).toMatchObject({ widthPx: 10, heightPx: 20 });
    expect(await readGray(turned, 'p')).toMatchObject({ widthPx: 10, heightPx: 20 });
  });
  test('what is no picture, cut off or something else is refused by name', async () => {
    const whole = await raw(3).jpeg().toBuffer();
    await expect(inspectPicture(Buffer.from('just text'), 'x.png')).rejects.toThrow(/x\.png: is not a picture/);
    await expect(readGray(whole.subarray(0, whole.length - 40), 'cut.jpg')).rejects.toThrow(/cut\.jpg: cannot be decoded/);
    await expect(inspectPicture(await raw(3).gif().toBuffer(), 'a.gif')).rejects.toThrow(/is gif/);
    await expect(inspectPicture(await raw(3).webp().toBuffer(), 'a.jpg')).rejects.toThrow(/is webp/);
  });
  test('a header that promises too many pixels is refused before it is decoded', async () => {
    const png = await raw().png().toBuffer();
    const bomb = Buffer.from(png);
    bomb.writeUInt32BE(30_000, 16);
    bomb.writeUInt32BE(30_000, 20);
    await expect(readGray(bomb, 'bomb.png')).rejects.toBeInstanceOf(FormatError);
  });
});
