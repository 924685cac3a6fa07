import { CoreError, tieMove, usualReading } from '@mesure/core';
import { brokenBytes, draws, uniform } from '@mesure/synthetic';
import { FormatError } from '../format-error';
import { SHOT_FILES } from '../shot';
import { lookAtTable, mappedCsv } from '../mapped-table';
import { MOVE_TABLE, TRACK_TABLE } from '../table-kinds';
import { readMoveFile, readMovePoints } from '.';
import { TEST_SETUP as setup, TEST_SOLVE as solve } from './test-solve';

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

test.each(SHOT_FILES.filter((f) => !f.only).map((f) => [f.file, f] as const))('%s that is broken anywhere is read, or refused in words, and is never a fault', async (name, file) => {
  const written = await file.write({ name: 'a shot', solve, setup, fps: 24 });
  const whole = typeof written === 'string' ? new TextEncoder().encode(written) : written;
  const u = uniform(name.length);
  const outcomes = { read: 0, refused: 0 };
  const faults: string[] = [];
  for (let n = draws(1500, 150); n > 0; n -= 1) {
    try {
      await readAll(name, brokenBytes(whole, u, n % 5 === 0), n % 2 ? 'own' : 'set');
      outcomes.read += 1;
    } catch (e) {
      if (e instanceof FormatError || e instanceof CoreError) outcomes.refused += 1;
      else faults.push(`${n}: ${(e as Error).stack?.split('\n').slice(0, 3).join(' ')}`);
    }
  }
  expect(faults).toEqual([]);
  expect(outcomes.refused).toBeGreaterThan(10);
});
