/** A true lens: pixels per unit slope, centre in px, Brown–Conrady coefficients normalised by fxPx, fyPx. */
export interface Lens {
  fxPx: number;
  fyPx: number;
  cx: number;
  cy: number;
  k1: number;
  k2: number;
  k3: number;
  p1: number;
  p2: number;
}

/** Ideal slope (x, y) to the slope on the sensor. */
export function brownConrady(l: Lens, x: number, y: number): [number, number] {
  const q = x ** 2 + y ** 2;
  const m = 1 + l.k1 * q + l.k2 * q ** 2 + l.k3 * q ** 3;
  return [m * x + 2 * l.p1 * x * y + l.p2 * (q + 2 * x ** 2), m * y + l.p1 * (q + 2 * y ** 2) + 2 * l.p2 * x * y];
}

/** Inverse by Newton's method on the ideal slope; `guess` speeds neighbours up. */
export function invertBrownConrady(l: Lens, xd: number, yd: number, guess?: readonly [number, number]): [number, number] {
  let x = guess ? guess[0] : xd;
  let y = guess ? guess[1] : yd;
  for (let i = 0; i < 100; i += 1) {
    const q = x * x + y * y;
    const m = 1 + q * (l.k1 + q * (l.k2 + q * l.k3));
    const ex = xd - (m * x + 2 * l.p1 * x * y + l.p2 * (q + 2 * x * x));
    const ey = yd - (m * y + l.p1 * (q + 2 * y * y) + 2 * l.p2 * x * y);
    if (Math.abs(ex) + Math.abs(ey) < 1e-12) break;
    const dm = l.k1 + q * (2 * l.k2 + q * 3 * l.k3);
    const a = m + 2 * x * x * dm + 2 * l.p1 * y + 6 * l.p2 * x;
    const b = 2 * x * y * dm + 2 * l.p1 * x + 2 * l.p2 * y;
    const d = m + 2 * y * y * dm + 6 * l.p1 * y + 2 * l.p2 * x;
    const det = a * d - b * b;
    // far from the answer a full step may leave the range in which the mapping is monotone
    const damp = det > 0.05 ? 1 / det : 1 / 0.05;
    x += (d * ex - b * ey) * damp;
    y += (a * ey - b * ex) * damp;
  }
  return [x, y];
}
