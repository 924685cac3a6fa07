/** What was measured of a take and its set, as it ties a solve to the world. Metres and radians; each sigma is one standard deviation, the usual one where it is missing. */
export interface AnchorFacts {
  level?: readonly string[];
  origin?: string;
  heading?: readonly [string, string];
  lengths?: readonly { a: string; b: string; m: number; sigmaM?: number }[];
  /** `last`: the last frame that was tracked */
  cameraHeights?: readonly { frame: number | 'last'; m: number; sigmaM?: number }[];
  /** from the entrance pupil to a tracked mark */
  distances?: readonly { frame: number | 'last'; to: string; m: number; sigmaM?: number }[];
  /** as an inclinometer on the camera said: positive tilts the lens up, and rolls clockwise as seen from behind. They are compared, not forced */
  cameraAngles?: readonly { frame: number | 'last'; of: 'tilt' | 'roll'; rad: number; sigmaRad?: number }[];
  points?: readonly { track: string; x: number; y: number; z: number; sigmaM?: number }[];
}
