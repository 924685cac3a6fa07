import { blankTake, type SolveOutcome, type TakeBody } from '@mesure/contract';
import { simulateShot, uniform, type ShotScene } from '@mesure/synthetic';
import JSZip from 'jszip';
import { randomUUID } from 'node:crypto';
import { startTestServer, type Person, type TestServer } from '../test-server';
import { readTake } from './test-blind-reader';

/*
 * Three takes are handed over, and read by somebody who has the zip alone. A box that stands on marks of the set is drawn by that reader, and laid beside
 * where the true camera, through its true lens, saw it.
 */
type Point = readonly [number, number, number];
const [W, H] = [1920, 1080];
const now = '2026-01-01T08:00:00.000Z';
const u = uniform(12);
const MARKS: [string, Point][] = [
  ['K1', [-0.6, 0.3, -3.4]],
  ['K2', [0.7, 0.32, -3.3]],
  ['K3', [-0.5, 0.3, -4.6]],
  ['K4', [-0.6, 1.5, -3.5]],
];
const POINTS = [...MARKS.map(([id, at]) => ({ id, at })), ...Array.from({ length: 130 }, (_, i) => ({ id: `f${i}`, at: [-3.4 + 6.8 * u(), i % 2 ? 2.8 * u() : 0, -5 + 4 * u()] as Point }))];
const usual = { widthPx: W, heightPx: H, sensorWidthMm: 24, sensorHeightMm: 13.5, frames: 36, points: POINTS, noisePx: 0.08 };
const dolly: Pick<ShotScene, 'path' | 'aim'> = { path: (t) => [-0.9 + 1.8 * t, 1.2 + 0.4 * t, 1.2 - 0.4 * t], aim: (t) => [0.5 - t, 1, -3] };
const SCENES: Record<string, ShotScene> = {
  // a lens whose house sent its coefficients
  barrel: { ...usual, ...dolly, focalMm: 25, k: [-0.11, 0.03, 0], seed: 3 },
  // hand-held, a picture that was recorded 31 px off the lens's middle
  shifted: { ...usual, ...dolly, focalMm: 32, center: [31, -14], rollRad: (t) => 0.35 * Math.sin(5 * t), seed: 4 },
  zoomed: { ...usual, ...dolly, focalMm: (t) => 28 + 14 * t * t * (3 - 2 * t), seed: 5 },
};
/** The box: eight corners from K1 along K2, K3 and K4, a third beyond them. */
const CORNERS = [0, 1, 2, 3, 4, 5, 6, 7].map((n) => [n & 1, (n >> 1) & 1, n >> 2].map((v) => 1.3 * v));
const boxOf = (place: (id: string) => Point): Point[] =>
  CORNERS.map((c) => place('K1').map((v, k) => v + ['K2', 'K3', 'K4'].reduce((s, id, i) => s + c[i] * (place(id)[k] - v), 0)) as unknown as Point);

/** Where the truth has a place: pinhole, Brown's polynomial over the true focal length, about the true centre. */
function truly(scene: ShotScene, frame: number, p: Point): [number, number] {
  const t = (frame - 1) / (scene.frames - 1);
  const mm = typeof scene.focalMm === 'number' ? scene.focalMm : scene.focalMm(t);
  const camera = simulateShot({ ...scene, points: [], noisePx: 0 }).cameras[frame - 1];
  const along = (a: Point) => a.reduce((s, v, k) => s + v * (p[k] - camera.position[k]), 0);
  const [x, y] = [along(camera.right) / along(camera.forward), along(camera.down) / along(camera.forward)];
  const r2 = x * x + y * y;
  const s = 1 + (scene.k?.[0] ?? 0) * r2 + (scene.k?.[1] ?? 0) * r2 * r2;
  const f = (mm * W) / 24;
  return [W / 2 + (scene.center?.[0] ?? 0) + f * x * s, H / 2 + (scene.center?.[1] ?? 0) + f * y * s];
}

let server: TestServer, wrangler: Person;
const id = { body: randomUUID(), mode: randomUUID(), set: randomUUID(), day: randomUUID(), setup: randomUUID() };
const takes = Object.fromEntries(Object.keys(SCENES).map((name) => [name, randomUUID()]));

