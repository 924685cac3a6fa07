import { uniform } from './noise';

interface Thing {
  u: number;
  v: number;
  w: number;
  h: number;
  grey: number;
}

/** What is to be seen on a panel. Places are metres from its corner. */
export interface Pattern {
  /** between smooth stains: 0…1 */
  stainAt(u: number, v: number): number;
  /** the uppermost board, frame or plate at a place; −1 where there is none */
  thingAt(u: number, v: number): number;
  /** 0…1, of a thing (−1: none) before such a stain */
  seen(thing: number, stain: number): number;
  /** does an edge of a thing cross this rectangle? */
  hasEdge(fromU: number, toU: number, fromV: number, toV: number): boolean;
}

const USUAL_PER_M2 = 9;
/** of the finest stain, metres */
export const FINEST_STAIN_M = 0.04;

/** A wall as sets have them: stains of three sizes, with boards, frames and plates on it, so many a square metre; more of them are smaller. */
export function patternOf(seed: number, widthM: number, heightM: number, perM2 = USUAL_PER_M2): Pattern {
  const random = uniform(seed * 7919 + 13);
  const size = Math.sqrt(USUAL_PER_M2 / perM2);
  const things: Thing[] = Array.from({ length: Math.ceil(perM2 * widthM * heightM) }, () => ({
    u: random() * widthM,
    v: random() * heightM,
    w: size * (0.04 + 0.3 * random() ** 2),
    h: size * (0.04 + 0.3 * random() ** 2),
    grey: 0.1 + 0.75 * random(),
  }));
  // things in a raster of half metres, so that a place asks only the few near it
  const cell = 0.5 * size;
  const [columns, rows] = [Math.ceil(widthM / cell) + 1, Math.ceil(heightM / cell) + 1];
  const near: number[][] = Array.from({ length: columns * rows }, () => []);
  const column = (u: number): number => Math.min(columns - 1, Math.max(0, Math.floor(u / cell)));
  const row = (v: number): number => Math.min(rows - 1, Math.max(0, Math.floor(v / cell)));
  // left, right, low, high of each
  const sides = new Float64Array(4 * things.length);
  things.forEach((t, n) => {
    sides.set([t.u - t.w, t.u + t.w, t.v - t.h, t.v + t.h], 4 * n);
    for (let i = column(t.u - t.w); i <= column(t.u + t.w); i += 1) for (let j = row(t.v - t.h); j <= row(t.v + t.h); j += 1) near[j * columns + i].push(n);
  });
  const salt = seed * 31;
  return {
    stainAt: (u, v) => 0.5 + 0.24 * (grain(u, v, 0.4, salt + 1) - 0.5) + 0.16 * (grain(u, v, 0.12, salt + 2) - 0.5) + 0.1 * (grain(u, v, FINEST_STAIN_M, salt + 3) - 0.5),
    thingAt(u, v) {
      const here = near[row(v) * columns + column(u)];
      for (let k = here.length - 1; k >= 0; k -= 1) {
        const at = 4 * here[k];
        if (u > sides[at] && u < sides[at + 1] && v > sides[at + 2] && v < sides[at + 3]) return here[k];
      }
      return -1;
    },
    seen: (thing, stain) => (thing < 0 ? stain : 0.75 * things[thing].grey + 0.25 * stain),
    hasEdge(fromU, toU, fromV, toV) {
      const [lastRow, lastColumn] = [row(toV), column(toU)];
      for (let j = row(fromV); j <= lastRow; j += 1)
        for (let i = column(fromU); i <= lastColumn; i += 1) {
          const here = near[j * columns + i];
          for (let k = 0; k < here.length; k += 1) {
            const at = 4 * here[k];
            if (sides[at + 1] <= fromU || sides[at] >= toU || sides[at + 3] <= fromV || sides[at + 2] >= toV) continue;
            if (sides[at] > fromU || sides[at + 1] < toU || sides[at + 2] > fromV || sides[at + 3] < toV) return true;
          }
        }
      return false;
    },
  };
}

/** Smooth noise of one size, 0…1; asked for each of millions of rays, so nothing is made here. */
function grain(u: number, v: number, size: number, salt: number): number {
  const x = u / size;
  const y = v / size;
  const i = Math.floor(x);
  const j = Math.floor(y);
  const p = x - i;
  const q = y - j;
  const a = p * p * (3 - 2 * p);
  const b = q * q * (3 - 2 * q);
  return (1 - b) * ((1 - a) * hash(i, j, salt) + a * hash(i + 1, j, salt)) + b * ((1 - a) * hash(i, j + 1, salt) + a * hash(i + 1, j + 1, salt));
}

/** A number 0…1 that belongs to three whole numbers. */
function hash(x: number, y: number, z: number): number {
  let n = Math.imul(x, 374761393) ^ Math.imul(y, 668265263) ^ Math.imul(z, 2147483647);
  n = Math.imul(n ^ (n >>> 13), 1274126177);
  return ((n ^ (n >>> 16)) >>> 0) / 4294967296;
}
