import { clipScene, renderClip, roomShot } from '@mesure/synthetic';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { mesure } from './run-mesure';

const root = path.resolve(__dirname, '../..');
const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-clip-cli-'));
const file = (name: string) => path.join(dir, name);
const rowsOf = (csv: string) =>
  csv
    .trim()
    .split('\n')
    .slice(1)
    .map((l) => l.split(','));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('track', () => {
  const clip = renderClip(clipScene('walk', 400, 8));
  const frames = Array.from({ length: 8 }, (_, i) => file(`shot_v2.${1001 + i}.png`));
  beforeAll(async () => {
    for (const [i, name] of frames.entries()) await sharp(Buffer.from(clip.at(i).data), { raw: { width: 400, height: 225, channels: 1 } }).png().toFile(name); // prettier-ignore
    const mask = Buffer.alloc(400 * 225, 255);
    for (let y = 0; y < 225; y += 1) mask.fill(0, y * 400, y * 400 + 200);
    await sharp(mask, { raw: { width: 400, height: 225, channels: 1 } })
      .png()
      .toFile(file('mask.png'));
  });

  test('pictures are numbered by the last digits of their names, given in any order; places lie on what the scene shows', () => {
    const r = mesure(['track', ...[...frames].reverse(), '--max', '80']);
    expect([r.code, r.out.split('\n')[0]]).toEqual([0, 'track,frame,x,y,weight,note']);
    const rows = rowsOf(r.out);
    expect(new Set(rows.map((c) => Number(c[1])))).toEqual(new Set([1001, 1002, 1003, 1004, 1005, 1006, 1007, 1008]));
    // the first frame of a track against its last, through the scene
    const off = [...new Set(rows.map((c) => c[0]))].flatMap((id) => {
      const mine = rows.filter((c) => c[0] === id && Number(c[4]) > 0);
      if (mine.length < 8) return [];
      const truth = clip.truth(0, Number(mine[0][2]), Number(mine[0][3]), 7)!;
      return [Math.hypot(Number(mine[7][2]) - truth.xPx, Number(mine[7][3]) - truth.yPx)];
    });
    off.sort((a, b) => a - b);
    expect(off.length).toBeGreaterThan(8);
    expect(off[off.length >> 1]).toBeLessThan(0.4);
  });

  test('what is black in the mask is not tracked', () => {
    const rows = rowsOf(mesure(['track', ...frames, '--max', '60', '--mask', file('mask.png')]).out);
    expect(rows.length).toBeGreaterThan(60);
    for (const [, , x, , weight, note] of rows) if (Number(x) < 199) expect([weight, note]).toEqual(['0', 'masked']);
  });

  test('a clip goes into a solve: its frames count from 1, what has no weight is not used', () => {
    const r = mesure(['track', path.join(root, 'demo/footage/39A_t1.mp4'), '--out', file('clip.csv')]);
    expect([r.code, r.out]).toEqual([0, '']);
    expect(r.err).toMatch(/do not behave like still points/);
    const rows = rowsOf(readFileSync(file('clip.csv'), 'utf8'));
    expect(rows.map((c) => c[5])).toEqual(expect.arrayContaining(['', 'moving', 'burn-in']));
    expect(rows.filter((c) => c[5] !== '').every((c) => c[4] === '0')).toBe(true);
    expect([Math.min(...rows.map((c) => Number(c[1]))), Math.max(...rows.map((c) => Number(c[1])))]).toEqual([1, 40]);
    const setup = {
      image: { width: 640, height: 360 },
      sensor: { widthMm: 23.04, heightMm: 12.96 },
      focal: { mode: 'free', mm: 28 },
      distortion: { mode: 'held', model: 'radial', k: [-0.06, 0.008, 0], focalMm: 25 },
    };
    writeFileSync(file('clip-setup.json'), JSON.stringify(setup));
    const solve = mesure(['solve', file('clip.csv'), '--setup', file('clip-setup.json')]).json();
    // the lens of the clip has 25 mm
    expect(Math.abs(solve.focalMm - 25)).toBeLessThan(2.5 * solve.sigmaFocalMm);
    expect(solve.sigmaFocalMm).toBeLessThan(0.6);
    expect(solve.warnings.join()).not.toMatch(/columns/);
  });

  test.each<[string, () => string[], RegExp]>([
    ['nothing', () => ['track'], /give a clip, or the pictures/],
    ['a file that is not there', () => ['track', file('no.mp4')], /no\.mp4: there is no such file/],
    ['one picture', () => ['track', frames[0]], /is no MOV or MP4; of pictures give one for each frame/],
    ['a picture without a number', () => ['track', frames[0], file('mask.png')], /mask\.png has no number in its name/],
    ['a frame given twice', () => ['track', frames[0], frames[0]], /frame 1001 is given twice/],
    ['a mask of another size', () => ['track', ...frames, '--mask', path.join(root, 'docs/screenshots/kit-phone.png')], /and the frames are 400 × 225/],
    ['a start that is no frame', () => ['track', ...frames, '--from', '5'], /--from 5 is no frame of it; first, last, or a number from 1001 to 1008/],
    ['a number that is none', () => ['track', ...frames, '--max', '2.5'], /--max 2\.5 must be a whole number from 8/],
  ])('%s is refused in one line', (_what, args, words) => {
    const r = mesure(args());
    expect([r.code, r.out]).toEqual([2, '']);
    expect(r.err).toMatch(words);
  });
});

