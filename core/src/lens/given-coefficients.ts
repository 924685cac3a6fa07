import { CoreError } from '../errors';
import type { PlacePairs } from './given-map';
import type { LensModel } from './models';

/** Formulas in which distortion is written down, by the function of the radius. */
export const GIVEN_FORMULAS = ['polynomial', 'quotient', 'angle'] as const;
export type GivenFormula = (typeof GIVEN_FORMULAS)[number];

/** What a radius of 1 is in a table of coefficients. */
export const NORMALISERS = ['focal length', 'half width', 'half height', 'half diagonal', 'mm on the sensor'] as const;
export type Normaliser = (typeof NORMALISERS)[number];

/** Coefficients of another program with all that must be known of them. */
export interface GivenCoefficients {
  /**
   * polynomial  r′ = r (1 + k1 r² + k2 r⁴ + k3 r⁶ + k4 r⁸), with tangential terms
   * quotient    r′ = r / (1 + k1 r² + k2 r⁴ + k3 r⁶ + k4 r⁸)
   * angle       r′ = θ (1 + k1 θ² + k2 θ⁴ + k3 θ⁶ + k4 θ⁸), tan θ = r; always over the focal length, undistorted to distorted
   */
  formula: GivenFormula;
  over: Normaliser;
  direction: LensModel['direction'];
  /** k1 … k4; missing ones are 0 */
  k: readonly number[];
  /** p1, p2 with x′ = … + 2 p1 x y + p2 (r² + 2x²): p1 stands with xy across. Source: Brown 1971 */
  p: readonly [number, number];
  /** principal point from the middle of the picture, px to the right and down */
  center: readonly [number, number];
  /** effective focal length that they are over, where it is another one than the setting's; null: the setting's */
  focalMm: number | null;
}

/** The recorded picture and what a radius may be counted in. */
export interface GivenFrame {
  widthPx: number;
  heightPx: number;
  fxPx: number;
  fyPx: number;
  effectiveFocalMm: number;
}

const OUTWARDS: LensModel['direction'] = 'undistorted to distorted';
export const DIRECTIONS = [OUTWARDS, 'distorted to undistorted'] as const;

const ACROSS = 56;
/** How far beyond the frame undistorted places are looked for, frames: a fisheye's corner lies far out. */
const BEYOND = 3;

/** Pixels of a radius of 1. */
function unitPx(c: Pick<GivenCoefficients, 'over' | 'focalMm'>, f: GivenFrame): number {
  if (c.over === 'half width') return f.widthPx / 2;
  if (c.over === 'half height') return f.heightPx / 2;
  if (c.over === 'half diagonal') return Math.hypot(f.widthPx, f.heightPx) / 2;
  const pxPerMm = f.fyPx / f.effectiveFocalMm;
  return c.over === 'mm on the sensor' ? pxPerMm : (c.focalMm ?? f.effectiveFocalMm) * pxPerMm;
}

/** Radius and the place by the formula, as it stands; null where it does not grow any more. */
function bend(c: GivenCoefficients, x: number, y: number): [number, number] | null {
  const r = Math.hypot(x, y);
  const radius = (v: number): number => {
    const q = c.formula === 'angle' ? Math.atan(v) : v;
    const q2 = q * q;
    const sum = 1 + q2 * ((c.k[0] ?? 0) + q2 * ((c.k[1] ?? 0) + q2 * ((c.k[2] ?? 0) + q2 * (c.k[3] ?? 0))));
    return c.formula === 'quotient' ? q / sum : q * sum;
  };
  // a formula that turns back is of no picture from there on; asked all along the way, as it may grow again
  for (let i = 1; i <= 24; i += 1) if (!(radius((r * i) / 24) > radius((r * (i - 1)) / 24)) && r > 0) return null;
  const scale = r > 0 ? radius(r) / r : 1;
  const r2 = r * r;
  return [x * scale + 2 * c.p[0] * x * y + c.p[1] * (r2 + 2 * x * x), y * scale + c.p[0] * (r2 + 2 * y * y) + 2 * c.p[1] * x * y];
}

/**
 * The places that coefficients pair, on a raster over the recorded picture.
 * @param frame of a picture with square pixels on the subject: what is written for round lenses says nothing of a squeezed one
 * @throws CoreError INVALID_OPTION
 */
export function coefficientPairs(c: GivenCoefficients, frame: GivenFrame): PlacePairs {
  if (Math.abs(frame.fxPx / frame.fyPx - 1) > 1e-3)
    throw new CoreError('INVALID_OPTION', 'The picture is squeezed: coefficients of a round lens do not say how it bends. Bring an ST map of it.', 'over');
  if (c.formula === 'angle' && (c.over !== 'focal length' || c.direction !== OUTWARDS))
    throw new CoreError('INVALID_OPTION', 'Coefficients of the angle are over the focal length and go from undistorted to distorted.', 'over');
  const unit = unitPx(c, frame);
  const middle = [frame.widthPx / 2 + c.center[0], frame.heightPx / 2 + c.center[1]];
  const recorded: number[] = [];
  const undistorted: number[] = [];
  const down = Math.max(2, Math.round((ACROSS * frame.heightPx) / frame.widthPx));
  const reach = c.direction === OUTWARDS ? BEYOND : 1;
  const count = { x: ACROSS * reach, y: down * reach };
  for (let j = 0; j < count.y; j += 1)
    for (let i = 0; i < count.x; i += 1) {
      const from = [frame.widthPx * (0.5 + reach * ((i + 0.5) / count.x - 0.5)), frame.heightPx * (0.5 + reach * ((j + 0.5) / count.y - 0.5))];
      const bent = bend(c, (from[0] - middle[0]) / unit, (from[1] - middle[1]) / unit);
      if (!bent) continue;
      const to = [middle[0] + bent[0] * unit, middle[1] + bent[1] * unit];
      const [r, u] = c.direction === OUTWARDS ? [to, from] : [from, to];
      if (r[0] < 0 || r[1] < 0 || r[0] > frame.widthPx || r[1] > frame.heightPx) continue;
      recorded.push(...r);
      undistorted.push(...u);
    }
  if (recorded.length < 80) throw new CoreError('INVALID_OPTION', 'These coefficients leave hardly a place of the picture: they are over something else, or go the other way.', 'over');
  return { undistorted: Float64Array.from(undistorted), recorded: Float64Array.from(recorded), across: ACROSS, down };
}

/**
 * How far the corner of the recorded picture moves, % of half the diagonal, barrel negative; null where the formula does not reach it. The quickest
 * sign of a normaliser or a direction that is not the right one.
 */
export function cornerMovesPct(c: GivenCoefficients, frame: GivenFrame): number | null {
  const unit = unitPx(c, frame);
  const corner = Math.hypot(frame.widthPx, frame.heightPx) / 2;
  const straight = { ...c, p: [0, 0] as const };
  const of = (r: number): number | null => {
    const bent = bend(straight, r, 0);
    return bent ? bent[0] : null;
  };
  if (c.direction !== OUTWARDS) {
    const u = of(corner / unit);
    return u === null ? null : 100 * (1 - (u * unit) / corner);
  }
  // the undistorted radius whose place is the corner
  let low = 0;
  let high = (BEYOND * corner) / unit;
  for (let i = 0; i < 50; i += 1) {
    const mid = (low + high) / 2;
    const at = of(mid);
    if (at !== null && at * unit < corner) low = mid;
    else high = mid;
  }
  const found = of(low);
  return found === null || Math.abs(found * unit - corner) > 0.01 * corner ? null : 100 * (1 - (low * unit) / corner);
}
