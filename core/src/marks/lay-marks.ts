import { CoreError } from '../errors';
import { seededRandom, type Vec3 } from '../math';
import { fromPiece, type MarkKind, type PlannedMark, type SetPiece } from '../setup';

export interface LaidMarks {
  kind: MarkKind;
  diameterM: number;
  /** ids that are taken: new ones go on from the highest of the same letter */
  taken: readonly string[];
  /** letter of the new ids; default M */
  letter?: string;
}

/** Most marks that one call lays: a hand on a set places no more. */
const MOST = 400;
/** A mark stands this far off the surface that it is stuck to. */
const OFF_M = 0.002;

/** The next free ids of a letter: M7, M8 … */
export function nextMarkIds(taken: readonly string[], count: number, letter = 'M'): string[] {
  let last = 0;
  for (const id of taken) {
    const match = new RegExp(`^${letter}(\\d+)$`).exec(id);
    if (match) last = Math.max(last, Number(match[1]));
  }
  return Array.from({ length: count }, (_, i) => `${letter}${last + 1 + i}`);
}

export const MARK_FACES = ['front', 'back', 'left', 'right', 'top'] as const;
export type MarkFace = (typeof MARK_FACES)[number];

interface Face {
  acrossM: number;
  upM: number;
  normal: Vec3;
  at: (acrossM: number, upM: number) => Vec3;
}

function faceOf(piece: SetPiece, face: MarkFace): Face {
  const [w, d, h] = [piece.widthM, piece.depthM, piece.heightM];
  const [c, s] = [Math.cos(piece.turnRad), Math.sin(piece.turnRad)];
  const turn = (x: number, y: number, z: number): Vec3 => [c * x + s * z, y, -s * x + c * z];
  const place = (x: number, y: number, z: number) => fromPiece(piece, [x, y, z]);
  switch (face) {
    case 'front':
      return { acrossM: w, upM: h, normal: turn(0, 0, 1), at: (a, u) => place(a - w / 2, u, d / 2 + OFF_M) };
    case 'back':
      return { acrossM: w, upM: h, normal: turn(0, 0, -1), at: (a, u) => place(w / 2 - a, u, -d / 2 - OFF_M) };
    case 'right':
      return { acrossM: d, upM: h, normal: turn(1, 0, 0), at: (a, u) => place(w / 2 + OFF_M, u, d / 2 - a) };
    case 'left':
      return { acrossM: d, upM: h, normal: turn(-1, 0, 0), at: (a, u) => place(-w / 2 - OFF_M, u, a - d / 2) };
    case 'top':
      return { acrossM: w, upM: d, normal: [0, 1, 0], at: (a, u) => place(a - w / 2, h + OFF_M, u - d / 2) };
  }
}

const markOn = (id: string, laid: LaidMarks, at: Vec3, normal: Vec3, pieceId: string): PlannedMark => ({
  id,
  kind: laid.kind,
  diameterM: laid.diameterM,
  at,
  normal: laid.kind === 'ball' || laid.kind === 'lamp' ? null : normal,
  pieceId,
  ground: 'plain',
  placed: false,
});

/**
 * Marks over a face in even steps, centred on it.
 * @throws CoreError INVALID_OPTION when the spacing is not above the marks' size, or would need more marks than can be placed
 */
export function layGrid(piece: SetPiece, face: MarkFace, spacingM: number, laid: LaidMarks): PlannedMark[] {
  if (!(spacingM > laid.diameterM)) throw new CoreError('INVALID_OPTION', `A spacing of ${spacingM} m is not more than the marks' own ${laid.diameterM} m`, 'spacingM');
  const f = faceOf(piece, face);
  const across = Math.max(1, Math.floor((f.acrossM - laid.diameterM) / spacingM) + 1);
  const up = Math.max(1, Math.floor((f.upM - laid.diameterM) / spacingM) + 1);
  if (across * up > MOST) throw new CoreError('INVALID_OPTION', `${across * up} marks would be needed; a wider spacing than ${spacingM} m keeps it below ${MOST}`, 'spacingM');
  const ids = nextMarkIds(laid.taken, across * up, laid.letter);
  const out: PlannedMark[] = [];
  for (let j = 0; j < up; j += 1)
    for (let i = 0; i < across; i += 1)
      out.push(markOn(ids[out.length], laid, f.at((f.acrossM - (across - 1) * spacingM) / 2 + i * spacingM, (f.upM - (up - 1) * spacingM) / 2 + j * spacingM), f.normal, piece.id));
  return out;
}

