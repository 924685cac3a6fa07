import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { Analysis } from '@mesure/contract';
import { startTestServer, type Person, type TestServer } from '../test-server';

let server: TestServer;
let who: Person;
const RATE = 48_000;
/** A claps-and-voices sound of our own: bursts of noise at odd times, the second recording later, quieter, with noise of its own. */
function recording(lateS: number, seed: number): Float32Array {
  let a = 1;
  const noise = () => {
    a = (Math.imul(a, 1_664_525) + 1_013_904_223) >>> 0;
    return a / 2 ** 31 - 1;
  };
  const source = Float32Array.from({ length: 12 * RATE }, (_, i) => noise() * (Math.sin(i / 5000) * Math.sin(i / 8123) > 0.3 ? 0.5 : 0.02));
  a = seed;
  const start = Math.round((2 - lateS) * RATE);
  return Float32Array.from({ length: 8 * RATE }, (_, i) => 0.6 * source[start + i] + 0.02 * noise());
}
function wav(samples: Float32Array): Buffer {
  const b = Buffer.alloc(44 + 2 * samples.length);
  b.write('RIFF', 0);
  b.writeUInt32LE(36 + 2 * samples.length, 4);
  b.write('WAVEfmt ', 8);
  [16].forEach((v) => b.writeUInt32LE(v, 16));
  b.writeUInt16LE(1, 20);
  b.writeUInt16LE(1, 22);
  b.writeUInt32LE(RATE, 24);
  b.writeUInt32LE(2 * RATE, 28);
  b.writeUInt16LE(2, 32);
  b.writeUInt16LE(16, 34);
  b.write('data', 36);
  b.writeUInt32LE(2 * samples.length, 40);
  samples.forEach((v, i) => b.writeInt16LE(Math.max(-32_768, Math.min(32_767, Math.round(20_000 * v))), 44 + 2 * i));
  return b;
}
/** The sound in a clip with a picture and a timecode, as a camera makes it. */
function clip(name: string, sound: Buffer, fps: number, timecode: string, container: 'mov' | 'mp4'): Buffer {
  const [from, to] = [path.join(server.dir, `${name}.wav`), path.join(server.dir, `${name}.${container}`)];
  writeFileSync(from, sound);
  execFileSync('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    `testsrc=s=160x90:r=${fps}:d=8`,
    '-i',
    from,
    '-c:v',
    'mpeg4',
    '-c:a',
    container === 'mov' ? 'pcm_s16le' : 'aac',
    '-timecode',
    timecode,
    '-y',
    to,
  ]);
  return readFileSync(to);
}
const id = { take: randomUUID(), pack: '', sync: randomUUID() };
beforeAll(async () => {
  server = await startTestServer();
  who = await server.signIn('wrangler');
  const day = await server.layDay(who);
  id.pack = day.pack;
  await server.put(who, 'take', id.take, day.take(1)).expect(201);
});
afterAll(() => server?.stop());

let version = 0;
async function compare(main: Buffer, mainName: string, witness: Buffer, witnessName: string): Promise<Analysis> {
  const [a, b] = [await server.give(who, main, mainName, 'clip').expect(201), await server.give(who, witness, witnessName, 'clip').expect(201)];
  const file = (r: { body: { sha256: string; name: string } }) => ({ sha256: r.body.sha256, name: r.body.name });
  await server.put(who, 'sync', id.sync, { takeId: id.take, packageId: id.pack, main: file(a), witness: file(b), clap: null }, { baseVersion: version }).expect(version === 0 ? 201 : 200);
  version += 1;
  const asked = { id: randomUUID(), kind: 'sync', subjectId: id.sync };
  await who.agent.post(server.at('/analyses')).set('x-csrf-token', who.csrf).send(asked).expect(202);
  for (let i = 0; i < 200; i += 1) {
    const r = await who.agent.get(server.at(`/analyses/${asked.id}`));
    if (r.body.status === 'done' || r.body.status === 'failed') return r.body as Analysis;
    await new Promise((next) => setTimeout(next, 100));
  }
  throw new Error('not finished');
}

