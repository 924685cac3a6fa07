import { uniform } from './noise';
import { renderChequer, type ChequerScene, type RenderedPlate } from './render-chequer';

/** A plate with its truth, as it lands before whoever measures it. */
export interface PlateTrial {
  plate: RenderedPlate;
  /** grey levels of the whole picture */
  gray: Float32Array;
  widthPx: number;
  heightPx: number;
  fPx: number;
  ruled: boolean;
  scene: ChequerScene;
}

type Place = { x: number; y: number };

/** Is a place at least so far inside the frame, and away from what is hidden? */
export function clearOf(scene: Pick<ChequerScene, 'widthPx' | 'heightPx' | 'hidden'>, { x, y }: Place, px: number): boolean {
  if (x < px || y < px || x > scene.widthPx - px || y > scene.heightPx - px) return false;
  return !scene.hidden?.some(([hx, hy, hw, hh]) => x > hx - px && y > hy - px && x < hx + hw + px && y < hy + hh + px);
}

/** A chart that overfills the frame, with a light stand across it: two to eight cells wide, upright or level, in front of any lens. */
export function poleTrial(seed: number): PlateTrial {
  const u = uniform(seed);
  const [widthPx, heightPx] = [1000, 560];
  const fPx = 900 + 900 * u();
  const ruled = u() < 0.3;
  const cellPx = (ruled ? 24 : 14) + 36 * u();
  const polePx = Math.round((1.5 + 6.5 * u()) * cellPx);
  const at = 0.2 + 0.5 * u();
  const upright = u() < 0.6;
  const scene: ChequerScene = {
    widthPx,
    heightPx,
    lens: { fxPx: fPx, fyPx: fPx, cx: widthPx / 2 + 8, cy: heightPx / 2 - 6, k1: -0.2 + 0.28 * u(), k2: 0.01 * u(), k3: 0, p1: 0, p2: 0 },
    cellSlope: cellPx / fPx,
    blurPx: 0.8 + 0.8 * u(),
    noise: 4 * u(),
    seed,
    offsetCells: [u(), u()],
    rollRad: 1.2 * (u() - 0.5),
    tiltXRad: 0.5 * (u() - 0.5),
    tiltYRad: 0.5 * (u() - 0.5),
    vignette: 0.5 + 0.5 * u(),
    hidden: [upright ? [Math.round(widthPx * at), 0, polePx, heightPx] : [0, Math.round(heightPx * at), widthPx, polePx]],
    ...(ruled ? { ruled: { widthCells: 0.1 } } : {}),
  };
  const plate = renderChequer(scene);
  return { plate, gray: new Float32Array(plate.gray), widthPx, heightPx, fPx, ruled, scene };
}

/** A board of 9 × 7 inner corners held in a cluttered room before a wide lens, turned up to 50 degrees, unevenly lit and a little shaken. */
export function boardTrial(seed: number): PlateTrial {
  const u = uniform(seed);
  const [widthPx, heightPx, fPx] = [640, 480, 530];
  for (;;) {
    const scene: ChequerScene = {
      widthPx,
      heightPx,
      lens: { fxPx: fPx, fyPx: fPx, cx: widthPx / 2 + 10, cy: heightPx / 2 - 5, k1: -0.28, k2: 0.06, k3: 0, p1: 0, p2: 0 },
      cellSlope: (24 + 22 * u()) / fPx,
      blurPx: 0.6 + 0.6 * u(),
      noise: 2 + 2 * u(),
      seed,
      offsetCells: [1.5 * (u() - 0.5), 1.2 * (u() - 0.5)],
      rollRad: 0.8 * (u() - 0.5),
      tiltXRad: 1.8 * (u() - 0.5),
      tiltYRad: 1.8 * (u() - 0.5),
      boardHalfCells: [5, 4],
      room: { marginCells: 0.2 + 0.8 * u(), seed: seed + 100 },
      vignette: 0.7,
    };
    const light = [1.4 * (u() - 0.5), 1.4 * (u() - 0.5)];
    const shake = [Math.round(6 * (u() - 0.5)), Math.round(4 * (u() - 0.5))];
    const plate = renderChequer(scene);
    // all of it in the picture, and no cell so narrow that a blurred edge fills it
    if (plate.corners.length < 63 || !plate.corners.every((c) => clearOf(scene, c, 12)) || narrowestPx(plate) < 10) continue;
    return { plate, gray: shaken(plate, shake, light), widthPx, heightPx, fPx, ruled: false, scene };
  }
}

