import { usualPiece } from '@mesure/contract';
import type { PlannedMark, SetPiece } from '@mesure/core';
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

/** The same rooms as they are drawn for planning: the floor and the back wall that the marks sit on, and what stands between. */
export const PIECES: Record<keyof typeof SETS, SetPiece[]> = {
  galley: [
    { ...usualPiece('floor', 'floor', 'Galley floor'), zM: -2.2, widthM: 5.8, depthM: 4.8 },
    { ...usualPiece('wall', 'wall', 'Back wall'), zM: -4.66, widthM: 5.8, depthM: 0.1, detail: 'some' },
    { ...usualPiece('box', 'table', 'Stove table'), xM: 1.5, zM: -3.1, widthM: 1.2, depthM: 0.7, heightM: 0.9, detail: 'rich' },
    { ...usualPiece('post', 'post', 'Stanchion'), xM: -1.9, zM: -2.6 },
    { ...usualPiece('person', 'cook', 'Cook'), xM: 0.7, zM: -3.9 },
  ],
  jetty: [
    { ...usualPiece('platform', 'planks', 'Planks'), xM: 0, zM: -3, baseM: -0.2, widthM: 4.8, depthM: 5, heightM: 0.2, detail: 'rich' },
    { ...usualPiece('wall', 'shed', 'Boat shed'), zM: -5.06, widthM: 5, depthM: 0.1, detail: 'some' },
    { ...usualPiece('water', 'water', 'Harbour'), xM: -6, zM: -3, baseM: -0.8, widthM: 7, depthM: 10 },
    { ...usualPiece('sky', 'sky', 'Evening sky'), coversShare: 0.2 },
  ],
  passage: [
    { ...usualPiece('floor', 'floor', 'Passage floor'), zM: -2.2, widthM: 5.8, depthM: 4.8 },
    { ...usualPiece('wall', 'bulkhead', 'Bulkhead'), zM: -4.66, widthM: 5.8, depthM: 0.1, detail: 'some' },
  ],
};

/** The mark sheet of a room: those low down lie on the floor, the others on the wall. */
export function sheetOf(key: keyof typeof SETS): PlannedMark[] {
  const [floor, wall] = PIECES[key];
  return SETS[key].marks.map(({ id, at }) => ({
    id,
    kind: 'cross',
    diameterM: 0.02,
    at: [at[0], at[1] + (at[1] === 0 ? 0.001 : 0), at[2] + (at[1] > 0 ? 0.002 : 0)],
    normal: at[1] === 0 ? [0, 1, 0] : [0, 0, 1],
    pieceId: at[1] === 0 ? floor.id : wall.id,
    ground: 'plain',
    placed: true,
  }));
}
