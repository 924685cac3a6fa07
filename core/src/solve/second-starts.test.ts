import { roomShot } from '@mesure/synthetic';
import { CancelledError } from '../errors';
import { solveTracks } from '.';
import type { SolveResult } from './result';
import { asksAgain, triedNearRecord, triedOtherStarts } from './second-starts';
import type { SolveSetup } from './setup';
import { turnsAfterAll } from './move-or-turn';

const setup = { image: { width: 960, height: 540 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm: 68 }, distortion: { mode: 'held', k: [0.01] } } as SolveSetup;
/** 100 places a track, as far as it explains them. */
const solved = (focalMm: number, sigmaFocalMm: number, tracks: number, rmsPx = 0.3, more: Partial<SolveResult> = {}) =>
  ({
    status: 'solved',
    focalMm,
    sigmaFocalMm,
    noisePx: rmsPx / Math.SQRT2,
    warnings: [],
    points: Array.from({ length: tracks }, () => ({ rmsPx, observations: 100 })),
    ...more,
  }) as unknown as SolveResult;

test('what is near the record and well known is told at once; so is a turn, and what was held', () => {
  expect(asksAgain(solved(69, 0.5, 50), setup, 5000)).toBeNull();
  // off by a tenth, but known no better than that
  expect(asksAgain(solved(75, 4, 50), setup, 5000)).toBeNull();
  expect(asksAgain(solved(90, 0.5, 50, 0.3, { motion: 'pan' }), setup, 5000)).toBeNull();
  expect(asksAgain(solved(90, 0, 50), { ...setup, focal: { mode: 'held', mm: 68 } }, 5000)).toBeNull();
});

test('what contradicts the record is begun elsewhere first, and the answer that explains more of the tracks is told', () => {
  const first = solved(76.6, 0.5, 38, 0.35);
  expect(asksAgain(first, setup, 5000)).toBe('contradicts');
  const begunAt: [number, number | undefined][] = [];
  const told = triedOtherStarts(first, setup, ({ focal, distortion }) => (begunAt.push([focal.mm, distortion?.focalMm]), focal.mm < 76 ? solved(52.7, 1.5, 50, 0.33) : solved(110, 3, 30)), 5000);
  expect(told.focalMm).toBe(52.7);
  expect(told.warnings.map((w) => w.words).join()).toContain('ended at 76.6 mm');
  // a plate's coefficients were normalised with what was recorded, wherever it is begun
  expect(begunAt.map(([, mm]) => mm)).toEqual([68, 68]);
  expect(begunAt[0][0]).toBeLessThan(60);
  expect(begunAt[1][0]).toBeGreaterThan(100);
});

test('whoever waits is told that it is begun elsewhere, and can stop it there', () => {
  const { shot } = roomShot({ widthPx: 1920, heightPx: 1080, focalMm: 24, sensorWidthMm: 24, sensorHeightMm: 13.5, frames: 24, noisePx: 0.3 });
  const asRecorded = (mm: number): SolveSetup => ({ image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm }, distortion: { mode: 'none' } });
  const stages = (mm: number): string[] => {
    const list: string[] = [];
    const r = solveTracks(shot.tracks, asRecorded(mm), { onProgress: ({ stage }) => list.push(stage) });
    expect(Math.abs(r.focalMm! - 24)).toBeLessThan(3 * r.sigmaFocalMm!);
    return list;
  };
  expect(stages(24)).not.toContain('other starts');
  expect(stages(32)).toContain('other starts');
  let asked = 0;
  const stopped = () =>
    solveTracks(shot.tracks, asRecorded(32), {
      onProgress({ stage }) {
        if (stage === 'other starts') asked += 1;
        if (asked === 3) throw new CancelledError();
      },
    });
  expect(stopped).toThrow(CancelledError);
});

test('where no start explains more, the first answer stands', () => {
  const first = solved(52.7, 1, 50);
  expect(triedOtherStarts(first, setup, () => solved(52.9, 1, 50, 0.299), 5000)).toBe(first);
  expect(triedOtherStarts(first, setup, () => solved(20, 1, 50, 0.1, { status: 'failed' }), 5000)).toBe(first);
});

test('a focal length that ran off is looked for near the record; where nothing holds it there either, the first one stands', () => {
  const first = solved(3.9, 1000, 50);
  expect(asksAgain(first, setup, 5000)).toBe('ran away');
  const told = triedNearRecord(first, setup, ({ focal }) => (focal.mode === 'guided' ? solved(60, 5, 50) : solved(58.5, 2, 50)));
  expect([told.focalMm, told.warnings[0].code]).toEqual([58.5, 'TRIED_NEAR_RECORD']);
  expect(triedNearRecord(first, setup, ({ focal }) => (focal.mode === 'guided' ? solved(60, 5, 50) : solved(2, 4000, 50)))).toBe(first);
  // what it leaves more noise with is another world
  expect(triedNearRecord(first, setup, ({ focal }) => (focal.mode === 'guided' ? solved(60, 5, 50) : solved(58.5, 2, 50, 0.4)))).toBe(first);
});

test('a move of a few noises is a turn unless it explains much more; a long one needs to explain little', () => {
  expect(turnsAfterAll(0.0896, 0.0983, 1.4)).toBe(true);
  expect(turnsAfterAll(0.09, 0.2, 1.4)).toBe(false);
  expect(turnsAfterAll(0.09, 0.0985, 4)).toBe(false);
  expect(turnsAfterAll(0.09, 0.096, 4)).toBe(true);
});
