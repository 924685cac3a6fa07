import { uniform } from '@mesure/synthetic';

type Point = readonly [number, number, number];
export interface NamedPoint {
  id: string;
  at: Point;
}
export interface DemoSet {
  name: string;
  marks: NamedPoint[];
  features: NamedPoint[];
  moving: { id: string; at: Point; drift: Point }[];
}

/** Metres, Y up; the camera looks roughly along −Z. Marks are crosses that the wrangler put down; features are what the set itself offers. */
function room(name: string, prefix: string, seed: number, marks: Point[], featureCount: number, moving: number): DemoSet {
  const u = uniform(seed);
  const features: NamedPoint[] = [];
  for (let i = 0; i < featureCount; i += 1) {
    const kind = i % 4;
    const at: Point =
      kind === 0
        ? [-2.6 + 5.2 * u(), 0, -4.4 + 3.2 * u()]
        : kind === 1
          ? [-2.8 + 5.6 * u(), 2.5 * u(), -4.6]
          : kind === 2
            ? [-1.6 + 3.2 * u(), 0.75 + 0.3 * u(), -3.4 + 1.2 * u()]
            : [-2.8 + 5.6 * u(), 2.2 * u(), -4.5 + 2 * u()];
    features.push({ id: `f${String(i + 1).padStart(2, '0')}`, at });
  }
  return {
    name,
    marks: marks.map((at, i) => ({ id: `${prefix}${i + 1}`, at })),
    features,
    moving: Array.from({ length: moving }, (_, i) => ({ id: `p${i + 1}`, at: [-0.6 + 0.3 * i, 1.1 + 0.1 * i, -2.6] as Point, drift: [0.012, 0.002 * (i % 2), -0.004] as Point })),
  };
}

const floorAndWall: Point[] = [
  [-1.2, 0, -2.2],
  [1.3, 0, -2.3],
  [0.2, 0, -3.6],
  [-1.8, 0, -3.9],
  [1.9, 0, -3.8],
  [-1.5, 1.6, -4.6],
  [0.4, 1.9, -4.6],
  [1.7, 1.2, -4.6],
];

export const SETS = {
  galley: room('Ferry galley', 'K', 21, floorAndWall, 72, 4),
  jetty: room(
    'Jetty at dusk',
    'J',
    34,
    floorAndWall.map(([x, y, z]): Point => [x * 1.15, y, z - 0.4]),
    64,
    3,
  ),
  passage: room('Lower passage', 'L', 55, floorAndWall, 56, 0),
};
