/**
 * What a measured fact is worth where nobody said: one standard deviation. An instrument's stated tolerance is two of them.
 * The one table for every place that reads, plans, weighs or judges facts; the solve, the net, the forecast and the forms take theirs here.
 */
export const USUAL_SIGMA = {
  /** a tape between two marks, ± 5 mm */
  tieM: 0.0025,
  /** a laser between two marks, ± 2 mm */
  laserM: 0.001,
  /** a camera height over the floor, ± 10 mm */
  heightM: 0.005,
  /** from the camera to a thing, ± 10 mm */
  distanceM: 0.005,
  /** a level mark, put down by eye on a floor: ± 10 mm */
  levelM: 0.005,
  /** a surveyed place, by coordinate: ± 10 mm */
  surveyedM: 0.005,
  /** tilt or roll off an inclinometer, ± 0.2° */
  angleRad: (0.1 * Math.PI) / 180,
  /** a lens without a plate: how far its bend moves the corner of the picture, as a share of the corner's distance from the middle */
  bendAtCorner: 0.015,
  /** what defines an axis or an origin is no measurement: far below any */
  definitionM: 1e-4,
} as const;
