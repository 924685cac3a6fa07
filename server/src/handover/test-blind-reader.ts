/*
 * Whoever receives a handover and has nothing but it: this reader imports nothing. It rebuilds camera and lens of a take from its files and says
 * how far tracks lie from where the camera sees their points.
 */
interface Lens {
  formula: string[];
  coefficients: Record<string, number>;
  normalisedByPx: [number, number];
  centerPx: [number, number];
}

const rowsOf = (csv: string): Record<string, string>[] => {
  const [header, ...rows] = csv
    .trim()
    .split('\n')
    .map((line) => line.split(','));
  return rows.map((row) => Object.fromEntries(header.map((h, i) => [h, row[i]])));
};

interface TakeFiles {
  camera: string;
  points: string;
  solve: string;
}
type Place = readonly [number, number, number];

/** The places of a take's points by name, and where its camera records any place in a frame, px; null where there is no such frame. */
export function readTake(files: TakeFiles): { places: Map<string, Place>; seen(place: Place, frame: number): [number, number] | null } {
  const { facts } = JSON.parse(files.solve) as { facts: { distortion: Lens | 'none' } };
  const places = new Map(rowsOf(files.points).map((r): [string, Place] => [r.id, [Number(r.x), Number(r.y), Number(r.z)]]));
  const cameras = new Map(rowsOf(files.camera).map((r) => [Number(r.frame), r]));
  const lens = facts.distortion;
  const bend =
    lens === 'none'
      ? null
      : (new Function(
          'x',
          'y',
          ...Object.keys(lens.coefficients),
          `${lens.formula.map((l) => `const ${l.replace(/\^/g, '**').replace(/\b(sqrt|atan|cos|sin)\(/g, 'Math.$1(')};`).join('\n')}\nreturn [xd, yd];`,
        ) as (...n: number[]) => [number, number]);
  return {
    places,
    seen(p, frame) {
      const c = cameras.get(frame);
      if (!c) return null;
      const n = (key: string): number => Number(c[key]);
      const [x, y, z, w] = [-n('qx'), -n('qy'), -n('qz'), n('qw')];
      const v = [p[0] - n('x'), p[1] - n('y'), p[2] - n('z')];
      const a = [2 * (y * v[2] - z * v[1]), 2 * (z * v[0] - x * v[2]), 2 * (x * v[1] - y * v[0])];
      const at = [v[0] + w * a[0] + y * a[2] - z * a[1], v[1] + w * a[1] + z * a[0] - x * a[2], v[2] + w * a[2] + x * a[1] - y * a[0]];
      const px = n('cx_px') + (n('fx_px') * at[0]) / -at[2],
        py = n('cy_px') - (n('fy_px') * at[1]) / -at[2];
      if (!bend || lens === 'none') return [px, py];
      const [cx, cy] = lens.centerPx,
        [nx, ny] = lens.normalisedByPx;
      const [xd, yd] = bend((px - cx) / nx, (py - cy) / ny, ...Object.values(lens.coefficients));
      return [cx + xd * nx, cy + yd * ny];
    },
  };
}

/** @returns root of the mean squared distance of tracks from where the camera sees their points, px, and how many were compared */
export function distanceOfTracks(files: TakeFiles, tracks: string): { rmsPx: number; count: number } {
  const { places, seen } = readTake(files);
  let sum = 0,
    count = 0;
  for (const t of rowsOf(tracks)) {
    const p = places.get(t.track);
    const at = p ? seen(p, Number(t.frame)) : null;
    if (!at) continue;
    sum += (at[0] - Number(t.x)) ** 2 + (at[1] - Number(t.y)) ** 2;
    count += 1;
  }
  return { rmsPx: Math.sqrt(sum / count), count };
}
