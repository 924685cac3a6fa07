/** Room of a chart over frames: its size, and what is left free on each side for numbers, in the units of its own picture. */
export const W = 360,
  H = 150,
  L = 40,
  B = 28,
  T = 8,
  R = 8;
