import { convexHull } from '../math';
import { hasBody, pieceCorners, type SetPiece } from '../setup';
import { shadowLengthM, type SunPlace } from './sun';

/** Longer shadows run off every plan. */
const LONGEST_M = 100;

/**
 * Outline of a piece's shadow on level ground at height 0, as seen from above (x, z): the hull of its footprint and of its upper edge, moved
 * away from the sun by the height over the tangent of the sun's elevation. Empty when the sun is down, or when the piece is flat on the ground.
 * @param northDeg where north is on the plan, clockwise from −Z as seen from above
 */
export function shadowOutline(piece: SetPiece, sun: SunPlace, northDeg: number): { x: number; y: number }[] {
  const top = piece.baseM + piece.heightM;
  if (!hasBody(piece) || top <= 0.05) return [];
  const away = ((northDeg + sun.azimuthDeg + 180) * Math.PI) / 180;
  const cast = (heightM: number) => Math.min(LONGEST_M, shadowLengthM(heightM, sun) ?? -1);
  if (cast(top) < 0) return [];
  return convexHull(pieceCorners(piece).map((c) => ({ x: c[0] + cast(Math.max(0, c[1])) * Math.sin(away), y: c[2] - cast(Math.max(0, c[1])) * Math.cos(away) })));
}
