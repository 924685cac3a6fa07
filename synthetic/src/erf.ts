/** The error function, within 1.2e-7 everywhere (Press et al., Numerical Recipes, erfcc). */
export function erf(x: number): number {
  // beyond these it differs from one by less than the formula errs
  if (x > 4) return 1;
  if (x < -4) return -1;
  const t = 1 / (1 + 0.5 * Math.abs(x));
  const poly = -1.26551223 + t * (1.00002368 + t * (0.37409196 + t * (0.09678418 + t * (-0.18628806 + t * (0.27886807 + t * (-1.13520398 + t * (1.48851587 + t * (-0.82215223 + t * 0.17087277))))))));
  const v = 1 - t * Math.exp(-x * x + poly);
  return x >= 0 ? v : -v;
}
