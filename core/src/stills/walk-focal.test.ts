import type { SolveResult } from '../solve';
import { focalOfWalk } from './walk-focal';

const RECORDED_MM = 32;
const SHARE = 0.03;
const solved = (focalMm: number | null, sigmaFocalMm: number, noisePx = 0.02): SolveResult =>
  ({
    status: focalMm === null ? 'failed' : 'solved',
    reason: null,
    focalMm,
    sigmaFocalMm,
    noisePx,
    frames: [{ frame: 0 }],
    points: [{ track: 'a' }],
    motion: 'free',
    warnings: [],
  }) as unknown as SolveResult;

/** A search that ends where chance leads it: with nothing believed at `loose`, held near the record at one of `held` after the other. */
function search(loose: SolveResult, held: readonly SolveResult[]) {
  const begun: number[] = [];
  const found = focalOfWalk(
    ({ focal }, another = 0) => {
      if (!focal) return loose;
      expect(focal).toEqual({ mode: 'guided', mm: RECORDED_MM, sigmaMm: SHARE * RECORDED_MM });
      begun.push(another);
      return held[another];
    },
    RECORDED_MM,
    SHARE,
    true,
  );
  return { ...found, begun };
}
const HARDLY_TOLD = solved(60, 20);

describe('the focal length of a walk', () => {
  test('is the pictures’ own where they tell it, whatever was recorded, and nothing else is tried', () => {
    expect(search(solved(23, 0.2), [])).toMatchObject({ own: true, result: { focalMm: 23 }, begun: [] });
  });

  test('that they do not tell is the recorded one, and a search that leaves it is begun again otherwise', () => {
    const found = search(HARDLY_TOLD, [solved(128, 3, 0.01), solved(37, 2), solved(32.4, 0.9, 0.05)]);
    expect(found).toMatchObject({ own: false, result: { status: 'solved', focalMm: 32.4 }, begun: [0, 1, 2] });
  });

  test('that every search leaves is no focal length, and nothing stands over the world that was found with it', () => {
    const { result, begun } = search(HARDLY_TOLD, [solved(128, 3, 0.3), solved(90, 3, 0.1), solved(120, 3, 0.2), solved(64, 3, 0.4)]);
    expect(begun).toEqual([0, 1, 2, 3]);
    expect(result).toMatchObject({ status: 'failed', focalMm: null, sigmaFocalMm: null, frames: [], points: [] });
    // the one that misses by least says where they lead
    expect(result.reason).toContain('at 2.81 times it');
  });

  test('of a turn is what the turn says, however far from the record', () => {
    expect(search(HARDLY_TOLD, [{ ...solved(40, 1), motion: 'pan' }])).toMatchObject({ result: { status: 'solved', focalMm: 40 }, begun: [0] });
  });

  test('one that was solved nowhere after it went astray is told as astray, and one that never was as what it is', () => {
    expect(search(HARDLY_TOLD, [solved(128, 3), solved(null, 0)]).result.reason).toContain('at 4.00 times it');
    expect(search(HARDLY_TOLD, [solved(null, 0)]).result).toMatchObject({ status: 'failed', reason: null });
  });
});
