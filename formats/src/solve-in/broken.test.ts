import { CoreError, tieMove, usualReading, type SolveResult, type SolveSetup } from '@mesure/core';
import { draws, uniform } from '@mesure/synthetic';
import { FormatError } from '../format-error';
import { SHOT_FILES } from '../shot';
import { lookAtTracks, tracksCsvOf } from '../tracks-table';
import { readMoveFile, readMovePoints } from '.';

const unit = (q: number[]) => q.map((v) => v / Math.hypot(...q));
const solve = {
  status: 'solved',
  width: 1920,
  height: 1080,
  focalMm: 28,
  sigmaFocalMm: 0.1,
  focalMode: 'free',
  distortion: { model: 'radial', k: [-0.08, 0.01, 0], p: [0, 0], mode: 'held', normalisedWithMm: 28, follows: false },
  rmsPx: 0.3,
  frames: [0, 1, 2, 3].map((i) => ({ frame: 101 + i, position: [0.1 * i, 1.4, 1], rotation: unit([0.1, 0.3 + 0.05 * i, -0.04, 0.9]), focalMm: 28, rmsPx: 0.3, tracks: 20, sigmaPositionM: 0.001 })),
  points: ['K1', 'K2', 'K3', 'K4'].map((track, i) => ({ track, position: [0.5 * i, 0.1 * (i % 2), -3 - 0.3 * i], sigmaM: 0.002, rmsPx: 0.2, observations: 3 })),
  anchoring: { scale: 1, sigmaScalePct: 0.1, datum: [], residuals: [] },
  trimmed: [],
  warnings: [],
} as unknown as SolveResult;
const setup: SolveSetup = {
  image: { width: 1920, height: 1080 },
  sensor: { widthMm: 24, heightMm: 13.5 },
  focal: { mode: 'free', mm: 28 },
  fps: 24,
  anchors: { level: ['K1', 'K2', 'K3'], lengths: [{ a: 'K1', b: 'K4', m: 1.7 }], cameraHeights: [{ frame: 101, m: 1.4 }] },
};
const SYNTAX = '0123456789-.eE(){}[]",;:';

/** Bytes turned over, replaced by what the syntax is made of, copied about, or cut off. */
function broken(bytes: Uint8Array, u: () => number, cut: boolean): Uint8Array {
  const b = bytes.slice(0, cut ? Math.floor(u() * bytes.length) : bytes.length);
  for (let hits = Math.floor(1 + 6 * u()); hits > 0 && b.length > 0; hits -= 1) {
    const at = Math.floor(u() * b.length);
    const how = u();
    if (how < 0.4) b[at] = Math.floor(256 * u());
    else if (how < 0.7) b[at] = SYNTAX.charCodeAt(Math.floor(u() * SYNTAX.length));
    else {
      const length = Math.min(40, b.length);
      const from = Math.floor(u() * (b.length - length));
      b.copyWithin(Math.min(at, b.length - length), from, from + length);
    }
  }
  return b;
}

async function readAll(name: string, b: Uint8Array, world: 'own' | 'set'): Promise<void> {
  if (name.startsWith('points')) {
    readMovePoints(b, name);
    return;
  }
  const move = await readMoveFile(b, name, { fps: 24, order: 'XYZ' });
  tieMove(move, { ...usualReading(move), world }, setup);
  if (!name.endsWith('.csv')) return;
  const text = new TextDecoder().decode(b);
  tracksCsvOf(text, name, lookAtTracks(text, name), ['frame', 'x', 'y', 'track']);
}

test.each(SHOT_FILES.map((f) => [f.file, f] as const))('%s that is broken anywhere is read, or refused in words, and is never a fault', async (name, file) => {
  const written = await file.write({ name: 'a shot', solve, setup, fps: 24 });
  const whole = typeof written === 'string' ? new TextEncoder().encode(written) : written;
  const u = uniform(name.length);
  const outcomes = { read: 0, refused: 0 };
  const faults: string[] = [];
  for (let n = draws(1500, 150); n > 0; n -= 1) {
    try {
      await readAll(name, broken(whole, u, n % 5 === 0), n % 2 ? 'own' : 'set');
      outcomes.read += 1;
    } catch (e) {
      if (e instanceof FormatError || e instanceof CoreError) outcomes.refused += 1;
      else faults.push(`${n}: ${(e as Error).stack?.split('\n').slice(0, 3).join(' ')}`);
    }
  }
  expect(faults).toEqual([]);
  expect(outcomes.refused).toBeGreaterThan(10);
});
