import { tableOf } from './warning';

const percent = (share: number): string => `${(100 * share).toFixed(0)} %`;

/** Of lens grids and straight edges. */
export const GRID = tableOf({
  SQUARE_ON_ONLY: () => 'One square-on plate cannot tell focal length from distance: the coefficients hold for the recorded focal length.',
  FOLDS_OVER: () => 'The fitted model folds over inside the frame: it must not be used at the border. Shoot a plate that fills the frame.',
  POOR_COVERAGE: (plates: number, share: number, empty: string | null) =>
    `${plates === 1 ? 'The chart covers' : 'The plates together cover'} ${percent(share)} of the frame${empty ? `, ${empty} empty` : ''}; beyond it the distortion is extrapolated.`,
  TILT_HIDES_FOCAL: () => 'The chart is tilted: its distance does not tell the focal length. Shoot it square-on.',
  CHART_TILTED: (deg: number) => `The chart is tilted by ${deg.toFixed(0)}°; square-on covers the frame more evenly.`,
  CORNERS_UNCERTAIN: (corners: number) =>
    `${corners} corners that may be of this chart, beyond something across it, were left out: how many cells lie between is not certain. Take away what stands there, or shoot past it from another side.`,
  CORNERS_LEFT_OUT: (corners: number) => `${corners} corners did not fit and were left out.`,
  PLATE_MOVED: (downPx: number, acrossPx: number) =>
    `Moved: edges are spread ${downPx.toFixed(1)} px along the chart's columns and ${acrossPx.toFixed(1)} px along its rows. Use a tripod and a short shutter.`,
  PLATE_SOFT: (where: readonly string[], worstPx: number, bestPx: number) =>
    `Soft in the ${where.join(', ')}: ${worstPx.toFixed(1)} px against ${bestPx.toFixed(1)} px where it is sharpest. The chart is out of focus there, or not square-on.`,
  PLATE_CONTRADICTS: (words: string) => words,
  EDGES_SHORT: (share: number) => `The edges reach only ${percent(share)} of the way to the corner: beyond that the distortion is extrapolated. Mark edges near the border.`,
  EDGE_MARKS_LEFT_OUT: (dropped: number, of: number) => `${dropped} of ${of} marks lie off their edges and were left out.`,
  EDGES_DO_NOT_TELL: (term: string, value: number, sigma: number) =>
    `${term} is ${value.toFixed(4)} ± ${sigma.toFixed(4)}: these edges do not tell it from none. Edges through the middle of the picture stay straight whatever the lens.`,
  EDGES_TELL_BEND_ONLY: () => 'Straight edges tell the distortion only: not focal length, squeeze or tilt.',
  /** the plate's own reason stands beside it */
  PLATE_REFUSED: (words: string) => words,
  GIVEN_BENDS_NOTHING: () => 'It bends nothing: every place stays where it is. A file of another setting, or an empty one.',
  GIVEN_ROUNDED: (px: number) => `Its values are rounded to ${px < 1 ? px.toFixed(2) : px.toFixed(1)} px of the picture. Ask for the map in 32-bit float.`,
  GIVEN_HOLES: (share: number) => `${percent(share)} of the map has no value.`,
  GIVEN_STRETCHED: (ratio: number) =>
    `The undistorted picture's pixels are not as wide as they are read: ${ratio.toFixed(3)} times that would make the middle even. Say so, or the lens is read as stretched.`,
  GIVEN_TILTED: (deg: number) => `The map tilts or turns the picture by ${deg.toFixed(2)}° besides bending it: stabilised, or corrected for perspective. That part is not taken over.`,
  NO_PLATE: () => 'No plate was given.',
});
