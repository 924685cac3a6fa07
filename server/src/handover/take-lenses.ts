import { recordedSetup, zoomedTake, type TakeBody } from '@mesure/contract';
import { describeLens, shotCamera, type ShotCamera, focusCell, isFocusInfinity } from '@mesure/core';
import { jsonText, writeCsv } from '@mesure/formats';
import type { Database } from '../db/connect';
import type { FileThread } from '../files/file-thread';
import { lensEvidence } from '../jobs/solve/lens-evidence';
import { labelOf, slug, type HandoverDay, type HandoverFile } from './day';
import type { SolvedTake } from './shots';

export type MapFormat = 'exr' | 'tiff';

/** How the lens of a take bends at its own focal length and focus, wherever that is known from. */
interface TakeLens {
  take: string;
  at: 'the take' | 'start of the zoom' | 'far end of the zoom';
  lens: string;
  focalMm: number;
  focusM: number | null;
  from: 'found with the test solve' | 'as used by the test solve' | 'plates of the lens';
  camera: ShotCamera;
  /** one name for all takes whose picture bends alike; null where no map reaches all of the picture */
  map: string | null;
}

/** Of every take whose lens was measured or found; a take at 40 mm between plates of 32 and 50 has its own. */
export async function takeLenses(db: Database, productionId: string, day: HandoverDay, solved: ReadonlyMap<string, SolvedTake>): Promise<TakeLens[]> {
  const lenses: TakeLens[] = [];
  const names = new Map<string, string>();
  const evidence = new Map<string, Awaited<ReturnType<typeof lensEvidence>>>();
  for (const take of day.takes) {
    const m = day.mounted(take);
    if (!m) continue;
    const { packageId } = take.body;
    let known = evidence.get(packageId);
    if (!known) evidence.set(packageId, (known = await lensEvidence(db, productionId, m, day.all, day.find)));
    const outcome = solved.get(take.id)?.outcome;
    // of a zoom the solve holds the lens of its beginning; what it is at the other end only its plates say
    const far = zoomedTake(take.body);
    const settings: { at: TakeLens['at']; body: TakeBody; outcome?: SolvedTake['outcome'] }[] = [{ at: far ? 'start of the zoom' : 'the take', body: take.body, outcome }];
    if (far) settings.push({ at: 'far end of the zoom', body: far });
    for (const { at, body, outcome: solve } of settings) {
      const recorded = () => recordedSetup({ mounted: m, take: body, setup: day.setupOf(take).body, ties: [], ...known, focalMode: 'held' });
      const camera = solve ? shotCamera(solve.setup, solve.solve) : shotCamera(recorded(), { focalMm: null });
      if (!camera.distorted) continue;
      lenses.push({
        take: labelOf(take),
        at,
        lens: m.lens.name,
        focalMm: body.focalMm,
        focusM: body.focusM,
        from: solve ? (solve.solve.distortion.mode === 'free' ? 'found with the test solve' : 'as used by the test solve') : 'plates of the lens',
        camera,
        map: mapName(names, m.lens.name, body, camera),
      });
    }
  }
  return lenses;
}

/** One name for all that bend alike; of a lens that folds back before its corners, or needs more room than a picture may have, there is no map. */
function mapName(names: Map<string, string>, lens: string, { focalMm, focusM }: Pick<TakeBody, 'focalMm' | 'focusM'>, camera: ShotCamera): string | null {
  if (!camera.whole) return null;
  const bends = JSON.stringify([camera.lens, camera.overscan]);
  const known = names.get(bends);
  if (known !== undefined) return known;
  const wanted = `${slug(lens)}-${focalMm}mm${focusM === null ? '' : isFocusInfinity(focusM) ? '-infinity' : `-${Number(focusM.toFixed(2))}m`}`;
  const taken = [...names.values()].filter((n) => n === wanted || n.startsWith(`${wanted}-`)).length;
  const name = taken === 0 ? wanted : `${wanted}-${taken + 1}`;
  names.set(bends, name);
  return name;
}

