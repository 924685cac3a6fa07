/** A generator that gives the same row of numbers for the same seed (mulberry32), so that an ordeal can be repeated. */
export function randomOf(seed: number) {
  let a = seed >>> 0;
  const next = (): number => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = a;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
  return {
    next,
    chance: (share: number): boolean => next() < share,
    below: (n: number): number => Math.floor(next() * n),
    pick: <T>(all: readonly T[]): T => all[Math.floor(next() * all.length)],
    /** one of the keys, each as often as its weight says */
    weighted<K extends string>(weights: Record<K, number>): K {
      const entries = Object.entries(weights) as [K, number][];
      let left = next() * entries.reduce((s, [, w]) => s + w, 0);
      for (const [k, w] of entries) if ((left -= w) < 0) return k;
      return entries[entries.length - 1][0];
    },
  };
}
export type Random = ReturnType<typeof randomOf>;