describe('lineup and rig', () => {
  const shot = roomShot({ widthPx: 1600, heightPx: 844, focalMm: 28, sensorWidthMm: 24, sensorHeightMm: 12.66, frames: 20, noisePx: 0.3 });
  const setup = { image: { width: 1600, height: 844 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' } };
  beforeAll(() => {
    writeFileSync(file('setup.json'), JSON.stringify(setup));
    writeFileSync(file('survey.csv'), `id,x,y,z\n${shot.points.map((p) => `${p.id},${p.at.join(',')}`).join('\n')}\n`);
    const first = shot.shot.tracks.filter((t) => t.frame === 1).slice(0, 12);
    writeFileSync(file('marks.csv'), `id,x,y\n${first.map((t) => `${t.track},${t.x},${t.y}`).join('\n')}\n`);
    const points = shot.points.slice(0, 6).map((p) => ({ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: 0.002 }));
    writeFileSync(file('anchored.json'), JSON.stringify({ ...setup, anchors: { points } }));
    writeFileSync(file('tracks.csv'), shot.csv);
  });

  test('a picture of surveyed points says where its camera stood', () => {
    const r = mesure(['lineup', file('marks.csv'), '--setup', file('setup.json'), '--points', file('survey.csv')]);
    expect(r.code).toBe(0);
    const { position, focalMm, sigmaFocalMm, sigmaPositionM } = r.json();
    const truth = shot.shot.cameras[0].position;
    truth.forEach((v, k) => expect(Math.abs(position[k] - v)).toBeLessThan(4 * sigmaPositionM[k]));
    expect(Math.abs(focalMm - 28)).toBeLessThan(4 * sigmaFocalMm);
    expect(mesure(['lineup', file('marks.csv'), '--setup', file('setup.json')])).toMatchObject({ code: 2, err: expect.stringMatching(/nothing is known of the marks: give --points, --ties/) });
    const few = mesure(['lineup', '-', '--setup', file('setup.json'), '--points', file('survey.csv')], 'id,x,y\nm1,10,20\n');
    expect([few.code, few.json().reason]).toEqual([1, expect.stringMatching(/4 are the least/)]);
    expect(mesure(['lineup', '-', '--setup', file('setup.json'), '--points', file('survey.csv')], 'id,x,y\nm1,10,20\nm1,11,20\n').err).toMatch(/line 3, id: m1 is marked already in line 2/);
  });

  test('where nobody knows places the lengths between the marks do: its own axes, and over the floor with heights', () => {
    const marks = readFileSync(file('marks.csv'), 'utf8').trim().split('\n').slice(1, 8);
    const seen = marks.map((m) => shot.points.find((p) => p.id === m.split(',')[0])!);
    writeFileSync(file('seven.csv'), `id,x,y\n${marks.join('\n')}\n`);
    const ties = seen.flatMap((a, i) => seen.slice(i + 1).map((b) => `${a.id},${b.id},${(100 * Math.hypot(...a.at.map((v, k) => v - b.at[k]))).toFixed(3)},cm,0.2`));
    writeFileSync(file('ties.csv'), `from,to,value,unit,tolerance\n${ties.join('\n')}\n`);
    writeFileSync(file('heights.csv'), `id,value,unit,tolerance\n${seen.map((p) => `${p.id},${p.at[1].toFixed(4)},m,0.004`).join('\n')}\n`);
    const own = mesure(['lineup', file('seven.csv'), '--setup', file('setup.json'), '--ties', file('ties.csv')]).json();
    expect(own).toMatchObject({ status: 'solved', frame: 'camera', position: [0, 0, 0] });
    expect(Math.abs(own.focalMm - 28)).toBeLessThan(4 * own.sigmaFocalMm);
    const r = mesure(['lineup', file('seven.csv'), '--setup', file('setup.json'), '--ties', file('ties.csv'), '--heights', file('heights.csv')]);
    expect([r.code, r.json().frame]).toEqual([0, 'floor']);
    expect(Math.abs(r.json().position[1] - shot.shot.cameras[0].position[1])).toBeLessThan(4 * r.json().sigmaPositionM[1]);
    expect(mesure(['lineup', file('seven.csv'), '--setup', file('setup.json'), '--ties', file('ties.csv'), '--points', file('survey.csv')])).toMatchObject({
      code: 2,
      err: expect.stringMatching(/--points or --ties/),
    });
    expect(mesure(['lineup', file('seven.csv'), '--setup', file('setup.json'), '--heights', file('heights.csv')])).toMatchObject({ code: 2, err: expect.stringMatching(/--heights go with --ties/) });
  });

  test('a camera against itself sits on itself, and a rig without metres has no offset', () => {
    writeFileSync(file('a.json'), mesure(['solve', file('tracks.csv'), '--setup', file('anchored.json')]).out);
    const r = mesure(['rig', file('a.json'), file('a.json')]);
    expect(r.code).toBe(0);
    expect(Math.hypot(...(r.json().translation as number[]))).toBeLessThan(1e-9);
    expect(r.json().stable).toBe(true);
    writeFileSync(file('b.json'), mesure(['solve', file('tracks.csv'), '--setup', file('setup.json')]).out);
    const none = mesure(['rig', file('a.json'), file('b.json')]);
    expect([none.code, none.json().reason]).toEqual([1, expect.stringMatching(/no scale/)]);
    expect(mesure(['rig', file('a.json')])).toMatchObject({ code: 2, err: expect.stringMatching(/give two solves/) });
  });
});
