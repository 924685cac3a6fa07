/** Seeded uniform numbers on [0, 1): xorshift32 (Marsaglia 2003). */
export function uniform(seed: number): () => number {
  let s = (seed * 2654435761) >>> 0 || 1;
  return () => {
    s ^= s << 13;
    s >>>= 0;
    s ^= s >>> 17;
    s ^= s << 5;
    s >>>= 0;
    return s / 4294967296;
  };
}

/** Seeded standard normal numbers: Marsaglia's polar method (1964). */
export function normals(seed: number): () => number {
  const u = uniform(seed);
  return () => {
    for (;;) {
      const a = 2 * u() - 1;
      const b = 2 * u() - 1;
      const q = a * a + b * b;
      if (q > 0 && q < 1) return a * Math.sqrt((-2 * Math.log(q)) / q);
    }
  };
}
