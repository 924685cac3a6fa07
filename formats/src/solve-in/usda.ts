import { FOREIGN_UNITS, matToQuat, metresOf, mulMat3, mulMatVec, quatToMat, type ForeignFrame, type ForeignMove, type Mat3, type Quat, type TurnOrder, type Vec3 } from '@mesure/core';
import { FormatError } from '../format-error';
import { turnAbout, turnsInOrder } from './turns';
import { parseUsda, type Prim, type UsdValue } from './usda-text';

/** Where a prim stands in the one above it, at one time. */
interface Stand {
  turn: Mat3;
  size: number;
  at: Vec3;
}
const NOTHING: Stand = { turn: [1, 0, 0, 0, 1, 0, 0, 0, 1], size: 1, at: [0, 0, 0] };
/** What `a` does to what `b` does. */
const after = (a: Stand, b: Stand): Stand => ({ turn: mulMat3(a.turn, b.turn), size: a.size * b.size, at: mulMatVec(a.turn, b.at).map((v, k) => a.size * v + a.at[k]) as unknown as Vec3 });
/** Files are written with a few digits. */
const EVEN = 1e-3;

/**
 * The camera of a USD text file, through all prims above it, and the points of a Points prim whose `primvars:names` say what they are. Time codes are
 * frames, unless the file plays more or fewer of them a frame.
 * Source  OpenUSD, UsdGeomXformable (order of operations; matrices in rows), UsdGeomCamera (apertures and focal length in one unit).
 * @throws FormatError
 */
export function readUsdaMove(text: string, file: string): ForeignMove {
  const { metadata, prims } = parseUsda(text, file);
  const chains = cameraChains(prims);
  const moving = chains.filter((c) => c.some((p) => timesIn(p).length > 1));
  const chain = moving[0] ?? chains[0];
  if (!chain) throw new FormatError(file, null, null, 'holds no camera');
  if (moving.length > 1) throw new FormatError(file, null, null, `holds ${moving.length} cameras that move (${moving.map((c) => c[c.length - 1].name).join(', ')}); give a file with one`);
  const camera = chain[chain.length - 1];
  const perSecond = numberOf(metadata.get('timeCodesPerSecond')) ?? null;
  const fps = numberOf(metadata.get('framesPerSecond')) ?? perSecond;
  const codesPerFrame = perSecond !== null && fps !== null ? perSecond / fps : 1;
  const codes = [...new Set(chain.flatMap(timesIn))].sort((a, b) => a - b);
  const stated = numberOf(metadata.get('metersPerUnit'));
  // a unit without a name is brought to metres here
  const named = stated !== undefined && FOREIGN_UNITS.some((u) => u !== 'of the solve' && Math.abs(metresOf(u) / stated - 1) < 1e-6);
  const scale = stated === undefined || named ? 1 : stated;
  const ofSolve = isOfSolve(text);
  const times = codes.length > 0 ? codes : [numberOf(metadata.get('startTimeCode')) ?? 1];
  const frames = times.map((code): ForeignFrame => {
    const frame = code / codesPerFrame;
    if (Math.abs(frame - Math.round(frame)) > 1e-3) throw new FormatError(file, null, null, `time code ${code} lies between two frames: sample the move on whole frames`);
    const { turn, at } = chain.reduce((world, p) => after(world, standOf(p, code, file)), NOTHING);
    const focal = numberOf(valueAt(camera, 'focalLength', code));
    const aperture = numberOf(valueAt(camera, 'horizontalAperture', code));
    return { frame: Math.round(frame), position: at.map((v) => scale * v) as unknown as Vec3, rotation: matToQuat(turn), focal: focal && aperture ? { overWidth: focal / aperture } : null };
  });
  const size = valueAt(camera, 'undistortedPictureSize', times[0]);
  const upAxis = metadata.get('upAxis');
  return {
    format: 'USD text',
    frames,
    points: pointsOf(prims, times[0], file).map((p) => ({ ...p, at: p.at.map((v) => scale * v) as unknown as Vec3 })),
    metres: ofSolve ? 'of the solve' : (stated ?? null) === null ? null : named ? stated! : 1,
    up: upAxis === 'Y' || upAxis === 'Z' ? upAxis : null,
    pictureWidthPx: Array.isArray(size) ? (numberOf(size[0]) ?? null) : null,
    fps,
    notes: [
      ...(codesPerFrame === 1 ? [] : [`It counts ${codesPerFrame} time codes a frame.`]),
      ...(frames.length === 1 ? ['Its camera does not move.'] : []),
      ...(stated === undefined ? ['It does not say how long its unit is.'] : []),
    ],
  };
}

const numberOf = (v: UsdValue | null | undefined): number | undefined => (typeof v === 'number' ? v : undefined);
/** Ours says so where a solve has no scale: there `metersPerUnit` is a placeholder. */
const isOfSolve = (text: string): boolean => /string unit = "of the solve"/.test(text.slice(0, 20_000));

function cameraChains(prims: readonly Prim[], above: readonly Prim[] = []): Prim[][] {
  return prims.flatMap((p) => [...(p.type === 'Camera' ? [[...above, p]] : []), ...cameraChains(p.children, [...above, p])]);
}

const timesIn = (p: Prim): number[] => [...p.attributes].flatMap(([name, a]) => (a.samples && (name.startsWith('xformOp') || name === 'focalLength') ? a.samples.map(([code]) => code) : []));

