import { Matrix, SVD } from 'ml-matrix';
import { applySimilarity, centroid, cross, distance, dot, meanTurn, mulMat3, mulMatVec, norm, normalize, scale, sub, transpose3, umeyama, type Mat3, type Similarity, type Vec3 } from '../math';

export interface StartInput {
  levelPoints: Vec3[];
  surveyed: { from: Vec3; to: Vec3 }[];
  /** cameras whose place is known, and which way they were to look */
  stood: { camera: number; to: Vec3; look?: { headingRad: number; tiltRad: number } }[];
  lengths: { a: Vec3; b: Vec3; m: number }[];
  cameraHeights: { at: Vec3; m: number }[];
  heading: [Vec3, Vec3] | null;
  origin: Vec3 | null;
  cameras: readonly { center: Vec3; up: Vec3; forward: Vec3 }[];
}

/** A rough similarity from the unanchored solve into the world, good enough for Gauss–Newton. `scaled` is false when nothing gave a scale. */
export function startSimilarity(input: StartInput): { similarity: Similarity; scaled: boolean; levelled: boolean } {
  if (input.surveyed.length >= 3) {
    return {
      similarity: umeyama(
        input.surveyed.map((s) => s.from),
        input.surveyed.map((s) => s.to),
      ),
      scaled: true,
      levelled: true,
    };
  }
  const stood = bySpreadOfCameras(input);
  if (stood) return { similarity: stood, scaled: true, levelled: true };
  const meanUp = normalize(input.cameras.reduce<Vec3>((s, c) => [s[0] + c.up[0], s[1] + c.up[1], s[2] + c.up[2]], [0, 0, 0]));
  let up = meanUp;
  let levelled = false;
  const ground = input.levelPoints.length > 0 ? centroid(input.levelPoints) : null;
  if (ground && input.levelPoints.length >= 3) {
    const m = new Matrix(input.levelPoints.map((p) => [...sub(p, ground)]));
    const svd = new SVD(m, { autoTranspose: true });
    const [, middle] = svd.diagonal;
    if (middle > 1e-6 * svd.diagonal[0]) {
      const v = svd.rightSingularVectors;
      const n: Vec3 = [v.get(0, 2), v.get(1, 2), v.get(2, 2)];
      const side = dot(n, sub(centroid(input.cameras.map((c) => c.center)), ground));
      // cameras stand above the floor; the sign by their own up when they are in its plane
      up = side * dot(n, meanUp) >= 0 || Math.abs(dot(n, meanUp)) > 0.5 ? scale(n, dot(n, meanUp) >= 0 ? 1 : -1) : scale(n, side >= 0 ? 1 : -1);
      levelled = true;
    }
  }
  let x: Vec3 = input.heading ? sub(input.heading[1], input.heading[0]) : cross(input.cameras[0].forward, up);
  x = sub(x, scale(up, dot(x, up)));
  if (norm(x) < 1e-9) x = cross(up, Math.abs(up[0]) < 0.9 ? [1, 0, 0] : [0, 0, 1]);
  x = normalize(x);
  const z = cross(x, up);
  let rotation: Mat3 = [...x, ...up, ...z] as unknown as Mat3;
  const [first, second] = input.surveyed;
  if (second) rotation = mulMat3(turnAboutUp(mulMatVec(rotation, sub(second.from, first.from)), sub(second.to, first.to)), rotation);
  let s = 1;
  let scaled = false;
  if (input.lengths.length > 0) {
    const measured = input.lengths.reduce((t, l) => t + l.m, 0);
    const found = input.lengths.reduce((t, l) => t + distance(l.a, l.b), 0);
    if (found > 1e-12) {
      s = measured / found;
      scaled = true;
    }
  } else if (input.surveyed.length === 2) {
    s = distance(input.surveyed[0].to, input.surveyed[1].to) / Math.max(1e-12, distance(input.surveyed[0].from, input.surveyed[1].from));
    scaled = true;
  } else if (ground) {
    const over = [...input.cameraHeights, ...input.surveyed.map((q) => ({ at: q.from, m: q.to[1] }))];
    const measured = over.reduce((t, h) => t + h.m, 0);
    const found = over.reduce((t, h) => t + dot(sub(h.at, ground), up), 0);
    if (over.length > 0 && found > 1e-12 && measured > 1e-12) {
      s = measured / found;
      scaled = true;
    }
  }
  const base = input.origin ?? ground ?? input.cameras[0].center;
  const moved = scale(mulMatVec(rotation, base), s);
  let similarity: Similarity = { scale: s, rotation, translation: [-moved[0], -moved[1], -moved[2]] };
  if (first) {
    // across by the survey; upwards by the ground, where there is one
    const there = applySimilarity(similarity, centroid(input.surveyed.map((q) => q.from)));
    const to = centroid(input.surveyed.map((q) => q.to));
    const up = ground ? 0 : to[1] - there[1];
    const t = similarity.translation;
    similarity = { ...similarity, translation: [t[0] + to[0] - there[0], t[1] + up, t[2] + to[2] - there[2]] };
  } else if (!input.origin) {
    const camera = applySimilarity(similarity, input.cameras[0].center);
    similarity = { ...similarity, translation: [similarity.translation[0] - camera[0], similarity.translation[1], similarity.translation[2] - camera[2]] };
  }
  return { similarity, scaled, levelled };
}

