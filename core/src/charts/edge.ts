/** The error function and the normal density over ±LIMIT, read off a table: a window asks for thousands of them. */
const LIMIT = 4.5;
const PER_UNIT = 256;
const tableSize = 2 * LIMIT * PER_UNIT + 2;
const STEP = new Float64Array(tableSize);
const BELL = new Float64Array(tableSize);
for (let i = 0; i < tableSize; i += 1) BELL[i] = Math.exp(-0.5 * (i / PER_UNIT - LIMIT) ** 2) / Math.sqrt(2 * Math.PI);
// the integral of the density by Simpson's rule, from −1 to 1 over the whole line
for (let i = 1, sum = -1 + 2 * 3.4e-6; i < tableSize; i += 1) {
  const middle = Math.exp(-0.5 * ((i - 0.5) / PER_UNIT - LIMIT) ** 2) / Math.sqrt(2 * Math.PI);
  sum += (2 * (BELL[i - 1] + 4 * middle + BELL[i])) / (6 * PER_UNIT);
  STEP[i] = sum;
}
STEP[0] = -1;

const place = (z: number): number => (z <= -LIMIT ? 0 : z >= LIMIT ? tableSize - 2 : (z + LIMIT) * PER_UNIT);
/** erf(z/√2): −1 on one side of a blurred edge, 1 on the other. */
export function stepAt(z: number): number {
  const at = place(z);
  const i = at | 0;
  return STEP[i] + (at - i) * (STEP[i + 1] - STEP[i]);
}
export function bellAt(z: number): number {
  const at = place(z);
  const i = at | 0;
  return BELL[i] + (at - i) * (BELL[i + 1] - BELL[i]);
}