/** An attribute at a time code: between two samples evenly, before and after them the nearest. */
function valueAt(p: Prim, name: string, code: number): UsdValue | null {
  const a = p.attributes.get(name);
  if (!a) return null;
  if (!a.samples || a.samples.length === 0) return a.value;
  let i = a.samples.findIndex(([c]) => c >= code);
  if (i < 0) i = a.samples.length - 1;
  if (i === 0 || a.samples[i][0] <= code) return a.samples[i][1];
  const [[c0, v0], [c1, v1]] = [a.samples[i - 1], a.samples[i]];
  return mixed(v0, v1, (code - c0) / (c1 - c0));
}
function mixed(a: UsdValue, b: UsdValue, t: number): UsdValue {
  if (typeof a === 'number' && typeof b === 'number') return a * (1 - t) + b * t;
  if (Array.isArray(a) && Array.isArray(b)) return a.map((v, i) => mixed(v, b[i], t));
  return a;
}

const numbers = (v: UsdValue | null, count: number, p: Prim, op: string, file: string): number[] => {
  const list = Array.isArray(v) ? v.flat(2) : v === null ? [] : [v];
  if (list.length !== count || !list.every((n) => typeof n === 'number')) throw new FormatError(file, null, op, `of ${p.name} is not made of ${count} numbers`);
  return list as number[];
};

function standOf(p: Prim, code: number, file: string): Stand {
  const order = p.attributes.get('xformOpOrder')?.value;
  const ops = Array.isArray(order) ? order.map(String) : [];
  if (ops.includes('!resetXformStack!')) throw new FormatError(file, null, 'xformOpOrder', `of ${p.name} leaves what stands above it: write the camera in the world`);
  return ops.reduce((stand, named) => after(stand, operation(p, named, code, file)), NOTHING);
}

function operation(p: Prim, named: string, code: number, file: string): Stand {
  const inverse = named.startsWith('!invert!');
  const op = inverse ? named.slice('!invert!'.length) : named;
  const kind = op.split(':')[1] ?? '';
  const value = valueAt(p, op, code);
  const is = (count: number) => numbers(value, count, p, op, file);
  const one = ((): Stand => {
    if (kind === 'translate') return { ...NOTHING, at: is(3) as unknown as Vec3 };
    if (kind === 'scale') return { ...NOTHING, size: evenly(is(3), p, file) };
    if (kind === 'orient') {
      // the real part comes first
      const [w, x, y, z] = is(4);
      const n = Math.hypot(w, x, y, z);
      return { ...NOTHING, turn: quatToMat([x / n, y / n, z / n, w / n] as Quat) };
    }
    const single = /^rotate([XYZ])$/.exec(kind)?.[1] as 'X' | 'Y' | 'Z' | undefined;
    if (single) return { ...NOTHING, turn: turnAbout(single, is(1)[0]) };
    const three = /^rotate([XYZ]{3})$/.exec(kind)?.[1] as TurnOrder | undefined;
    if (three) {
      const [X, Y, Z] = is(3);
      return { ...NOTHING, turn: turnsInOrder(three, { X, Y, Z }) };
    }
    if (kind === 'transform') return matrix(is(16), p, file);
    throw new FormatError(file, null, op, `of ${p.name} is not known`);
  })();
  if (!inverse) return one;
  const turn: Mat3 = [one.turn[0], one.turn[3], one.turn[6], one.turn[1], one.turn[4], one.turn[7], one.turn[2], one.turn[5], one.turn[8]];
  return { turn, size: 1 / one.size, at: mulMatVec(turn, one.at).map((v) => -v / one.size) as unknown as Vec3 };
}

function evenly(s: readonly number[], p: Prim, file: string): number {
  if (!(s[0] > 0) || s.some((v) => Math.abs(v / s[0] - 1) > EVEN)) throw new FormatError(file, null, 'xformOp:scale', `of ${p.name} stretches unevenly or mirrors`);
  return s[0];
}

/** Rows of the file are columns here: it multiplies rows from the left. */
function matrix(m: readonly number[], p: Prim, file: string): Stand {
  const rows = [0, 4, 8].map((k) => m.slice(k, k + 3));
  const sizes = rows.map((r) => Math.hypot(...r));
  const size = evenly(sizes, p, file);
  const [x, y, z] = rows.map((r) => r.map((v) => v / size));
  const turn: Mat3 = [x[0], y[0], z[0], x[1], y[1], z[1], x[2], y[2], z[2]];
  const det = x[0] * (y[1] * z[2] - y[2] * z[1]) - x[1] * (y[0] * z[2] - y[2] * z[0]) + x[2] * (y[0] * z[1] - y[1] * z[0]);
  if (Math.abs(det - 1) > 1e-3) throw new FormatError(file, null, 'xformOp:transform', `of ${p.name} shears or mirrors`);
  return { turn, size, at: m.slice(12, 15) as unknown as Vec3 };
}

function pointsOf(prims: readonly Prim[], code: number, file: string, world: Stand = NOTHING): { id: string; at: Vec3 }[] {
  return prims.flatMap((p) => {
    const here = after(world, standOf(p, code, file));
    const below = pointsOf(p.children, code, file, here);
    const names = p.attributes.get('primvars:names')?.value;
    const places = p.type === 'Points' ? valueAt(p, 'points', code) : null;
    if (!Array.isArray(places) || !Array.isArray(names)) return below;
    if (places.length !== names.length) throw new FormatError(file, null, 'primvars:names', `of ${p.name} holds ${names.length} names for ${places.length} points`);
    const mine = places.map((q, i) => ({ id: String(names[i]), at: after(here, { ...NOTHING, at: numbers(q, 3, p, 'points', file) as unknown as Vec3 }).at }));
    return [...mine, ...below];
  });
}
