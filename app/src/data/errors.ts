import type { Problem } from '@mesure/contract';

/** The server could not be reached: nothing was decided, try again later. */
export class OfflineError extends Error {
  constructor() {
    super('The server cannot be reached. What you enter is kept on this device.');
  }
}

/** The server said no; `problem` says why. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}
