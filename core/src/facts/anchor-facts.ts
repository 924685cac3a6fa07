import type { LengthFact } from './length-fact';

/** What was measured of a take and its set, as it ties a solve to the world. Metres and radians; each sigma is one standard deviation, the usual one where it is missing. */
export interface AnchorFacts {
  level?: readonly string[];
  origin?: string;
  heading?: readonly [string, string];
  lengths?: readonly LengthFact[];
  /** `last`: the last frame that was tracked */
  cameraHeights?: readonly { frame: number | 'last'; m: number; sigmaM?: number }[];
  /** from the entrance pupil to a tracked mark */
  distances?: readonly { frame: number | 'last'; to: string; m: number; sigmaM?: number }[];
  /** as an inclinometer on the camera said: positive tilts the lens up, and rolls clockwise as seen from behind. They are compared, not forced */
  cameraAngles?: readonly { frame: number | 'last'; of: 'tilt' | 'roll'; rad: number; sigmaRad?: number }[];
  /**
   * where the camera was to stand and, where it is known, which way it was to look: positive heading is to the left of −Z, positive tilt up. A sigma is by
   * coordinate; places in a row fix no turn about it, which then stays as the camera was to look
   */
  cameraPlaces?: readonly { frame: number | 'last'; x: number; y: number; z: number; sigmaM: number; look?: { headingRad: number; tiltRad: number } }[];
  points?: readonly { track: string; x: number; y: number; z: number; sigmaM?: number }[];
}