/** The least distance between two parallel edges of a cell. */
function narrowestPx({ corners }: RenderedPlate): number {
  const byPlace = new Map(corners.map((c) => [`${c.row},${c.col}`, c]));
  return Math.min(
    ...corners.flatMap((c) => {
      const [right, below] = [byPlace.get(`${c.row},${c.col + 1}`), byPlace.get(`${c.row + 1},${c.col}`)];
      if (!right || !below) return [];
      const [ux, uy, vx, vy] = [right.x - c.x, right.y - c.y, below.x - c.x, below.y - c.y];
      return [Math.abs(ux * vy - uy * vx) / Math.max(Math.hypot(ux, uy), Math.hypot(vx, vy))];
    }),
  );
}

function shaken({ gray, widthPx: w, heightPx: h }: RenderedPlate, [mx, my]: number[], [gx, gy]: number[]): Float32Array {
  const steps = Math.max(1, Math.abs(mx), Math.abs(my));
  const inside = (v: number, n: number) => Math.min(n - 1, Math.max(0, v));
  return Float32Array.from({ length: w * h }, (_, i) => {
    const [x, y] = [i % w, Math.floor(i / w)];
    let sum = 0;
    for (let k = 0; k < steps; k += 1) {
      const along = (k - (steps - 1) / 2) / steps;
      sum += gray[inside(y + Math.round(my * along), h) * w + inside(x + Math.round(mx * along), w)];
    }
    return Math.min(255, 0.85 * (sum / steps) * (1 + gx * (x / w - 0.5) + gy * (y / h - 0.5)));
  });
}

/** What was found against the truth. */
export interface PlateScore {
  /** of the corners that have room around them */
  share: number;
  /** the farthest that a found corner is from any true one, px; those beside what hides are not asked */
  worstPx: number;
  /** different shifts between found and true numbers: one where all stand at one place of the chart */
  shifts: number;
}

/** @param room px around a corner below which nobody can ask for it */
export function scorePlate({ plate, scene }: Pick<PlateTrial, 'plate' | 'scene'>, found: readonly { row: number; col: number; x: number; y: number }[], room: number): PlateScore {
  const nearest = (at: Place, list: readonly Place[]): [number, number] =>
    list.reduce<[number, number]>(
      (best, c, i) => {
        const px = Math.hypot(c.x - at.x, c.y - at.y);
        return px < best[1] ? [i, px] : best;
      },
      [-1, Infinity],
    );
  const pairs = found.flatMap((n) => {
    const [i, px] = nearest(n, plate.corners);
    return px < 3 ? [{ n, c: plate.corners[i] }] : [];
  });
  // the found numbers may be turned by quarters against the true ones
  const turns: ((p: (typeof pairs)[number]) => string)[] = [
    ({ n, c }) => `${n.row - c.row},${n.col - c.col}`,
    ({ n, c }) => `${n.row - c.col},${n.col + c.row}`,
    ({ n, c }) => `${n.row + c.col},${n.col - c.row}`,
    ({ n, c }) => `${n.row + c.row},${n.col + c.col}`,
  ];
  const askable = plate.corners.filter((c) => clearOf(scene, c, room));
  return {
    share: askable.filter((c) => nearest(c, found)[1] < 2).length / askable.length,
    worstPx: Math.max(0, ...found.filter((n) => clearOf(scene, n, 3)).map((n) => nearest(n, plate.corners)[1])),
    shifts: Math.min(...turns.map((turn) => new Set(pairs.map(turn)).size)),
  };
}