beforeAll(async () => {
  server = await startTestServer();
  wrangler = await server.signIn('wrangler');
  const make = async (kind: string, recordId: string, body: object) => void (await server.put(wrangler, kind, recordId, body).expect(201));
  await make('body', id.body, { name: 'Tarvik', modes: [{ id: id.mode, name: 'HD', widthPx: W, heightPx: H, sensorWidthMm: 24, sensorHeightMm: 13.5, fps: 24 }] });
  await make('set', id.set, { name: 'Galley', marks: MARKS.map(([m]) => m) });
  await make('day', id.day, { name: 'Day 1', date: '2026-01-01' });
  await make('setup', id.setup, { dayId: id.day, setId: id.set, name: 'Three', scene: '12', order: 1, levelMarks: [], originMark: 'K1', headingMarks: null });
  for (const [a, b] of [
    ['K1', 'K2'],
    ['K1', 'K3'],
  ]) {
    const [p, q] = [a, b].map((m) => MARKS.find(([n]) => n === m)![1]);
    const m = Math.hypot(...p.map((v, k) => v - q[k]));
    await make('tie', randomUUID(), { setId: id.set, from: a, to: b, length: { typed: `${m} m`, unit: 'm', valueM: m, toleranceM: 0.002 }, instrument: 'laser', measuredAt: now });
  }
  let n = 0;
  for (const [name, scene] of Object.entries(SCENES)) {
    n += 1;
    const [lens, pack] = [randomUUID(), randomUUID()];
    const [from, to] = name === 'zoomed' ? [28, 42] : [scene.focalMm as number, scene.focalMm as number];
    await make('lens', lens, { name: `Lens ${name}`, kind: from === to ? 'prime' : 'zoom', minFocalMm: from, maxFocalMm: to, squeeze: 1, serial: '' });
    await make('package', pack, { camera: 'ABC'[n - 1], bodyId: id.body, modeId: id.mode, lensId: lens, adapterId: null, focalMm: from });
    if (scene.k) {
      const text = JSON.stringify({ lens: { pinholeFocalLength: from, distortion: [{ model: 'Brown-Conrady U-D', radial: scene.k }] } });
      const file = (await server.give(wrangler, Buffer.from(text), 'house.json', 'lens').expect(201)).body as { sha256: string };
      const plate = randomUUID();
      const given = { what: 'coefficients', formula: 'polynomial', over: 'focal length', direction: 'undistorted to distorted', k: scene.k, p: [0, 0], center: [0, 0], focalMm: null };
      await make('plate', plate, { lensId: lens, packageId: pack, picture: { sha256: file.sha256, name: 'house.json' }, focalMm: from, focusM: null, cellM: null, given, shotAt: now });
      expect(await server.compute(wrangler, 'grid', plate)).toMatchObject({ status: 'done' });
    }
    const csv = ['track,frame,x,y', ...simulateShot(scene).tracks.map((t) => `${t.track},${t.frame},${t.x.toFixed(3)},${t.y.toFixed(3)}`)].join('\n');
    const tracks = (await server.give(wrangler, Buffer.from(csv), `${name}.csv`, 'tracks').expect(201)).body as { sha256: string };
    const body: TakeBody = {
      ...blankTake(id.setup, '12', { id: pack, focalMm: from }, now),
      take: n,
      tracks: { sha256: tracks.sha256, name: `${name}.csv` },
      ...(from === to ? {} : { focalEndMm: to }),
    };
    await make('take', takes[name], body);
  }
}, 120_000);
afterAll(() => server?.stop());

test('three takes are solved, handed over, and a box is placed from the zip alone within a fifth of a pixel of the truth', async () => {
  for (const name of Object.keys(SCENES)) {
    const { outcome } = await server.compute(wrangler, 'solve', takes[name], { focalMode: 'free', ...(name === 'shifted' ? { findCentre: true } : {}) });
    expect([name, (outcome as SolveOutcome).solve.status, (outcome as SolveOutcome).solve.reason]).toEqual([name, 'solved', null]);
  }
  const zip = await JSZip.loadAsync(await server.handOver(wrangler, id.day));
  const folders = Object.keys(zip.files).filter((f) => f.endsWith('solve.json'));
  expect(folders).toHaveLength(3);
  const text = (file: string) => zip.file(file)!.async('string');
  const rmsPx: Record<string, number> = {};
  for (const [n, [name, scene]] of Object.entries(SCENES).entries()) {
    const folder = folders.find((f) => new RegExp(`take-?0?${n + 1}/|_t?0?${n + 1}/|-0?${n + 1}/`).test(f))!.replace('solve.json', '');
    const take = readTake({ camera: await text(`${folder}camera.csv`), points: await text(`${folder}points.csv`), solve: await text(`${folder}solve.json`) });
    const theirs = boxOf((m) => take.places.get(m)!);
    const ours = boxOf((m) => MARKS.find(([k]) => k === m)![1]);
    let [sum, count] = [0, 0];
    for (let frame = 1; frame <= scene.frames; frame += 3)
      theirs.forEach((p, i) => {
        const at = truly(scene, frame, ours[i]);
        if (at[0] < 0 || at[1] < 0 || at[0] > W || at[1] > H) return;
        const seen = take.seen(p, frame)!;
        sum += (seen[0] - at[0]) ** 2 + (seen[1] - at[1]) ** 2;
        count += 1;
      });
    expect(count).toBeGreaterThan(20);
    rmsPx[name] = Math.sqrt(sum / count);
  }
  for (const name of Object.keys(SCENES)) expect([name, rmsPx[name] < 0.2]).toEqual([name, true]);
}, 300_000);
