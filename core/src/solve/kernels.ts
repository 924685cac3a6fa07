import { expSO3, mulMat3, type Mat3 } from '../math';

export { coefficientsOf, distortWith } from '../lens';

/** out[at…at+8] = exp(w) · in[at…at+8] */
export function expSO3Into(wx: number, wy: number, wz: number, input: Float64Array, out: Float64Array, at: number): void {
  const m = mulMat3(expSO3([wx, wy, wz]), Array.from(input.subarray(at, at + 9)) as unknown as Mat3);
  for (let k = 0; k < 9; k += 1) out[at + k] = m[k];
}
