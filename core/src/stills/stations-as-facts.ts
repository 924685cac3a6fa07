import { bySpreadOfCameras } from '../anchor';
import type { AnchorFacts } from '../facts';
import { applySimilarity, median, sub } from '../math';
import type { LooseCamera } from '../solve';
import type { StillStation } from './plan-stills';

/** By coordinate, how far from where they were to be taken pictures are at least; nobody stands where a plan says to the centimetre. */
const LEAST_OFF_M = 0.03;

/**
 * Where pictures were to be taken from, as facts of where they were: each as good as the pictures were on their stations, which the middle of them says.
 * @returns none where too few pictures have a station, or all stand on one spot
 */
export function stationsAsFacts(shots: readonly { station?: StillStation }[], cameras: readonly LooseCamera[]): NonNullable<AnchorFacts['cameraPlaces']> {
  const on = cameras.flatMap((c, camera) => {
    const station = shots[c.frame].station;
    return station ? [{ camera, frame: c.frame, station, to: station.at, look: { headingRad: station.headingRad, tiltRad: station.tiltRad } }] : [];
  });
  const laid = bySpreadOfCameras({ stood: on, cameras });
  if (!laid) return [];
  const off = on.flatMap((o) => sub(applySimilarity(laid, cameras[o.camera].center), o.to).map(Math.abs));
  // a shift, a size and the turn across the row are laid through them, and take up their share
  const sigmaM = Math.max(LEAST_OFF_M, 1.4826 * median(off) * Math.sqrt(off.length / Math.max(1, off.length - 6)));
  return on.map(({ frame, to, look }) => ({ frame, x: to[0], y: to[1], z: to[2], sigmaM, look }));
}