/** Marks round an object at equal angles at a height over its underside, on its outside, facing outwards. */
export function layRing(piece: SetPiece, count: number, upM: number, laid: LaidMarks): PlannedMark[] {
  if (!(count >= 3 && count <= MOST)) throw new CoreError('INVALID_OPTION', `${count} marks are no ring; 3 to ${MOST} are`, 'count');
  const ids = nextMarkIds(laid.taken, count, laid.letter);
  const [w, d] = [piece.widthM / 2, piece.depthM / 2];
  return ids.map((id, i) => {
    const angle = (2 * Math.PI * (i + 0.5)) / count;
    const [x, z] = [Math.sin(angle), Math.cos(angle)];
    // out to the side of the box in this direction
    const reach = Math.min(w / Math.max(1e-9, Math.abs(x)), d / Math.max(1e-9, Math.abs(z)));
    const onSide = w / Math.max(1e-9, Math.abs(x)) < d / Math.max(1e-9, Math.abs(z));
    const own: Vec3 = onSide ? [Math.sign(x), 0, 0] : [0, 0, Math.sign(z)];
    const [c, s] = [Math.cos(piece.turnRad), Math.sin(piece.turnRad)];
    const normal: Vec3 = [c * own[0] + s * own[2], 0, -s * own[0] + c * own[2]];
    return markOn(id, laid, fromPiece(piece, [x * reach + own[0] * OFF_M, Math.min(upM, piece.heightM), z * reach + own[2] * OFF_M]), normal, piece.id);
  });
}

/** How unlike two neighbourhoods must be: steps of a pattern within this of each other could be taken for one another. */
const ALIKE = 0.1;
const CANDIDATES = 24;

/**
 * Marks scattered over a face, evenly but without a pattern: each new one is the candidate farthest from all others (best candidate,
 * Mitchell 1991), and one whose step to its nearest neighbour repeats a step that is there already counts for less, since a tracker may jump
 * from one mark to another whose surroundings look the same.
 */
export function layScatter(piece: SetPiece, face: MarkFace, count: number, laid: LaidMarks, seed = 1): PlannedMark[] {
  if (!(count >= 1 && count <= MOST)) throw new CoreError('INVALID_OPTION', `${count} marks cannot be scattered; 1 to ${MOST} can`, 'count');
  const f = faceOf(piece, face);
  const random = seededRandom(seed);
  const edge = laid.diameterM / 2;
  const [w, h] = [Math.max(0, f.acrossM - 2 * edge), Math.max(0, f.upM - 2 * edge)];
  const placed: [number, number][] = [];
  const steps: [number, number][] = [];
  const nearest = (a: number, u: number): [number, number, number] => {
    let best: [number, number, number] = [Infinity, 0, 0];
    for (const [x, y] of placed) {
      const d = Math.hypot(x - a, y - u);
      if (d < best[0]) best = [d, a - x, u - y];
    }
    return best;
  };
  const ids = nextMarkIds(laid.taken, count, laid.letter);
  for (let i = 0; i < count; i += 1) {
    let chosen: [number, number] = [edge + w / 2, edge + h / 2];
    let bestValue = -1;
    for (let c = 0; c < CANDIDATES; c += 1) {
      const [a, u] = [edge + random() * w, edge + random() * h];
      const [d, dx, dy] = nearest(a, u);
      const value = placed.length === 0 ? random() : d * (repeats(dx, dy, d) ? 0.5 : 1);
      if (value > bestValue) {
        bestValue = value;
        chosen = [a, u];
      }
    }
    const [, dx, dy] = nearest(...chosen);
    if (placed.length > 0) steps.push([dx, dy]);
    placed.push(chosen);
  }
  return placed.map(([a, u], i) => markOn(ids[i], laid, f.at(a, u), f.normal, piece.id));

  function repeats(dx: number, dy: number, d: number): boolean {
    return steps.some(([sx, sy]) => Math.min(Math.hypot(sx - dx, sy - dy), Math.hypot(sx + dx, sy + dy)) < ALIKE * d);
  }
}