/** Cameras that have to stand apart by so much of their distances' own size for it to be one, m. */
const APART_M = 0.05;
const LEAST_STOOD = 3;

/**
 * By where cameras were to stand: turned as they were to look, sized and moved as their places lie. Null where too few say so, or all stand on one spot.
 * @param sized units of the world that is to be laid to a metre, where they are known; then it is only turned and moved
 * @param cameras centre, and up and forward of unit length, in the world that is to be laid
 */
export function bySpreadOfCameras({ stood, cameras }: Pick<StartInput, 'stood' | 'cameras'>, sized?: number): Similarity | null {
  const looks = stood.flatMap((s) => (s.look ? [{ ...s, look: s.look }] : []));
  if (stood.length < LEAST_STOOD || looks.length === 0) return null;
  const rotation = meanTurn(looks.map(({ camera, look }) => mulMat3(axesOfLook(look), transpose3(axesOf(cameras[camera])))));
  const there = centroid(stood.map((s) => s.to));
  const here = centroid(stood.map((s) => cameras[s.camera].center));
  let [along, square, spread] = [0, 0, 0];
  for (const s of stood) {
    const p = mulMatVec(rotation, sub(cameras[s.camera].center, here));
    const q = sub(s.to, there);
    along += dot(p, q);
    square += dot(p, p);
    spread += dot(q, q);
  }
  if (!(Math.sqrt(spread / stood.length) > APART_M && along > 0)) return null;
  const size = sized ?? along / square;
  const moved = scale(mulMatVec(rotation, here), size);
  return { scale: size, rotation, translation: sub(there, moved) };
}

/** Columns: right, up, back. */
function axesOf({ forward, up }: StartInput['cameras'][number]): Mat3 {
  const right = cross(forward, up);
  return [right[0], up[0], -forward[0], right[1], up[1], -forward[1], right[2], up[2], -forward[2]];
}

function axesOfLook({ headingRad, tiltRad }: { headingRad: number; tiltRad: number }): Mat3 {
  const [ch, sh, ct, st] = [Math.cos(headingRad), Math.sin(headingRad), Math.cos(tiltRad), Math.sin(tiltRad)];
  return [ch, st * sh, ct * sh, 0, ct, -st, -sh, st * ch, ct * ch];
}

/** The turn about Y that lays the level direction of one vector along that of another; none where either stands upright. */
function turnAboutUp(from: Vec3, to: Vec3): Mat3 {
  const c = from[0] * to[0] + from[2] * to[2];
  const s = from[2] * to[0] - from[0] * to[2];
  const n = Math.hypot(c, s);
  return n < 1e-12 ? [1, 0, 0, 0, 1, 0, 0, 0, 1] : [c / n, 0, s / n, 0, 1, 0, -s / n, 0, c / n];
}
