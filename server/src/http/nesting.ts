import type { RequestHandler } from 'express';
import { ApiProblem } from './problem';

/** The deepest body of any kind has six levels; what goes beyond this was made to make a walker fall off its stack. */
const DEEPEST = 32;

/** Level by level, without a call for each: thousands of levels must not be what it warns of. */
function deeperThan(levels: number, thing: unknown): boolean {
  let here: unknown[] = [thing];
  for (let level = 0; here.length > 0; level += 1) {
    if (level > levels) return true;
    here = here.flatMap((t) => (typeof t === 'object' && t !== null ? Object.values(t) : []));
  }
  return false;
}

/** Refuses a body that is nested beyond all that can be meant, before anything walks it. */
export const shallowBody: RequestHandler = (req, _res, next) => {
  if (deeperThan(DEEPEST, req.body)) throw new ApiProblem('INVALID', `The body is nested more than ${DEEPEST} levels deep.`);
  next();
};
