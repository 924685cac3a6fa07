/**
 * One-axis sigma of 2D normal residuals from the median of their lengths: for a Rayleigh law the median is sigma·√(2 ln 2).
 * Half of the residuals may be wild without moving it much.
 */
export const sigmaFromMedianRadius = (medianRadius: number): number => medianRadius / Math.sqrt(2 * Math.LN2);
