/** Every refusal of the core has one of these codes; a code is never reused for another meaning. */
export type CoreErrorCode =
  | 'INVALID_OPTION' // an option is outside its stated range
  | 'NON_FINITE_INPUT' // a number is NaN or infinite
  | 'TOO_FEW_OBSERVATIONS' // fewer facts than unknowns
  | 'RANK_DEFICIENT' // the facts do not determine the unknowns
  | 'OUT_OF_DOMAIN' // a model was asked beyond where it can be inverted
  | 'AMBIGUOUS_INPUT' // typed text has two readings; the person must choose
  | 'UNREADABLE_INPUT'; // typed text has no reading

/** Bad input. `field` is the path of the value at fault, so that a form or a command line can point at it. */
export class CoreError extends Error {
  constructor(
    readonly code: CoreErrorCode,
    message: string,
    readonly field?: string,
  ) {
    super(message);
    this.name = 'CoreError';
  }
}

/** Text that can be meant in more than one way, or in one that nobody would expect: the person chooses, and nothing is guessed. */
export class AmbiguousInput extends CoreError {
  constructor(
    readonly why: string,
    /** what to write instead, each with one meaning, and that meaning in words */
    readonly readings: readonly { write: string; words: string }[],
    field?: string,
  ) {
    super('AMBIGUOUS_INPUT', `${why}: write ${readings.map((r) => r.write).join(' or ')}`, field);
  }
}

/** The caller asked to stop. It is neither bad input nor a failure, so it has its own class. */
export class CancelledError extends Error {
  constructor() {
    super('Stopped on request');
    this.name = 'CancelledError';
  }
}
