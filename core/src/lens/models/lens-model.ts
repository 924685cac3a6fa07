/**
 * Groups of unknowns of a lens fit beyond a model's first ones and the poses. `focalRatio`: true focal length over the recorded one, seen only in
 * tilted plates (and by a fisheye). `aspect`: true width of a pixel on the subject against the recorded one, which is a squeeze that differs
 * from its mark. The others are a model's own coefficients.
 */
export const SHARED_TERMS = { center: ['cx', 'cy'], focalRatio: ['rho'], aspect: ['aspect'] } as const;
export type SharedTerm = keyof typeof SHARED_TERMS;

/**
 * One way in which a lens bends a picture: a file of its own, and a line in the table of `index.ts`. Coordinates are normalised by the focal length in
 * pixels about the centre; places are undistorted slopes.
 * @typeParam D its distortion, as it is kept in records and files
 */
export interface LensModel<D extends { model: string } = { model: string }, Term extends string = string> {
  /** coefficients in the order in which `listed` has them */
  coefficients: readonly string[];
  listed(d: D): readonly number[];
  made(c: ArrayLike<number>): D;
  /**
   * Undistorted → distorted with the derivatives that a fit needs. Without allocation: it runs for every observation of every iteration.
   * @param p the coefficients, in their order
   * @param out xd, yd; NaN where the model ends
   * @param j [∂xd/∂x, ∂xd/∂y, ∂yd/∂x, ∂yd/∂y]
   * @param c ∂xd by each coefficient, then ∂yd by each
   */
  forward(p: ArrayLike<number>, x: number, y: number, out: Float64Array, j: Float64Array | null, c: Float64Array | null): void;
  /** Distorted → undistorted of one lens; made once, since finding where a model folds takes a while. False where there is no inverse. */
  inverse(d: D): (xd: number, yd: number, out: Float64Array) => boolean;
  /** these coefficients bend nothing */
  straight(d: D): boolean;
  /** the same map of the picture with coefficients normalised by another focal length, `ratio` times the old one; null: they hold for their own only */
  renormalised: ((d: D, ratio: number) => D) | null;
  /** for a reader who knows nothing of this program */
  direction: 'undistorted to distorted' | 'distorted to undistorted';
  formula: readonly string[];
  /** which coefficients a term of a fit frees; '' are those that are always free */
  terms: Readonly<Partial<Record<Term, readonly string[]>>> & { '': readonly string[] };
  /** sets of terms that a fit tries and compares, the plainest first */
  candidates: readonly (readonly (Term | SharedTerm)[])[];
  /** the terms by which corners are foretold while a chart is searched for, where a radial fit will not do; null: another model does it as well */
  foretells: readonly (Term | SharedTerm)[] | null;
  /** coefficients by which the displacement is no sum: they are taken from a plate as they are when a book blends */
  unblended: readonly string[];
  /** when what stands between the plates of a book is of this model: with any plate of it, with plates of it only, or never (then radial stands for it) */
  between: 'any' | 'all' | 'never';
  /** an anamorphic picture is asked for this one when nobody says which */
  forSqueezed: boolean;
}

/** Every set with every extra. */
export const combined = <A extends string, B extends string>(sets: readonly (readonly A[])[], extras: readonly (readonly B[])[]): (A | B)[][] =>
  sets.flatMap((set) => extras.map((extra) => [...set, ...extra]));
