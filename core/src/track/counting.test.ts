import { draws, simulateShot, uniform } from '@mesure/synthetic';
import { solveTracks, type SolveSetup, type TrackPoint } from '../solve';
import { asRecorded, countedAs, countingWords, questionCounting, type TrackCounting } from '.';

const W = 2048,
  H = 1080;
const PICTURE = { widthPx: W, heightPx: H };
const SENSOR = { widthMm: 24, heightMm: 12.66 };

/** A camera that walks through a room of scattered points; the truth of what follows. */
function shot(seed: number, frames = 24) {
  const u = uniform(seed);
  const points = Array.from({ length: 60 }, (_, i) => {
    const at: [number, number, number] = i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()];
    return { id: `m${i}`, at };
  });
  const [side, low, focalMm] = [u() - 0.5, u(), 20 + 10 * u()];
  const made = simulateShot({
    widthPx: W,
    heightPx: H,
    focalMm,
    sensorWidthMm: SENSOR.widthMm,
    sensorHeightMm: SENSOR.heightMm,
    frames,
    noisePx: 0.4,
    seed,
    points,
    path: (t) => [-1 + 2 * t + side, 1.2 + 0.5 * low + 0.2 * t, 1.5 - 0.4 * t],
    aim: (t) => [0.2 * t, 0.4 + low, -3.5],
  });
  return { ...made, points, focalMm, heightM: 1.2 + 0.5 * low };
}

/** As a program that counts otherwise would have written them. */
function writtenAs(tracks: readonly TrackPoint[], c: TrackCounting): TrackPoint[] {
  return tracks.map((t) => {
    const [x, y] = [(t.x * c.widthPx) / W, (t.y * c.heightPx) / H];
    const up = c.yUp ? c.heightPx - y : y;
    return { ...t, frame: t.frame - c.addFrames, x: c.from === 'middle' ? x - c.widthPx / 2 : x, y: c.from === 'middle' ? (c.yUp ? up - c.heightPx / 2 : y - c.heightPx / 2) : up };
  });
}
const near = (a: readonly TrackPoint[], b: readonly TrackPoint[]) => a.every((t, i) => Math.abs(t.x - b[i].x) < 1e-6 && Math.abs(t.y - b[i].y) < 1e-6 && t.frame === b[i].frame);

const OTHERWISE: [string, TrackCounting, string | null][] = [
  ['from the middle, y up', { from: 'middle', yUp: true, ...PICTURE, addFrames: 0 }, 'middle'],
  ['from the middle, y down', { from: 'middle', yUp: false, ...PICTURE, addFrames: 0 }, 'middle'],
  ['in shares, y up', { from: 'corner', yUp: true, widthPx: 1, heightPx: 1, addFrames: 0 }, 'shares'],
  ['in shares, y down', { from: 'corner', yUp: false, widthPx: 1, heightPx: 1, addFrames: 0 }, 'shares'],
  ['from −1 to 1', { from: 'middle', yUp: true, widthPx: 2, heightPx: 2, addFrames: 0 }, 'shares'],
  ['on half the size', asRecorded({ widthPx: W / 2, heightPx: H / 2 }), 'smaller'],
  ['on a third', asRecorded({ widthPx: Math.round(W / 3), heightPx: H / 3 }), 'smaller'],
  ['on twice the size', asRecorded({ widthPx: 2 * W, heightPx: 2 * H }), 'larger'],
  ['from the middle of half the size', { from: 'middle', yUp: true, widthPx: W / 2, heightPx: H / 2, addFrames: 0 }, 'middle'],
];

describe.each(OTHERWISE)('%s', (_name, counting, what) => {
  test('is recognised in each shot, and one of the choices brings the tracks back', () => {
    for (let seed = 1; seed <= draws(30, 6); seed += 1) {
      const { tracks } = shot(seed, 12);
      const written = writtenAs(tracks, counting);
      expect(near(countedAs(written, counting, PICTURE), tracks)).toBe(true);
      const question = questionCounting(written, PICTURE);
      expect([seed, question?.what]).toEqual([seed, what]);
      // half the size about the middle is the first thing that is offered where the tracks fill it
      if (counting.from === 'middle' && counting.widthPx === W / 2) expect([seed, question!.choices[0].widthPx]).toEqual([seed, W / 2]);
      expect([seed, question!.choices.some((c) => near(countedAs(written, c, PICTURE), tracks))]).toEqual([seed, true]);
    }
  });
});

