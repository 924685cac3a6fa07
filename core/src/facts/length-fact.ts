/** A length that was measured between two marks, m; the usual sigma where it is missing. */
export interface LengthFact {
  a: string;
  b: string;
  m: number;
  sigmaM?: number;
}

/** A fact before it is measured: of it is known how well it will be. */
export type Planned<F extends { m: number; sigmaM?: number }> = Omit<F, 'm' | 'sigmaM'> & { sigmaM: number };

/** A mark whose place will be surveyed; sigma by coordinate. */
export interface PlannedPlace {
  id: string;
  sigmaM: number;
}
