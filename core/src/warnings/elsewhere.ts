import { tableOf } from './warning';

/** Of a solve that was made elsewhere. */
export const ELSEWHERE = tableOf({
  SIGMAS_ASSUMED: (focalPct: number, depthPerMille: number) =>
    `The file does not say how well it knows its camera: its focal length was taken as known to ${focalPct} %, its places to ${depthPerMille} ‰ of their distance from the camera.`,
  NO_NAMED_POINTS: () => 'None of its points has the name of a mark, so nothing ties its world to the set: give its points under the names of the marks, or say that its places are those of the set.',
  METRE_OFF: (pct: number, sigmaPct: number) => `By what was measured on the set its lengths are ${Math.abs(pct).toFixed(1)} % too ${pct > 0 ? 'long' : 'short'} (± ${sigmaPct.toFixed(1)} %).`,
});