test('honest tracks are not questioned, also those that fill a part of the picture only', () => {
  for (let seed = 1; seed <= draws(200, 40); seed += 1) {
    const { tracks } = shot(seed, 8);
    const u = uniform(seed + 5000);
    // a face, a wall at the right, a floor below: where marks often are
    const [cx, cy, share] = [u(), u(), 0.3 + 0.7 * u()];
    const part = tracks.filter((t) => Math.abs(t.x / W - cx) < share / 2 && Math.abs(t.y / H - cy) < share / 2);
    expect([seed, questionCounting(tracks, PICTURE)]).toEqual([seed, null]);
    // what truly lies in the upper left alone cannot be told from a smaller picture, and may be asked
    if (part.length > 0 && (cx + share / 2 > 0.8 || cy + share / 2 > 0.8)) expect([seed, questionCounting(part, PICTURE)]).toEqual([seed, null]);
  }
  expect(questionCounting([], PICTURE)).toBeNull();
});

describe('y upwards from a corner, which leaves no residual', () => {
  const setupOf = (s: ReturnType<typeof shot>, by: 'level' | 'survey'): SolveSetup => {
    const seen = new Set(s.tracks.map((t) => t.track));
    const floor = s.points.filter((p, i) => i % 3 === 0 && seen.has(p.id)).slice(0, 6);
    const survey = s.points.filter((p) => seen.has(p.id)).slice(0, 12);
    return {
      image: { width: W, height: H },
      sensor: SENSOR,
      focal: { mode: 'held', mm: s.focalMm },
      distortion: { mode: 'none' },
      anchors:
        by === 'level'
          ? { level: floor.map((p) => p.id), cameraHeights: [{ frame: s.tracks[0].frame, m: s.heightM, sigmaM: 0.005 }] }
          : { points: survey.map((p) => ({ track: p.id, x: p.at[0], y: p.at[1], z: p.at[2], sigmaM: 0.003 })) },
    };
  };
  const up: TrackCounting = { from: 'corner', yUp: true, ...PICTURE, addFrames: 0 };

  test.each(['level', 'survey'] as const)('by %s it is seen and said, in each shot, and never where the tracks are right', (by) => {
    // mirrored places contradict each other, and choosing which of them hold takes a while
    for (let seed = 1; seed <= (by === 'level' ? draws(8, 2) : draws(3, 1)); seed += 1) {
      const s = shot(seed, 16);
      const setup = setupOf(s, by);
      const right = solveTracks(s.tracks, setup);
      expect([seed, right.status, right.question ?? null]).toEqual([seed, 'solved', null]);
      const wrong = solveTracks(writtenAs(s.tracks, up), setup);
      expect([seed, wrong.question?.what]).toEqual([seed, 'mirrored']);
      expect(wrong.warnings[0].words).toMatch(/y upwards/);
      // said to be right as they are, nobody is asked again, and it stays a warning
      const said = solveTracks(writtenAs(s.tracks, up), setup, { counting: asRecorded(PICTURE) });
      expect([seed, said.question ?? null, said.warnings[0].words === wrong.warnings[0].words]).toEqual([seed, null, true]);
      // as it is then read, all is well
      const read = solveTracks(writtenAs(s.tracks, up), setup, { counting: wrong.question!.choices[0] });
      expect([seed, read.question ?? null]).toEqual([seed, null]);
      expect(Math.abs(read.frames[0].position[1] - s.heightM)).toBeLessThan(0.03);
    }
  });
});

test('a solve that must ask fails with the question; one that must not says it among its warnings', () => {
  const { tracks } = shot(3, 8);
  const half = writtenAs(tracks, asRecorded({ widthPx: W / 2, heightPx: H / 2 }));
  const setup: SolveSetup = { image: { width: W, height: H }, sensor: SENSOR, focal: { mode: 'held', mm: 24 }, distortion: { mode: 'none' } };
  const asked = solveTracks(half, setup, { mustAsk: true });
  expect(asked).toMatchObject({ status: 'failed', reason: expect.stringContaining('1024 × 540'), question: { what: 'smaller' } });
  expect(solveTracks(half, setup).warnings[0]).toEqual({ code: 'COUNTING_DOUBTED', words: expect.stringContaining('1024 × 540') });
  // said to be right as they are, nothing is asked
  expect(solveTracks(half, setup, { mustAsk: true, counting: asRecorded(PICTURE) }).question ?? null).toBeNull();
});

test('how a file counts, in words', () => {
  expect(countingWords({ from: 'middle', yUp: true, widthPx: 1024, heightPx: 540, addFrames: 1000 }, PICTURE)).toBe('from the middle, y upwards, on a picture of 1024 × 540, frame numbers + 1000');
  expect(countingWords(asRecorded(PICTURE), PICTURE)).toBe('from the upper left corner, y downwards');
  expect(() => countedAs([], { ...asRecorded(PICTURE), widthPx: 0 }, PICTURE)).toThrow(/width and a height/);
});
