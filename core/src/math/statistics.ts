/** Median of the values (upper of the middle pair's mean); NaN when empty. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (n === 0) return Number.NaN;
  return n % 2 === 1 ? sorted[(n - 1) / 2] : (sorted[n / 2 - 1] + sorted[n / 2]) / 2;
}

export function quantile(values: ArrayLike<number>, q: number): number {
  const sorted = Float64Array.from(values).sort();
  if (sorted.length === 0) return Number.NaN;
  const at = q * (sorted.length - 1);
  const low = Math.floor(at);
  return sorted[low] + (at - low) * (sorted[Math.min(low + 1, sorted.length - 1)] - sorted[low]);
}
