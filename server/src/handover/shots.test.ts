import { blankTake, type StoredRecord } from '@mesure/contract';
import type { HandoverDay } from './day';
import { lacksOf, type SolvedTake } from './shots';

const day = { productionId: 'p', all: () => [], find: () => null } as unknown as HandoverDay;
const take = { body: { ...blankTake('s', '1A', { id: 'a', focalMm: 25 }, '2026-11-23T08:00:00.000Z'), tracks: { sha256: 'a'.repeat(64), name: 't.csv' } } } as StoredRecord<'take'>;
const solved = (solve: object, reconcile: object | null = null): SolvedTake => ({
  outcome: { solve: { status: 'solved', frames: [{ frame: 1 }, { frame: 40 }], points: [], anchoring: { scale: 1 }, warnings: [], ...solve }, reconcile } as never,
  staleWords: null,
  input: {},
  at: '',
});
const lacks = (s: SolvedTake) => lacksOf(take, day, s).filter((l) => ['rest', 'leans'].includes(l.code));

test('a part of a take lacks the rest; one that leans as a whole is none to build on, whichever frames it holds', () => {
  expect(lacks(solved({}))).toEqual([]);
  expect(lacks(solved({ status: 'partial', reason: 'x' }))).toMatchObject([{ code: 'rest', what: 'the rest of the take: the solve holds frames 1 to 40 only' }]);
  const zoomed = solved({ status: 'partial', zoomed: 1.2, reason: 'the focal length changes' }, { verdict: 'not observable', sentence: 'The lens zoomed: nothing can be judged.' });
  expect(lacks(zoomed)).toEqual([{ code: 'leans', until: 'set', what: 'a test solve that can be built on: The lens zoomed: nothing can be judged.' }]);
  // a turn too, and one that bends though it holds everything
  expect(lacks(solved({ status: 'partial', motion: 'pan', movedAfterAll: { turnPx: 3, movePx: 0.4, lensDoubted: false }, reason: 'the camera moved' }))).toMatchObject([
    { code: 'leans', what: 'a test solve that can be built on: the camera moved' },
  ]);
  expect(lacks(solved({ bending: { k1: -0.1, remaining: 0.2 } }, { verdict: 'not observable', sentence: 'The lens bends.' }))).toMatchObject([{ code: 'leans', until: 'set' }]);
});
