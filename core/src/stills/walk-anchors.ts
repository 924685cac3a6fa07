import { bySpreadOfCameras } from '../anchor';
import type { AnchorFacts } from '../facts';
import { applySimilarity, distance, inLine, median, sub, type Similarity, type Vec3 } from '../math';
import type { LooseCamera } from '../solve';
import type { StillStation } from './plan-stills';

type Stationed = readonly { station?: StillStation }[];

/** By coordinate, how far from where they were to be taken pictures are at least; nobody stands where a plan says to the centimetre. */
const LEAST_OFF_M = 0.03;
/** Places that hold a world by themselves. */
const LEAST_PLACES = 3;

/**
 * What ties a walk to the world: places of marks that are pointed out, where there are enough of them; else lengths between such marks; else where the
 * pictures were to be taken from.
 * @param marks that are pointed out in enough pictures
 */
export function walkAnchors(measured: AnchorFacts, marks: ReadonlySet<string>, shots: Stationed, cameras: readonly LooseCamera[]): AnchorFacts {
  const points = (measured.points ?? []).filter((p) => marks.has(p.track));
  const lengths = (measured.lengths ?? []).filter((l) => marks.has(l.a) && marks.has(l.b));
  if (points.length >= LEAST_PLACES && !inLine(points.map(({ x, y, z }): Vec3 => [x, y, z]))) return { points, lengths };
  // two places say how far they are from each other, and no more
  const between = points.slice(1).map((p, i) => {
    const a = points[i];
    return { a: a.track, b: p.track, m: distance([a.x, a.y, a.z], [p.x, p.y, p.z]), sigmaM: Math.hypot(a.sigmaM ?? 0, p.sigmaM ?? 0) || undefined };
  });
  if (lengths.length + between.length > 0) return { lengths: [...lengths, ...between] };
  return { cameraPlaces: stationsAsFacts(shots, cameras) };
}

const onStations = (shots: Stationed, cameras: readonly LooseCamera[]) =>
  cameras.flatMap((c, camera) => {
    const station = shots[c.frame].station;
    return station ? [{ camera, frame: c.frame, to: station.at, look: { headingRad: station.headingRad, tiltRad: station.tiltRad } }] : [];
  });

/** Where pictures were to be taken from, as facts of where they were: each as good as the pictures were on their stations, which the middle of them says. */
function stationsAsFacts(shots: Stationed, cameras: readonly LooseCamera[]): NonNullable<AnchorFacts['cameraPlaces']> {
  const on = onStations(shots, cameras);
  const laid = bySpreadOfCameras({ stood: on, cameras });
  if (!laid) return [];
  const off = on.flatMap((o) => sub(applySimilarity(laid, cameras[o.camera].center), o.to).map(Math.abs));
  // a shift, a size and the turn across the row are laid through them, and take up their share
  const sigmaM = Math.max(LEAST_OFF_M, 1.4826 * median(off) * Math.sqrt(off.length / Math.max(1, off.length - 6)));
  return on.map(({ frame, to, look }) => ({ frame, x: to[0], y: to[1], z: to[2], sigmaM, look }));
}

/** A walk whose metre was measured, turned and moved onto the plan without being sized by it; null where too few pictures have a station. */
export function turnedOntoPlan(shots: Stationed, cameras: readonly LooseCamera[]): Similarity | null {
  return bySpreadOfCameras({ stood: onStations(shots, cameras), cameras }, 1);
}
