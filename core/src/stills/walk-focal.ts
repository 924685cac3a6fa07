import { noWorld, type SolveResult, type SolveSetup } from '../solve';

export interface WalkFocal {
  result: SolveResult;
  /** the pictures said the focal length themselves */
  own: boolean;
  /** of a walk of one lens, where it shows that it bends: coefficients over the recorded focal length */
  bends: { k1: number; k2: number; sigmaK1: number } | null;
  /** one sigma of the recorded focal length, share of it, where it had to be taken */
  share: number;
}

/** A walk solved with what is said of its lens; `another` begins the search otherwise. */
export type SolveWalk = (change: Partial<SolveSetup>, another?: number) => SolveResult;

/** Where the pictures tell the focal length so well, as a share of it, it is their own. */
export const OWN_SIGMA = 0.03;
/** A distortion that is found must take off so much of the noise, and be so many of its sigmas. */
const BENDS_NOISE = 0.9;
const BENDS_SIGMAS = 4;
const LEAST_TO_BEND = 6;
/** Sigmas of the record beyond which a focal length that was held near it belongs to a world that is bent. */
const ASTRAY_SIGMAS = 5;
const MOST_TRIES = 4;

/**
 * With nothing believed of the focal length; where the pictures do not tell it, as it was recorded; of one lens with its distortion, where that pays.
 * @param focalMm as recorded
 * @param share one sigma of the record, share of it
 */
export function focalOfWalk(solveWith: SolveWalk, focalMm: number, share: number, oneLens: boolean): WalkFocal {
  const loose = solveWith({});
  // of fewer than five pictures it is held, and a sigma of nought is no knowledge
  const own = loose.status !== 'failed' && loose.sigmaFocalMm !== null && loose.sigmaFocalMm > 0 && loose.sigmaFocalMm < OWN_SIGMA * (loose.focalMm ?? focalMm);
  const focal: SolveSetup['focal'] = { mode: 'guided', mm: focalMm, sigmaMm: share * focalMm };
  const result = own ? loose : nearRecord((another) => solveWith({ focal }, another), focal);
  const straight: WalkFocal = { result, own, bends: null, share };
  if (!own || !oneLens || result.frames.length < LEAST_TO_BEND || result.motion === 'pan') return straight;
  const bent = solveWith({ distortion: { mode: 'free' } });
  const [k1 = 0, k2 = 0] = bent.distortion.model === 'radial' ? bent.distortion.k : [];
  const sigmaK1 = bent.distortion.sigma?.k1;
  const pays = bent.noisePx !== null && result.noisePx !== null && bent.noisePx < BENDS_NOISE * result.noisePx && bent.frames.length >= result.frames.length;
  if (!pays || sigmaK1 === undefined || Math.abs(k1) < BENDS_SIGMAS * sigmaK1) return straight;
  return { ...straight, result: bent, bends: { k1, k2, sigmaK1 } };
}

/** A turn has no world that could be bent: what it says of the focal length is measured. */
const isAstray = (solved: SolveResult, { mm, sigmaMm = 0 }: SolveSetup['focal']): boolean =>
  solved.motion !== 'pan' && solved.focalMm !== null && Math.abs(solved.focalMm - mm) > ASTRAY_SIGMAS * sigmaMm;

/**
 * A flat wall fits worlds of many focal lengths, and which one a search begins in is chance: one that ends far from the record, though it was held there, is
 * begun again otherwise. The first that stays; where none does, none is right: a world of a focal length that nobody believes is bent, and no place in it holds.
 */
function nearRecord(solve: (another: number) => SolveResult, focal: SolveSetup['focal']): SolveResult {
  let best: SolveResult | null = null;
  for (let another = 0; another < MOST_TRIES; another += 1) {
    const solved = solve(another);
    // nothing was solved: what went astray before says more than that
    if (solved.focalMm === null) return best ? astray(best, focal.mm) : solved;
    if (!isAstray(solved, focal)) return solved;
    if (!best || (solved.noisePx ?? Infinity) < (best.noisePx ?? Infinity)) best = solved;
  }
  return astray(best!, focal.mm);
}

const astray = (solved: SolveResult, recordedMm: number): SolveResult => ({
  ...solved,
  status: 'failed',
  reason: `the recorded focal length fits these pictures in no way that was tried: held near it they end at ${(solved.focalMm! / recordedMm).toFixed(2)} times it. If the record is wrong, put it right and place them again; if it is right, pictures of one flat thing do not say enough: take one more from a slant, or with something nearer in it`,
  ...noWorld(),
  warnings: [],
});
