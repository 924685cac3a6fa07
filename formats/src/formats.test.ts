import type { SolveResult } from '@mesure/core';
import Papa from 'papaparse';
import sharp from 'sharp';
import { FormatError, readSetupJson, readSolveJson, readTiesCsv, readTracksCsv, SHOT_FILES, textOf, writeCornersCsv, writeCsv, writeReadingsCsv, type Shot } from '.';
import { inspectPicture, readGray } from './picture';

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
  anchoring: { scale: 1, sigmaScalePct: null, datum: [], residuals: [] },
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
    // a decimal comma makes one value two
    ['track,frame,x,y\na,1,2,5,3', 2, null],
    ['track,frame,x,y,weight\na,1,2,3,-1', 2, 'weight'],
    ['track,frame,x,y\n', null, null],
  ])('refuses %j with line and field', (text, line, field) => {
    expect(() => readTracksCsv(text, 'bad.csv')).toThrow(expect.objectContaining({ file: 'bad.csv', line, field }));
  });
});

test('a file of more rows than anybody solves is refused before it is read; UTF-16 is text, a picture is not', () => {
  expect(() => readTracksCsv(`track,frame,x,y\n${'a,1,2,3\n'.repeat(2_000_001)}`, 'long.csv')).toThrow(/2000002 rows; 2000000 are read/);
  const text = 'track,frame,x,y\nü,1,2,3\n';
  const little = Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(text, 'utf16le')]);
  const big = Buffer.concat([Buffer.from([0xfe, 0xff]), Buffer.from(text, 'utf16le').swap16()]);
  for (const bytes of [Buffer.from(text), little, big]) expect(readTracksCsv(textOf(bytes, 't.csv'), 't.csv').tracks[0].track).toBe('ü');
  expect(() => textOf(Buffer.from([0x89, 0x50, 0, 0]), 'p.csv')).toThrow(/p\.csv: is not a text file/);
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

const of = (format: string) => SHOT_FILES.find((f) => f.format === format)!;
const SHOT: Shot = { name: 'take', fps: 24, solve: SOLVE, setup: { image: { width: 2048, height: 1080 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 24 }, distortion: { mode: 'none' } } };

describe('CSV out', () => {
  test.each([
    ['+D', '+D'],
    ['-7', '-7'],
    ['-3.5°', '-3.5°'],
    ['=cmd|x!A1', "'=cmd|x!A1"],
    ['+1+cmd|x', "'+1+cmd|x"],
    ['@SUM(A1)', "'@SUM(A1)"],
    ["'tis", "'tis"],
  ])('the name %j leaves as %j and comes back as itself', (name, cell) => {
    const text = writeCsv([
      ['from', 'to', 'value', 'unit'],
      [name, 'B', 1.2, 'm'],
    ]);
    expect(Papa.parse<string[]>(text).data[1][0]).toBe(cell);
    expect(readTiesCsv(text, 't.csv')[0]).toMatchObject({ from: name, to: 'B' });
  });
  test('the camera path comes back to the last digit, in the columns of the convention and more', async () => {
    const rows = Papa.parse<Record<string, string>>((await of('csv').write(SHOT)) as string, { header: true, skipEmptyLines: true }).data;
    expect(Object.keys(rows[0]).slice(0, 9)).toEqual(['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'focal_mm']);
    SOLVE.frames.forEach((f, i) => expect([Number(rows[i].x), Number(rows[i].qy), Number(rows[i].focal_mm)]).toEqual([f.position[0], f.rotation[1], 24]));
  });
  test('points, corners and readings have the columns of the convention; nothing runs in a spreadsheet', async () => {
    const points = (await of('points').write(SHOT)) as string;
    expect(points.split('\n')[0]).toMatch(/^id,x,y,z,sigma_x,sigma_y,sigma_z,/);
    expect(points).toContain("'=cmd");
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
