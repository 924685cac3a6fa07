import { CoreError, tieMove, usualReading } from '@mesure/core';
import { draws, uniform } from '@mesure/synthetic';
import { FormatError } from '../format-error';
import { SHOT_FILES } from '../shot';
import { lookAtTable, mappedCsv } from '../mapped-table';
import { MOVE_TABLE, TRACK_TABLE } from '../table-kinds';
import { readMoveFile, readMovePoints } from '.';
import { TEST_SETUP as setup, TEST_SOLVE as solve } from './test-solve';

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
  mappedCsv(text, name, lookAtTable(text, name, TRACK_TABLE), ['frame', 'x', 'y', 'track'], TRACK_TABLE);
  mappedCsv(text, name, lookAtTable(text, name, MOVE_TABLE), ['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw'], MOVE_TABLE);
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
