import type { Vec3 } from '../math';
import { refine } from './fit-places';
import type { Surface } from './intersect';
import type { Net, Places } from './net';
import { candidates, surfacesOf } from './surfaces';

export interface Grown {
  placed: Places;
  /** points of which two places fitted alike when they were placed */
  guessed: number[];
}

/** Puts point after point to those that are placed, the best braced first; what two places fit waits until nothing else is left. */
export function grow(net: Net, start: Places, level: boolean, random: () => number, guess: () => boolean): Grown {
  const placed: Places = new Map(start);
  const guessed: number[] = [];
  let refineAt = Math.max(8, 2 * placed.size);
  const open = new Set(net.ids.map((_, p) => p).filter((p) => !placed.has(p)));
  for (;;) {
    let best: { p: number; surfaces: Surface[] } | null = null;
    const waiting: { p: number; pair: Vec3[]; count: number }[] = [];
    const ready = [...open].map((p) => ({ p, surfaces: surfacesOf(net, p, placed, level) })).filter((q) => q.surfaces.length >= 3);
    ready.sort((a, b) => b.surfaces.length - a.surfaces.length || a.p - b.p);
    let put: Vec3 | null = null;
    for (const q of ready) {
      const found = candidates(q.surfaces, random);
      if (found.length === 1) {
        best = q;
        [put] = found;
        break;
      }
      if (found.length === 2) waiting.push({ p: q.p, pair: found, count: q.surfaces.length });
    }
    if (!best && waiting.length > 0) {
      const [w] = waiting;
      const near = net.near.get(w.p);
      const off = (x: Vec3) => Math.hypot(x[0] - near![0], x[1] - near![1], x[2] - near![2]);
      const second = near && net.known.length > 0 ? off(w.pair[1]) < off(w.pair[0]) : guess();
      best = { p: w.p, surfaces: [] };
      put = w.pair[second ? 1 : 0];
      guessed.push(w.p);
    }
    if (!best || !put) return { placed, guessed };
    placed.set(best.p, put);
    open.delete(best.p);
    if (placed.size >= refineAt) {
      refine(net, placed, level);
      refineAt *= 2;
    }
  }
}
