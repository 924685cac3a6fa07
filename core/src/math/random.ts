/** Seeded generator on [0, 1): mulberry32. Randomness is always an argument in the core, so that a result can be repeated. */
export function seededRandom(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = a;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Standard normal numbers from a uniform generator (Box–Muller 1958). */
export function seededNormal(seed: number): () => number {
  const random = seededRandom(seed);
  let spare: number | null = null;
  return () => {
    if (spare !== null) {
      const s = spare;
      spare = null;
      return s;
    }
    const r = Math.sqrt(-2 * Math.log(1 - random()));
    const a = 2 * Math.PI * random();
    spare = r * Math.sin(a);
    return r * Math.cos(a);
  };
}

/** `count` different whole numbers below `n` (partial Fisher–Yates). */
export function sampleIndices(n: number, count: number, random: () => number): number[] {
  const pool = Array.from({ length: n }, (_, i) => i);
  for (let i = 0; i < count; i += 1) {
    const j = i + Math.floor(random() * (n - i));
    [pool[i], pool[j]] = [pool[j], pool[i]];
  }
  return pool.slice(0, count);
}