type Mapped = TakeLens & { map: string };
const withMap = (lenses: readonly TakeLens[]): Mapped[] => lenses.filter((l): l is Mapped => l.map !== null);
const onceEach = (lenses: readonly Mapped[]): Mapped[] => lenses.filter((a, i) => lenses.findIndex((b) => b.map === a.map) === i);

const pathOf = (map: string, way: 'undistort' | 'redistort', format: MapFormat): string => `maps/${map}_${way}.${format === 'exr' ? 'exr' : 'tif'}`;

/** The lens of each take in words and numbers; and, where they are wanted, ST maps both ways, one pair for all takes that bend alike. */
export function takeLensFiles(lenses: readonly TakeLens[], maps: { format: MapFormat; thread: FileThread } | null): HandoverFile[] {
  if (lenses.length === 0) return [];
  const files: HandoverFile[] = [
    {
      path: 'lenses/takes.json',
      what: 'how the lens of each take bends at its own focal length and focus, with its formula and one place worked out',
      readWith: 'JSON',
      make: async () =>
        jsonText(
          lenses.map(({ camera, map, ...l }) => ({
            ...l,
            maps: maps && map !== null ? { undistort: pathOf(map, 'undistort', maps.format), redistort: pathOf(map, 'redistort', maps.format) } : null,
            ...(map === null ? { noMaps: 'no map reaches all of the recorded picture: the lens bends its corners too far; the formula holds where it is inside its range' } : {}),
            distortion: describeLens(camera.lens),
            undistorted: {
              widthPx: camera.undistorted.widthPx,
              heightPx: camera.undistorted.heightPx,
              recordedCornerPx: [camera.overscan.left, camera.overscan.top],
              principalPointPx: camera.undistorted.principalPx,
            },
          })),
        ),
    },
  ];
  if (!maps) return files;
  const { format, thread } = maps;
  const mapped = withMap(lenses);
  const readWith = format === 'exr' ? 'OpenEXR, 32-bit float' : 'TIFF, 32-bit float';
  for (const l of onceEach(mapped))
    for (const way of ['undistort', 'redistort'] as const)
      files.push({
        path: pathOf(l.map, way, format),
        what: way === 'undistort' ? 'ST map, recorded to undistorted' : 'ST map, undistorted to recorded',
        readWith,
        make: () => thread.stMap({ lens: l.camera.lens, overscan: l.camera.overscan, way, format, name: l.map }),
      });
  const header = [
    'take',
    'at',
    'lens',
    'focal_mm',
    'focus_m',
    'from',
    'undistort',
    'redistort',
    'recorded_width_px',
    'recorded_height_px',
    'undistorted_width_px',
    'undistorted_height_px',
    'recorded_corner_x_px',
    'recorded_corner_y_px',
  ];
  const rows = mapped.map(({ camera: c, ...l }) => [
    ...[l.take, l.at, l.lens, l.focalMm, focusCell(l.focusM), l.from, pathOf(l.map, 'undistort', format), pathOf(l.map, 'redistort', format)],
    ...[c.lens.widthPx, c.lens.heightPx, c.undistorted.widthPx, c.undistorted.heightPx, c.overscan.left, c.overscan.top],
  ]);
  return [
    ...files,
    { path: 'maps/maps.csv', what: 'which map belongs to which take, and where the recorded picture lies in the undistorted one', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) },
  ];
}

/** How many maps there would be, and how large they are at most: two 32-bit numbers a pixel. */
export function mapsOf(lenses: readonly TakeLens[]): { count: number; maxBytes: number } {
  const one = onceEach(withMap(lenses));
  return { count: 2 * one.length, maxBytes: one.reduce((sum, { camera: c }) => sum + 8 * (c.lens.widthPx * c.lens.heightPx + c.undistorted.widthPx * c.undistorted.heightPx), 0) };
}
