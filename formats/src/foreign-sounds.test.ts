import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { extractSound, isWav, probeClip } from './picture';

/** Sound recordings as other programs write them: the same sound in each. */
let dir: string;
const file = (name: string) => path.join(dir, name);
const make = (name: string, ...args: string[]) => {
  // two seconds that rise in pitch, so that a shift or a wrong width of its samples shows
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', "aevalsrc='0.5*sin(2*PI*(200*t+150*t*t))|0.5*sin(2*PI*(200*t+150*t*t))':s=48000:d=2", ...args, '-y', file(name)]);
  return file(name);
};
let truth: Float32Array;
beforeAll(() => {
  dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-sounds-'));
  truth = Float32Array.from({ length: 32_000 }, (_, i) => 0.5 * Math.sin(2 * Math.PI * (200 * (i / 16_000) + 150 * (i / 16_000) ** 2)));
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

/** A share of the sound that is something else; the first and last hundredth second belong to the resampler. */
async function off(name: string): Promise<number> {
  const { samples, rateHz } = await extractSound(file(name), name);
  expect(rateHz).toBe(16_000);
  expect(Math.abs(samples.length - truth.length)).toBeLessThan(40);
  // how loud two channels are together is the mixer's to say
  let [both, own, all] = [0, 0, 0];
  for (let i = 160; i < truth.length - 200; i += 1) {
    both += samples[i] * truth[i];
    own += truth[i] ** 2;
    all += samples[i] ** 2;
  }
  expect(both).toBeGreaterThan(0);
  return Math.sqrt(Math.max(0, 1 - both ** 2 / (own * all)));
}

test.each<[string, string[], number]>([
  ['8 bits', ['-c:a', 'pcm_u8'], 0.02],
  ['16 bits', ['-c:a', 'pcm_s16le'], 0.001],
  ['24 bits, in the extensible form', ['-c:a', 'pcm_s24le'], 0.001],
  ['32 bits', ['-c:a', 'pcm_s32le'], 0.001],
  ['float', ['-c:a', 'pcm_f32le'], 0.001],
  ['float of 64 bits', ['-c:a', 'pcm_f64le'], 0.001],
  ['the form for more than 4 GB', ['-c:a', 'pcm_s24le', '-rf64', 'always'], 0.001],
  ['one channel', ['-c:a', 'pcm_s16le', '-ac', '1'], 0.001],
])('%s', async (_name, args, most) => {
  make('a.wav', ...args);
  expect(await isWav(file('a.wav'))).toBe(true);
  expect(await off('a.wav')).toBeLessThan(most);
});

test('a length that was not known while it was written, and a chunk of odd length before the sound', async () => {
  const whole = readFileSync(make('b.wav', '-c:a', 'pcm_s16le', '-bitexact'));
  const streamed = Buffer.from(whole);
  streamed.writeUInt32LE(0xffffffff, 4);
  streamed.writeUInt32LE(0xffffffff, whole.indexOf('data', 0, 'latin1') + 4);
  writeFileSync(file('streamed.wav'), streamed);
  expect(await off('streamed.wav')).toBeLessThan(0.001);
  const at = whole.indexOf('data', 0, 'latin1');
  // 7 bytes and the one that fills them up
  const odd = Buffer.concat([whole.subarray(0, at), Buffer.from('note\x07\x00\x00\x00stage 3\x00', 'latin1'), whole.subarray(at)]);
  odd.writeUInt32LE(odd.length - 8, 4);
  writeFileSync(file('odd.wav'), odd);
  expect(await off('odd.wav')).toBeLessThan(0.001);
});

test('the time reference of a broadcast recording is when it begins; nought is a recorder without a clock', async () => {
  const at = (14 * 3600 + 2 * 60 + 11.25) * 48_000;
  make('c.wav', '-c:a', 'pcm_s24le', '-write_bext', '1', '-metadata', `time_reference=${at}`);
  expect((await probeClip(file('c.wav'), 'c.wav')).startsAtS).toBeCloseTo(14 * 3600 + 131.25, 6);
  make('d.wav', '-c:a', 'pcm_s24le', '-write_bext', '1', '-metadata', 'time_reference=0');
  expect((await probeClip(file('d.wav'), 'd.wav')).startsAtS).toBeNull();
  make('e.wav', '-c:a', 'pcm_s16le');
  expect((await probeClip(file('e.wav'), 'e.wav')).startsAtS).toBeNull();
});

test('half a recording and none are said', async () => {
  const whole = readFileSync(make('f.wav', '-c:a', 'pcm_s16le'));
  writeFileSync(file('head.wav'), whole.subarray(0, 30));
  await expect(extractSound(file('head.wav'), 'head.wav')).rejects.toThrow(/head\.wav: (cannot be read as a clip|has no sound)/);
});
