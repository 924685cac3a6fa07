import { sub, type Vec3 } from '../math';
import { adapterOf, projectAt, sharpZone, type SetupStudy } from './study-setup';
import { hasBody, PIECE_EDGES, pieceCorners } from './set-piece';

export interface WirePicture {
  /** edges of the set in the undistorted picture, px; cut off close before the camera */
  edges: { pieceId: string; moves: boolean; x1: number; y1: number; x2: number; y2: number }[];
  points: { id: string; mark: boolean; xPx: number; yPx: number; depthM: number; sizePx: number | null; seen: boolean; soft: boolean }[];
}

const NEAR_M = 0.05;

/** What the camera sees at moment `m` of the study, as lines. */
export function wirePicture(study: SetupStudy, m: number): WirePicture {
  const { setup, geometry } = study;
  const moment = study.moments[m];
  const mm = moment.focalMm * adapterOf(setup);
  const r = moment.toCamera;
  const toCamera = (at: Vec3): Vec3 => {
    const d = sub(at, moment.position);
    return [r[0] * d[0] + r[1] * d[1] + r[2] * d[2], r[3] * d[0] + r[4] * d[1] + r[5] * d[2], r[6] * d[0] + r[7] * d[1] + r[8] * d[2]];
  };
  const px = (c: Vec3): [number, number] => [geometry.centerXPx + (mm * geometry.pxPerMmX * c[0]) / c[2], geometry.centerYPx + (mm * geometry.pxPerMmY * c[1]) / c[2]];
  const edges: WirePicture['edges'] = [];
  for (const piece of setup.pieces.filter(hasBody)) {
    const corners = pieceCorners(piece).map(toCamera);
    for (const [i, j] of PIECE_EDGES) {
      let [a, b] = [corners[i], corners[j]];
      if (a[2] < NEAR_M && b[2] < NEAR_M) continue;
      if (a[2] < NEAR_M) [a, b] = [b, a];
      if (b[2] < NEAR_M) {
        const t = (a[2] - NEAR_M) / (a[2] - b[2]);
        b = [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), NEAR_M];
      }
      const [[x1, y1], [x2, y2]] = [px(a), px(b)];
      edges.push({ pieceId: piece.id, moves: piece.moves, x1, y1, x2, y2 });
    }
  }
  const depth = sharpZone(study, m);
  const n = study.points.length;
  const place = new Float64Array(3);
  const points = study.points.flatMap((point, p) => {
    projectAt(geometry, study.tracked[m].focalMm * adapterOf(setup), study.tracked[m], point.at, place);
    const [xPx, yPx, depthM] = place;
    if (depthM < NEAR_M) return [];
    const sizePx = point.diameterM === null ? null : (point.diameterM * mm * geometry.pxPerMmY) / depthM;
    return [{ id: point.id, mark: point.mark, xPx, yPx, depthM, sizePx, seen: study.seen[m * n + p] === 1, soft: depth !== null && (depthM < depth.nearM || depthM > depth.farM) }];
  });
  return { edges, points };
}
