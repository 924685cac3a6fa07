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
  /** any other lens: ideal slope to the slope on the sensor, in place of the coefficients */
  forward?: (x: number, y: number) => [number, number];
}

/** Ideal slope (x, y) to the slope on the sensor. */
export function brownConrady(l: Lens, x: number, y: number): [number, number] {
  const q = x * x + y * y;
  const m = 1 + q * (l.k1 + q * (l.k2 + q * l.k3));
  return [m * x + 2 * l.p1 * x * y + l.p2 * (q + 2 * x * x), m * y + l.p1 * (q + 2 * y * y) + 2 * l.p2 * x * y];
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

/** Division model by its definition, solved for the distorted radius by bisection. */
export function divisionLens(lambda: number): NonNullable<Lens['forward']> {
  return (x, y) => {
    const r = Math.hypot(x, y);
    if (r === 0) return [0, 0];
    // rd / (1 + λ rd²) grows up to rd = 1/√λ for λ > 0, and up to the pole at 1/√−λ for λ < 0
    let low = 0,
      high = lambda === 0 ? r : 1 / Math.sqrt(Math.abs(lambda));
    for (let i = 0; i < 200; i += 1) {
      const middle = (low + high) / 2;
      if (middle === low || middle === high) break;
      if (middle / (1 + lambda * middle * middle) < r) low = middle;
      else high = middle;
    }
    return [(x * low) / r, (y * low) / r];
  };
}

/** Equidistant fisheye: the angle off the axis, bent by a polynomial, is the radius. */
export function fisheyeLens(k: readonly number[]): NonNullable<Lens['forward']> {
  return (x, y) => {
    const r = Math.hypot(x, y);
    if (r === 0) return [0, 0];
    const t = Math.atan2(r, 1);
    const d = t * (1 + k.reduce((s, ki, i) => s + ki * t ** (2 * i + 2), 0));
    return [(x / r) * d, (y / r) * d];
  };
}

/** Even polynomials per axis in axes turned by `rotation`. */
export function anamorphicLens(a: readonly number[], b: readonly number[], rotation = 0): NonNullable<Lens['forward']> {
  const c = Math.cos(rotation),
    s = Math.sin(rotation);
  return (x, y) => {
    const u = x * c + y * s,
      v = -x * s + y * c;
    const poly = (q: readonly number[]) => 1 + q[0] * u ** 2 + q[1] * v ** 2 + q[2] * u ** 4 + q[3] * u ** 2 * v ** 2 + q[4] * v ** 4;
    const ud = u * poly(a),
      vd = v * poly(b);
    return [ud * c - vd * s, ud * s + vd * c];
  };
}

/** Ideal slope to the slope on the sensor, whatever the lens. */
export const bend = (l: Lens, x: number, y: number): [number, number] => (l.forward ? l.forward(x, y) : brownConrady(l, x, y));

/** Inverse of `bend`: by secants along both axes for a lens given as a function. */
export function unbend(l: Lens, xd: number, yd: number, guess?: readonly [number, number]): [number, number] {
  if (!l.forward) return invertBrownConrady(l, xd, yd, guess);
  let [x, y] = guess ?? [xd, yd];
  const h = 1e-6;
  for (let i = 0; i < 60; i += 1) {
    const [fx, fy] = l.forward(x, y);
    const ex = xd - fx,
      ey = yd - fy;
    if (Math.abs(ex) + Math.abs(ey) < 1e-11) break;
    const [ax, ay] = l.forward(x + h, y);
    const [bx, by] = l.forward(x, y + h);
    const a = (ax - fx) / h,
      c = (ay - fy) / h,
      b = (bx - fx) / h,
      d = (by - fy) / h;
    const det = Math.max(0.02, a * d - b * c);
    x += (d * ex - b * ey) / det;
    y += (a * ey - c * ex) / det;
  }
  return [x, y];
}

/** Does the picture grow outwards all the way to here? A lens that folds back shows a corner nowhere, also where its polynomial grows again. */
export function unfolded(l: Lens, x: number, y: number): boolean {
  if (!l.forward) {
    const far = x * x + y * y;
    for (let i = 1; i <= 16; i += 1) {
      const q = (far * i) / 16;
      if (!(1 + q * (3 * l.k1 + q * (5 * l.k2 + q * 7 * l.k3)) > 0.05)) return false;
    }
    return true;
  }
  const r = Math.hypot(x, y);
  if (r === 0) return true;
  const length = (q: number) => Math.hypot(...l.forward!(x * q, y * q));
  return (length(1 + 1e-4) - length(1 - 1e-4)) / (2e-4 * r) > 0.05;
}
