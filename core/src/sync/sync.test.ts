import { seededNormal, seededRandom } from '../math';
import { resample, type Sound } from './resample';
import { soundOffset } from './sound-offset';
import { wordsOf } from '../warnings';

/** Talk-like sound: bursts of band-limited noise with pauses, as a function of time, the same for all recordings. */
function scene(seconds: number, seed: number): (t: number) => number {
  const random = seededRandom(seed);
  const partials = Array.from({ length: 24 }, () => ({ hz: 120 + 3000 * random() ** 2, phase: 6.28 * random(), wobble: 0.5 + 3 * random(), depth: random() }));
  const bursts = Array.from({ length: Math.ceil(seconds * 3) }, () => ({ at: seconds * random(), length: 0.05 + 0.3 * random(), loud: 0.3 + random() }));
  const exact = (t: number): number => {
    let loud = 0.02;
    for (const b of bursts) if (t > b.at && t < b.at + b.length) loud += b.loud * Math.sin((Math.PI * (t - b.at)) / b.length);
    let v = 0;
    for (const p of partials) v += Math.sin(2 * Math.PI * p.hz * t + p.phase + p.depth * 4 * Math.sin(p.wobble * t));
    return loud * v;
  };
  // by a table: every echo of every recording asks again
  const table = Float64Array.from({ length: Math.ceil((seconds + 2) * TABLE_HZ) }, (_, i) => exact(i / TABLE_HZ - 1));
  return (t) => {
    const at = Math.max(0, Math.min(table.length - 2, (t + 1) * TABLE_HZ));
    const i = Math.floor(at);
    return table[i] + (at - i) * (table[i + 1] - table[i]);
  };
}
const TABLE_HZ = 16_000;

interface Recording {
  rateHz: number;
  startS: number;
  lengthS: number;
  gain?: number;
  noise?: number;
  /** reflections: later by so much, and so loud */
  echoes?: [number, number][];
  clock?: number;
  seed?: number;
}
/** The scene's samples by its own formula; reflections are added as later copies. */
function record(of: (t: number) => number, { rateHz, startS, lengthS, gain = 1, noise = 0, echoes = [], clock = 1, seed = 1 }: Recording): Sound {
  const normal = seededNormal(seed);
  const dense = new Float32Array(Math.round(lengthS * rateHz));
  for (let i = 0; i < dense.length; i += 1) {
    const t = startS + (i / rateHz) * clock;
    let v = of(t);
    for (const [later, loud] of echoes) v += loud * of(t - later);
    dense[i] = gain * v + noise * normal();
  }
  return { samples: dense, rateHz };
}
const ROOM: [number, number][] = [
  [0.011, 0.6],
  [0.019, -0.5],
  [0.031, 0.4],
  [0.047, 0.3],
];

test('two recordings of one sound, reverberant, noisy, of different rates, lengths and levels, within a millisecond', () => {
  const talk = scene(14, 4);
  for (const [startB, seed] of [
    [1.2345, 1],
    [-2.3456, 2],
  ]) {
    const a = record(talk, { rateHz: 8000, startS: 3, lengthS: 8, noise: 1, seed });
    const b = record(talk, { rateHz: 11025, startS: 3 + startB, lengthS: 6, gain: 0.1, noise: 0.15, echoes: ROOM, seed: seed + 10 });
    const r = soundOffset(a, b);
    // b began later, so that the same sound stands earlier in it
    expect(Math.abs(r.offsetS + startB)).toBeLessThan(0.001);
    expect(r.confidence).toBeGreaterThan(0.8);
  }
});
test('unrelated recordings get a low confidence, and say so', () => {
  for (const seed of [1, 2]) {
    const r = soundOffset(
      record(scene(8, 10 + seed), { rateHz: 8000, startS: 0, lengthS: 8, noise: 0.5, seed }),
      record(scene(8, 20 + seed), { rateHz: 8000, startS: 0, lengthS: 7, noise: 0.5, seed: seed + 5 }),
    );
    expect(r.confidence).toBeLessThan(0.3);
    expect(wordsOf(r.warnings).join()).toMatch(/too little in common/);
  }
});
test('a clock that runs slow shows as drift', () => {
  const talk = scene(32, 6);
  // b takes 1.0005 s of the world for each second that it counts: by 30 s it is 15 ms ahead
  const r = soundOffset(record(talk, { rateHz: 8000, startS: 0, lengthS: 30 }), record(talk, { rateHz: 8000, startS: 0, lengthS: 30, clock: 1.0005, noise: 0.1 }));
  expect(r.driftPpm!).toBeGreaterThan(-560);
  expect(r.driftPpm!).toBeLessThan(-440);
  expect(wordsOf(r.warnings).join()).toMatch(/drift \d+ parts per million/);
});
test('silence and stubs are refused or told', () => {
  const quiet = { samples: new Float32Array(16000), rateHz: 8000 };
  expect(soundOffset(quiet, quiet)).toMatchObject({ confidence: 0, warnings: [{ code: 'SILENT', words: expect.stringMatching(/silent/) }] });
  expect(() => soundOffset({ samples: new Float32Array(10), rateHz: 8000 }, quiet)).toThrow(/at least 0\.5 s/);
  expect(() => soundOffset({ ...quiet, rateHz: 0 }, quiet)).toThrow(/sample rate of a/);
});
test('another rate is the same sound: a tone keeps its place, and what the new rate cannot hold is gone', () => {
  const tone = (hz: number, rateHz: number) => ({ samples: Float32Array.from({ length: rateHz }, (_, i) => Math.sin((2 * Math.PI * hz * i) / rateHz)), rateHz });
  for (const [from, to] of [
    [48_000, 8000],
    [44_100, 1000],
    [8000, 11_025],
  ]) {
    const r = resample(tone(200, from), to);
    let worst = 0;
    // the ends see less than the whole kernel
    for (let i = Math.round(0.1 * to); i < 0.9 * to; i += 1) worst = Math.max(worst, Math.abs(r.samples[i] - Math.sin((2 * Math.PI * 200 * i) / to)));
    expect(worst).toBeLessThan(0.02);
  }
  const high = resample(tone(3000, 48_000), 1000).samples.slice(100, 900);
  expect(Math.max(...high.map(Math.abs))).toBeLessThan(0.02);
});
