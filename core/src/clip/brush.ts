import clipping, { type MultiPolygon, type Pair, type Polygon } from 'polygon-clipping';
import { CoreError } from '../errors';
import type { Corner2 } from './mask';

/** Corners of a whole round of the brush. */
const ROUND = 16;
/** Corners that an outline may have, so that it can be moved by hand. */
const MOST_CORNERS = 48;
/** What a stroke may be off by when it is drawn with fewer places, of the brush's radius. */
const STROKE_SLACK = 0.12;
/** A hole that the brush could not have left on purpose, of the area of its tip. */
const LEAST_HOLE = 0.25;

/**
 * What was painted with a round brush, as outlines without holes: each stroke is the union of the brush along it; what goes round a place that was
 * left out is cut through that place, so that it stays left out.
 * Source   Martínez, Rueda & Feito, A new algorithm for computing Boolean operations on polygons (2009), as polygon-clipping does it.
 * @param strokes places that the middle of the brush went through, px
 * @param radiusPx above 0
 * @throws CoreError INVALID_OPTION
 */
export function paintedOutlines(strokes: readonly (readonly Corner2[])[], radiusPx: number): Corner2[][] {
  if (!(radiusPx > 0)) throw new CoreError('INVALID_OPTION', 'A brush needs a radius above 0', 'radiusPx');
  const tips = strokes.flatMap((s) => {
    const places = fewer(s, STROKE_SLACK * radiusPx);
    return places.length === 1 ? [tip(places[0], places[0], radiusPx)] : places.slice(1).map((b, i) => tip(places[i], b, radiusPx));
  });
  if (tips.length === 0) return [];
  const painted = clipping.union(tips[0], ...tips.slice(1));
  const leastHole = LEAST_HOLE * Math.PI * radiusPx ** 2;
  return painted
    .flatMap((p) => withoutHoles([p[0], ...p.slice(1).filter((ring) => areaOf(ring) > leastHole)]))
    .map((ring) => {
      const open = ring.slice(0, -1).map(([x, y]): Corner2 => [x, y]);
      for (let slack = 0.02 * radiusPx; ; slack *= 1.6) {
        const simple = fewer([...open, open[0]], slack).slice(0, -1);
        if (simple.length <= MOST_CORNERS) return simple;
      }
    })
    .filter((outline) => outline.length >= 3);
}

/** The brush pulled from one place to another: two half rounds, and straight between. */
function tip([ax, ay]: Corner2, [bx, by]: Corner2, r: number): Polygon {
  const turn = Math.atan2(by - ay, bx - ax);
  const half = (cx: number, cy: number, from: number): Pair[] =>
    Array.from({ length: ROUND / 2 + 1 }, (_, i) => [cx + r * Math.cos(from + (2 * Math.PI * i) / ROUND), cy + r * Math.sin(from + (2 * Math.PI * i) / ROUND)]);
  const ring = [...half(bx, by, turn - Math.PI / 2), ...half(ax, ay, turn + Math.PI / 2)];
  return [[...ring, ring[0]]];
}

/** Cut upright through the middle of a hole, until there is none. */
function withoutHoles(polygon: Polygon): Pair[][] {
  const [outer, hole] = polygon;
  if (!hole) return [outer];
  const xs = hole.map(([x]) => x);
  const cut = (Math.min(...xs) + Math.max(...xs)) / 2;
  const far = outer.reduce((m, [x, y]) => Math.max(m, Math.abs(x), Math.abs(y)), 0) + 1;
  const side = (from: number, to: number): Polygon => [[[from, -far], [to, -far], [to, far], [from, far], [from, -far]]]; // prettier-ignore
  const parts: MultiPolygon = [...clipping.intersection(polygon, side(-far, cut)), ...clipping.intersection(polygon, side(cut, far))];
  return parts.flatMap(withoutHoles);
}

const areaOf = (ring: readonly Pair[]): number => Math.abs(ring.reduce((s, [x, y], i) => s + x * ring[(i + 1) % ring.length][1] - ring[(i + 1) % ring.length][0] * y, 0)) / 2;

/** A line with fewer places, off by no more than `slack` (Douglas & Peucker 1973). */
function fewer(line: readonly Corner2[], slack: number): Corner2[] {
  if (line.length < 3) return [...line];
  const kept = new Uint8Array(line.length);
  kept[0] = kept[line.length - 1] = 1;
  const waiting: [number, number][] = [[0, line.length - 1]];
  for (let pair = waiting.pop(); pair; pair = waiting.pop()) {
    const [a, b] = pair;
    let [worst, at] = [slack, -1];
    for (let i = a + 1; i < b; i += 1) {
      const off = offLine(line[i], line[a], line[b]);
      if (off > worst) [worst, at] = [off, i];
    }
    if (at < 0) continue;
    kept[at] = 1;
    waiting.push([a, at], [at, b]);
  }
  return line.filter((_, i) => kept[i] === 1);
}

function offLine([x, y]: Corner2, [ax, ay]: Corner2, [bx, by]: Corner2): number {
  const [dx, dy] = [bx - ax, by - ay];
  const length = dx * dx + dy * dy;
  const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / length));
  return Math.hypot(x - ax - t * dx, y - ay - t * dy);
}
