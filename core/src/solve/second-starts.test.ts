import { roomShot } from '@mesure/synthetic';
import { CancelledError } from '../errors';
import { solveTracks } from '.';
import type { SolveResult } from './result';
import { asksAgain, fitsByRecord, triedNearRecord, triedOtherStarts } from './second-starts';
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

/** Solves by this; `told` collects what was solved with all that is asked of a solve that is told. */
const by = (answer: (setup: SolveSetup) => SolveResult, told: SolveSetup[] = []) => ({ asStart: answer, whole: (other: SolveSetup) => (told.push(other), answer(other)) });

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
  const whole: SolveSetup[] = [];
  const shorter = (s: SolveSetup) => s.focal.mm < 76;
  const told = triedOtherStarts(
    first,
    setup,
    by((s) => (begunAt.push([s.focal.mm, s.distortion?.focalMm]), shorter(s) ? solved(52.7, 1.5, 50, 0.33) : solved(110, 3, 30)), whole),
    5000,
  );
  // only what is told is asked what else it may be
  expect(whole.map(shorter)).toEqual([true]);
  expect(told.focalMm).toBe(52.7);
  expect(told.warnings.map((w) => w.words).join()).toContain('ended at 76.6 mm');
  // a plate's coefficients were normalised with what was recorded, wherever it is begun
  expect(begunAt.map(([, mm]) => mm)).toEqual([68, 68, 68]);
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
  const whole: SolveSetup[] = [];
  expect(
    triedOtherStarts(
      first,
      setup,
      by(() => solved(52.9, 1, 50, 0.299), whole),
      5000,
    ),
  ).toBe(first);
  expect(
    triedOtherStarts(
      first,
      setup,
      by(() => solved(20, 1, 50, 0.1, { status: 'failed' }), whole),
      5000,
    ),
  ).toBe(first);
  expect(whole).toEqual([]);
});

describe('a record is contradicted by what fits it worse, and by nothing else', () => {
  const points = (rmsPx: number, names = 'abcdefghij') => [...names].map((track) => ({ track, rmsPx, observations: 100 })) as unknown as SolveResult['points'];
  // forty sigmas off the record
  const first = solved(76.6, 0.215, 0, 0.35, { points: points(0.35) });
  const told = (held: SolveResult, loose = solved(68.2, 2, 10)) => {
    const whole: SolveSetup[] = [];
    const answer = fitsByRecord(
      first,
      setup,
      by(({ focal }) => (focal.mode === 'held' ? held : loose), whole),
      1000,
    );
    return { answer, whole: whole.map(({ focal }) => focal.sigmaMm! / focal.mm) };
  };
  test('by the record all fits as well: nothing tells, and it is held to the record closely', () => {
    const { answer, whole } = told(solved(68, 0, 0, 0.352, { points: points(0.352) }));
    expect([answer.focalMm, answer.focalMode, answer.warnings[0].code]).toEqual([68.2, 'free', 'FOCAL_NOT_TOLD']);
    expect(whole).toEqual([0.05]);
  });
  test('by the record it fits plainly worse, or not at all: the first answer stands', () => {
    expect(told(solved(68, 0, 0, 0.42, { points: points(0.42) })).answer).toBe(first);
    expect(told(solved(68, 0, 0, 0.35, { status: 'failed' })).answer).toBe(first);
    expect(told(solved(68, 0, 0, 0.35, { motion: 'pan' })).answer).toBe(first);
  });
  test('by the record half of the tracks fit far better, without the others: those go along with something', () => {
    const { answer, whole } = told(solved(68, 0, 0, 0.3, { points: points(0.3, 'abcde') }));
    expect([answer.focalMm, answer.focalMode, answer.warnings[0].code]).toEqual([68.2, 'free', 'FOCAL_BY_FEWER']);
    expect(whole).toEqual([0.25]);
    // a few of them prove nothing, nor does a fit that is as good
    expect(told(solved(68, 0, 0, 0.3, { points: points(0.3, 'abc') })).answer).toBe(first);
    expect(told(solved(68, 0, 0, 0.345, { points: points(0.345, 'abcde') })).answer).toBe(first);
    // loosely it goes away from the record again
    expect(told(solved(68, 0, 0, 0.3, { points: points(0.3, 'abcde') }), solved(80, 0.5, 10)).answer).toBe(first);
  });
});

test('a focal length that ran off is looked for near the record; where nothing holds it there either, it goes by the record, loosely', () => {
  const first = solved(3.9, 1000, 50);
  expect(asksAgain(first, setup, 5000)).toBe('ran away');
  const told = triedNearRecord(
    first,
    setup,
    by(({ focal }) => (focal.mode === 'guided' ? solved(60, 5, 50) : solved(58.5, 2, 50))),
  );
  expect([told.focalMm, told.warnings[0].code]).toEqual([58.5, 'TRIED_NEAR_RECORD']);
  const loose = triedNearRecord(
    first,
    setup,
    by(({ focal }) => (focal.mode === 'guided' ? solved(60, 5, 50) : solved(2, 4000, 50))),
  );
  expect([loose.focalMm, loose.sigmaFocalMm, loose.focalMode, loose.warnings[0].code]).toEqual([60, 5, 'free', 'FOCAL_NOT_TOLD']);
  // what it leaves more noise with is another world
  expect(
    triedNearRecord(
      first,
      setup,
      by(({ focal }) => (focal.mode === 'guided' ? solved(60, 5, 50, 0.4) : solved(58.5, 2, 50, 0.4))),
    ),
  ).toBe(first);
});

test('a move of a few noises is a turn unless it explains much more; a long one needs to explain little', () => {
  expect(turnsAfterAll(0.0896, 0.0983, 1.4)).toBe(true);
  expect(turnsAfterAll(0.09, 0.2, 1.4)).toBe(false);
  expect(turnsAfterAll(0.09, 0.0985, 4)).toBe(false);
  expect(turnsAfterAll(0.09, 0.096, 4)).toBe(true);
});

test('which tracks move is the same where nothing else is asked, of a lens that bends too', () => {
  const room = roomShot({ widthPx: 1280, heightPx: 720, focalMm: 20, sensorWidthMm: 24, sensorHeightMm: 13.5, frames: 24, noisePx: 0.3, k: [-0.12, 0.02, 0] });
  const walks = Array.from({ length: 24 }, (_, i) => ({ track: 'walker', frame: i + 1, x: 300 + 12 * i + 8 * Math.sin(i), y: 400 - 5 * i }));
  const setup: SolveSetup = { image: { width: 1280, height: 720 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mode: 'free', mm: 26 }, distortion: { mode: 'none' } };
  const tracks = [...room.shot.tracks, ...walks];
  const [whole, asked] = [solveTracks(tracks, setup), solveTracks(tracks, setup, { onlyTracks: true })];
  const moving = (s: SolveResult) => s.trimmed.filter((t) => t.frame === null).map((t) => t.track);
  expect(moving(asked)).toContain('walker');
  expect(moving(asked)).toEqual(moving(whole));
  expect([whole.bending === null, asked.bending]).toEqual([false, null]);
});
