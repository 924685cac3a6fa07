import type { Vec3 } from '../math';
import type { Detail, SetPiece } from './planned-setup';

/** From the world into the piece's own axes: its middle on the ground plan is 0, its underside is 0. */
export function toPiece(piece: SetPiece, at: Vec3): Vec3 {
  const [c, s] = [Math.cos(piece.turnRad), Math.sin(piece.turnRad)];
  const [x, z] = [at[0] - piece.xM, at[2] - piece.zM];
  return [c * x - s * z, at[1] - piece.baseM, s * x + c * z];
}

export function fromPiece(piece: SetPiece, own: Vec3): Vec3 {
  const [c, s] = [Math.cos(piece.turnRad), Math.sin(piece.turnRad)];
  return [piece.xM + c * own[0] + s * own[2], piece.baseM + own[1], piece.zM - s * own[0] + c * own[2]];
}

const turned = (piece: SetPiece, own: Vec3): Vec3 => {
  const [c, s] = [Math.cos(piece.turnRad), Math.sin(piece.turnRad)];
  return [c * own[0] + s * own[2], own[1], -s * own[0] + c * own[2]];
};

/** A sky and what has no size hides nothing. */
export const hasBody = (piece: SetPiece): boolean => piece.kind !== 'sky' && piece.widthM > 0 && piece.depthM > 0 && piece.heightM >= 0;

/** The eight corners: underside first, each ring turning the same way. */
export function pieceCorners(piece: SetPiece): Vec3[] {
  const [w, d] = [piece.widthM / 2, piece.depthM / 2];
  return [0, piece.heightM].flatMap((y) =>
    [
      [-w, -d],
      [w, -d],
      [w, d],
      [-w, d],
    ].map(([x, z]) => fromPiece(piece, [x, y, z])),
  );
}
/** Pairs of corners that are joined by an edge. */
export const PIECE_EDGES: readonly (readonly [number, number])[] = [
  [0, 1],
  [1, 2],
  [2, 3],
  [3, 0],
  [4, 5],
  [5, 6],
  [6, 7],
  [7, 4],
  [0, 4],
  [1, 5],
  [2, 6],
  [3, 7],
];

/** Skin of a piece that a ray may touch: a mark on it is not hidden by it. */
const SKIN_M = 0.02;

/**
 * Whether the piece stands between the two places; the last centimetres before `to` do not count, so that what sits on the piece is seen.
 */
export function hides(piece: SetPiece, from: Vec3, to: Vec3): boolean {
  const length = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]);
  return entersAt(piece, from, to, 1 - SKIN_M / Math.max(length, SKIN_M)) >= 0;
}

/** Where on the way from one place (0) to another (1) the piece is entered, before `most`; −1 when it is not. Slabs, Kay & Kajiya 1986. */
export function entersAt(piece: SetPiece, from: Vec3, to: Vec3, most = 1): number {
  const [c, s] = [Math.cos(piece.turnRad), Math.sin(piece.turnRad)];
  const fx = from[0] - piece.xM,
    fz = from[2] - piece.zM,
    tx = to[0] - piece.xM,
    tz = to[2] - piece.zM;
  const ax = c * fx - s * fz,
    az = s * fx + c * fz,
    ay = from[1] - piece.baseM;
  const dx = c * tx - s * tz - ax,
    dz = s * tx + c * tz - az,
    dy = to[1] - piece.baseM - ay;
  let enter = 0,
    leave = most;
  const halfX = piece.widthM / 2,
    halfZ = piece.depthM / 2;
  for (let axis = 0; axis < 3; axis += 1) {
    const a = axis === 0 ? ax : axis === 1 ? ay : az;
    const d = axis === 0 ? dx : axis === 1 ? dy : dz;
    const low = axis === 0 ? -halfX : axis === 1 ? 0 : -halfZ;
    const high = axis === 0 ? halfX : axis === 1 ? piece.heightM : halfZ;
    if (Math.abs(d) < 1e-12) {
      if (a < low || a > high) return -1;
      continue;
    }
    const t1 = (low - a) / d,
      t2 = (high - a) / d;
    enter = Math.max(enter, t1 < t2 ? t1 : t2);
    leave = Math.min(leave, t1 < t2 ? t2 : t1);
    // a floor has no height: it is entered and left at once
    if (enter > leave) return -1;
  }
  return enter;
}

/** Whether a place lies inside the piece. */
export function inside(piece: SetPiece, at: Vec3): boolean {
  const [x, y, z] = toPiece(piece, at);
  return Math.abs(x) < piece.widthM / 2 && Math.abs(z) < piece.depthM / 2 && y > 0 && y < piece.heightM;
}

/** Features that a tracker is taken to find on a piece; an assumption, stated where it is shown. */
export const DETAIL_FEATURES: Record<Detail, number> = { none: 0, some: 6, rich: 16 };

export interface SetFeature {
  id: string;
  pieceId: string;
  at: Vec3;
  normal: Vec3;
}

/** Radical inverse of a whole number: evenly spread without a pattern (Halton 1960). */
function halton(index: number, base: number): number {
  let result = 0;
  for (let f = 1 / base, i = index; i > 0; i = Math.floor(i / base), f /= base) result += f * (i % base);
  return result;
}

/** The natural features of a piece, spread over those of its faces that can be seen, by their areas. */
export function featuresOf(piece: SetPiece): SetFeature[] {
  const count = DETAIL_FEATURES[piece.detail];
  if (count === 0 || !hasBody(piece)) return [];
  const [w, d, h] = [piece.widthM, piece.depthM, piece.heightM];
  const faces: { area: number; normal: Vec3; at: (u: number, v: number) => Vec3 }[] = [
    { area: w * d, normal: [0, 1, 0], at: (u, v) => [(u - 0.5) * w, h, (v - 0.5) * d] },
    { area: w * h, normal: [0, 0, 1], at: (u, v) => [(u - 0.5) * w, v * h, d / 2] },
    { area: w * h, normal: [0, 0, -1], at: (u, v) => [(u - 0.5) * w, v * h, -d / 2] },
    { area: d * h, normal: [1, 0, 0], at: (u, v) => [w / 2, v * h, (u - 0.5) * d] },
    { area: d * h, normal: [-1, 0, 0], at: (u, v) => [-w / 2, v * h, (u - 0.5) * d] },
  ];
  const all = faces.reduce((sum, f) => sum + f.area, 0);
  // faces of less than a twentieth are edges, not surfaces
  const large = faces.filter((f) => f.area >= 0.05 * all);
  const whole = large.reduce((sum, f) => sum + f.area, 0);
  const out: SetFeature[] = [];
  for (const [f, face] of large.entries()) {
    const mine = Math.max(1, Math.round((count * face.area) / whole));
    for (let i = 1; i <= mine; i += 1) out.push({ id: `${piece.id}:${f}.${i}`, pieceId: piece.id, at: fromPiece(piece, face.at(halton(i, 2), halton(i, 3))), normal: turned(piece, face.normal) });
  }
  return out;
}