test('a WAV against an MP4, a MOV against an MP4: the offset within two milliseconds, rate and timecode from the clips', async () => {
  const first = await compare(wav(recording(0, 7)), 'main.wav', clip('w1', wav(recording(0.7315, 9)), 25, '10:00:02:05', 'mp4'), 'w1.mp4');
  expect(first.status).toBe('done');
  const one = first.outcome as Extract<Analysis['outcome'], { kind: 'sync' }>;
  expect(Math.abs(one.sound.offsetS - 0.7315)).toBeLessThan(0.002);
  expect(one.sound.confidence).toBeGreaterThan(0.5);
  expect(one.witness).toMatchObject({ fps: 25, timecode: '10:00:02:05', hasSound: true });
  expect(one.main).toMatchObject({ fps: null, timecode: null });
  const second = await compare(clip('m2', wav(recording(0, 7)), 24, '10:00:00:00', 'mov'), 'm2.mov', clip('w2', wav(recording(-1.25, 9)), 50, '10:00:01:00', 'mp4'), 'w2.mp4');
  const two = second.outcome as Extract<Analysis['outcome'], { kind: 'sync' }>;
  expect(Math.abs(two.sound.offsetS + 1.25)).toBeLessThan(0.002);
  expect(two.main).toMatchObject({ fps: 24, timecode: '10:00:00:00' });
});

test('frames of a clip are shown one by one to the production’s people, and to nobody else', async () => {
  const given = await server.give(who, clip('f', wav(recording(0, 7)), 25, '10:00:00:00', 'mp4'), 'f.mp4', 'clip').expect(201);
  const at = (n: string) => server.at(`/files/${given.body.sha256}/frame?n=${n}`);
  const frame = await who.agent.get(at('25')).expect(200).expect('content-type', 'image/jpeg');
  expect((frame.body as Buffer).subarray(0, 2).toString('hex')).toBe('ffd8');
  expect((await who.agent.get(at('26'))).body).not.toEqual(frame.body);
  expect((await who.agent.get(at('9999')).expect(422)).body.detail).toMatch(/there is no frame 9999/);
  for (const n of ['-1', '1.5', 'x']) await who.agent.get(at(n)).expect(422);
  const solver = await server.signIn('stranger');
  await solver.agent.get(at('1')).expect(404);
});

test('a clip without sound, a text, half a clip: each says so and nothing is kept of it', async () => {
  const silent = path.join(server.dir, 'silent.mp4');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=s=160x90:r=25:d=2', '-c:v', 'mpeg4', '-y', silent]);
  const failed = await compare(wav(recording(0, 7)), 'main.wav', readFileSync(silent), 'silent.mp4');
  expect([failed.status, failed.error]).toEqual(['failed', expect.stringMatching(/silent\.mp4: has no sound; mark the clap/)]);
  expect((await server.give(who, Buffer.from('no clip at all, only words'), 'x.wav', 'clip')).body).toMatchObject({ code: 'UNREADABLE_FILE', detail: expect.stringMatching(/neither WAV nor MOV/) });
  const whole = clip('half', wav(recording(0, 7)), 25, '10:00:00:00', 'mp4');
  expect((await server.give(who, whole.subarray(0, whole.length >> 1), 'half.mp4', 'clip')).body.code).toBe('UNREADABLE_FILE');
  const missing = await server.put(who, 'sync', randomUUID(), { takeId: id.take, packageId: id.pack, main: null, witness: null, clap: { mainFrame: 1, witnessFrame: 2 } }).expect(201);
  const r = await who.agent.post(server.at('/analyses')).set('x-csrf-token', who.csrf).send({ id: randomUUID(), kind: 'sync', subjectId: missing.body.record.id });
  expect([r.status, r.body.code]).toEqual([409, 'NOT_READY']);
});
