/** How one picture was exposed. */
export interface Exposure {
  seconds: number;
  /** f-number; a mirror ball and a chart have no T-stop in their file */
  fNumber: number;
  iso: number;
}

/** Light that reaches the file against 1 s at f/1 and ISO 100, stops: log₂(t / N² · S / 100); the negative of the exposure value of ISO 2720. */
export const exposureStops = ({ seconds, fNumber, iso }: Exposure): number => Math.log2((seconds / fNumber ** 2) * (iso / 100));

export interface Bracket {
  pictures: number;
  /** from the darkest to the lightest, stops */
  spanStops: number;
  /** the largest step between two neighbours, stops */
  widestStops: number;
  /** stops of each, the darkest first and 0 */
  stops: number[];
  /** what a light reference lacks; empty when it will do */
  lacks: string[];
}

/** A step wider than this loses the tones between two pictures; a span below it does not reach from shade to the sun's disc. */
const WIDEST_STEP = 3;
const LEAST_SPAN = 6;
/** Files write times such as 1/60 rounded; two exposures so near are the same. */
const SAME_STOPS = 0.15;

/** Does a row of exposures make a light reference of high range? */
export function bracketOf(exposures: readonly Exposure[]): Bracket {
  const sorted = exposures.map(exposureStops).sort((a, b) => a - b);
  const stops = sorted.map((s) => s - sorted[0]);
  const steps = stops.slice(1).map((s, i) => s - stops[i]);
  const spanStops = stops[stops.length - 1] ?? 0;
  const widestStops = Math.max(0, ...steps);
  const lacks: string[] = [];
  if (spanStops < SAME_STOPS) lacks.push('all have the same exposure');
  else if (spanStops < LEAST_SPAN) lacks.push(`${spanStops.toFixed(1)} stops from the darkest to the lightest: take ${LEAST_SPAN} at least`);
  if (widestStops > WIDEST_STEP) lacks.push(`one step is ${widestStops.toFixed(1)} stops wide: one more between, ${WIDEST_STEP} at most`);
  return { pictures: exposures.length, spanStops, widestStops, stops, lacks };
}
