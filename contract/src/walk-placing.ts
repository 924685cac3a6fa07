import { focalOfStill, walkNeighbours, type AnchorFacts, type RecordedWalkLens, type StillStation, type WalkCamera } from '@mesure/core';
import { countedStills } from './stills';
import { lengthSigma, mountPackage, opticsOf, type Lookup, type MountedPackage } from './recorded-setup';
import type { StillBody, StillsPlan, TieBody } from './records';
import { surveyedPlaces, type SolvedNet } from './surveyed-anchors';

/** One picture of a walk as its placing is asked for. */
export interface StillToPlace {
  id: string;
  file: { sha256: string; name: string };
  widthPx: number;
  heightPx: number;
  focalPx: number;
  lens: string;
  /** null: nobody knows how large its sensor is */
  pxPerMm: number | null;
  focalBy: 'record' | 'file';
  station: StillStation;
  stationIndex: number;
  marks: { id: string; xPx: number; yPx: number }[];
}
export interface WalkToPlace {
  stills: StillToPlace[];
  /** by index of the stills */
  neighbours: [number, number][];
  /** the recorded camera's lens, to be judged; null where no picture is of it */
  recorded: RecordedWalkLens | null;
}

const FEWEST_STILLS = 3;

/** What a placing is asked of a walk and its pictures, or in words why it cannot be asked yet. */
export function walkToPlace(walk: StillsPlan, stills: readonly (StillBody & { id: string })[], find: Lookup): { asked: WalkToPlace } | { problem: string } {
  const counted = countedStills(stills).filter((s) => s.station < walk.stations.length);
  if (counted.length < FEWEST_STILLS) return { problem: `${counted.length} of at least ${FEWEST_STILLS} pictures of the walk have arrived.` };
  const pack = find('package', walk.packageId)?.body;
  const mounted = pack ? mountPackage(pack, find) : null;
  const m = mounted && !('missing' in mounted) ? mounted : null;
  if (m && m.lens.squeeze !== 1) return { problem: `${m.lens.name} squeezes its picture. Shoot the walk with a lens that does not: stills of a squeezed picture are not placed.` };
  const camera = m ? cameraOf(m) : null;
  const asked: StillToPlace[] = [];
  for (const s of counted) {
    const focal = focalOfStill({ widthPx: s.widthPx, heightPx: s.heightPx, notes: s.notes }, camera);
    if (!focal)
      return {
        problem: camera
          ? `${s.picture.name} comes from another camera than the walk's package, and its file does not say how long its lens is on 36 × 24 mm. Take it again with ${camera.body}, or remove it.`
          : `The walk's package is not complete, and ${s.picture.name} does not say how long its lens is. Complete the package in Kit.`,
      };
    asked.push({
      ...{ id: s.id, file: s.picture, widthPx: s.widthPx, heightPx: s.heightPx, focalPx: focal.focalPx, lens: focal.lens, pxPerMm: focal.pxPerMm, focalBy: focal.by },
      ...{ station: walk.stations[s.station], stationIndex: s.station },
      marks: (s.marks ?? []).map((q) => ({ id: q.mark, xPx: q.x, yPx: q.y })),
    });
  }
  const at = new Map(asked.map((s, i) => [s.stationIndex, i]));
  const judged = m && camera ? asked.find((s) => s.focalBy === 'record') : undefined;
  return {
    asked: {
      stills: asked,
      neighbours: walkNeighbours(walk.way, walk.stations).flatMap(([a, b]): [number, number][] => (at.has(a) && at.has(b) ? [[at.get(a)!, at.get(b)!]] : [])),
      recorded: judged
        ? { lens: judged.lens, pxPerMm: Math.max(judged.widthPx, judged.heightPx) / Math.max(camera!.sensorWidthMm, camera!.sensorHeightMm), setup: opticsOf(m!, m!.pack.focalMm) }
        : null,
    },
  };
}

const cameraOf = ({ body, mode, pack, adapter }: MountedPackage): WalkCamera => ({
  body: body.name,
  focalMm: pack.focalMm,
  adapterFactor: adapter?.factor ?? 1,
  sensorWidthMm: mode.sensorWidthMm,
  sensorHeightMm: mode.sensorHeightMm,
});

/** What was measured between the marks of the walk's set: places where the tape net has them, else the tapes themselves. */
export function walkMeasures(ties: readonly TieBody[], net: SolvedNet | null): AnchorFacts {
  const points = surveyedPlaces(net).map(({ id, at: [x, y, z], sigmaM }) => ({ track: id, x, y, z, sigmaM }));
  const placed = new Set(points.map((p) => p.track));
  return {
    points,
    // a fact must not count twice
    lengths: ties.filter((t) => !(placed.has(t.from) && placed.has(t.to))).map((t) => ({ a: t.from, b: t.to, m: t.length.valueM, sigmaM: lengthSigma(t.length) })),
  };
}
