import type { Problem, ProblemCode } from '@mesure/contract';
import { CoreError } from '@mesure/core';
import { FormatError } from '@mesure/formats';
import type { ErrorRequestHandler, RequestHandler } from 'express';
import { ConnectionError, DatabaseError } from 'sequelize';

const STATUS: Record<ProblemCode, [number, string]> = {
  NOT_SIGNED_IN: [401, 'Not signed in'],
  WRONG_SIGN_IN: [401, 'Name or password is wrong'],
  CODE_NEEDED: [401, 'A code is needed too'],
  TOO_MANY_ATTEMPTS: [429, 'Too many attempts'],
  BAD_CSRF: [403, 'The request did not come from this page'],
  FORBIDDEN: [403, 'Not allowed'],
  NOT_FOUND: [404, 'Not found'],
  INVALID: [422, 'Something entered is not right'],
  STALE: [409, 'Changed by somebody else meanwhile'],
  TOO_LARGE: [413, 'Too large'],
  UNREADABLE_FILE: [422, 'The file cannot be read'],
  NO_ROOM: [413, 'No room'],
  FILE_MISSING: [422, 'A file is missing'],
  NOT_READY: [409, 'Something is missing first'],
  UNAVAILABLE: [503, 'The database cannot be reached'],
  INTERNAL: [500, 'Something failed here'],
};

/** An answer that is not the one asked for. Handlers throw it; one error handler writes it. */
export class ApiProblem extends Error {
  constructor(
    readonly code: ProblemCode,
    readonly detail: string,
    readonly extra: Pick<Problem, 'fields' | 'current' | 'base' | 'clashes' | 'files'> = {},
    /** of the answer, such as when to come again */
    readonly headers: Record<string, string> = {},
  ) {
    super(detail);
  }
}

export const notFound: RequestHandler = (req) => {
  throw new ApiProblem('NOT_FOUND', `There is nothing at ${req.path}`);
};

/** The one place that turns an error into an HTTP answer; `onFault` hears of those that are the server's own. */
export const problemHandler =
  (onFault: (what: string, requestId: string) => void): ErrorRequestHandler =>
  (error, req, res, next) => {
    if (res.headersSent) {
      next(error);
      return;
    }
    const known = toProblem(error);
    if (known.code === 'UNAVAILABLE') req.log?.warn({ err: error }, 'database away');
    if (known.code === 'INTERNAL') {
      req.log?.error({ err: error }, 'request failed');
      onFault(`${req.method} ${(req.route as { path?: string } | undefined)?.path ?? '/'}: ${error instanceof Error ? error.name : 'fault'}`, String(req.id ?? ''));
    }
    const [status, title] = STATUS[known.code];
    const body: Problem = { type: 'about:blank', title, status, code: known.code, detail: known.detail, instance: String(req.id ?? ''), ...known.extra };
    res.set(known.headers);
    res.status(status).type('application/problem+json').send(JSON.stringify(body));
  };

/** PostgreSQL, class 57: ended by its keeper, or just starting; class 08: the connection broke. */
const AWAY = /^(57P0[123]|08\w{3}|ECONNRESET|ECONNREFUSED|EPIPE)$/;
/** Away, starting, or too busy to give a connection: it comes back, and what was asked was not done. */
function isDatabaseAway(error: unknown): boolean {
  if (error instanceof ConnectionError) return true;
  const parent = (error as { parent?: { code?: string; message?: string } }).parent;
  return error instanceof DatabaseError && (AWAY.test(parent?.code ?? '') || parent?.message === 'Connection terminated unexpectedly');
}

function toProblem(error: unknown): ApiProblem {
  if (error instanceof ApiProblem) return error;
  if (error instanceof FormatError) return new ApiProblem('UNREADABLE_FILE', error.message, error.field ? { fields: [{ field: error.field, message: error.message }] } : {});
  if (error instanceof CoreError) return new ApiProblem('INVALID', error.message, error.field ? { fields: [{ field: error.field, message: error.message }] } : {});
  if (isDatabaseAway(error))
    return new ApiProblem('UNAVAILABLE', 'The server’s database cannot be reached at the moment. What you entered stays on this device and is sent again.', {}, { 'Retry-After': '3' });
  const e = error as { type?: string; code?: string; status?: number };
  if (e.code === 'LIMIT_FILE_SIZE' || e.type === 'entity.too.large') return new ApiProblem('TOO_LARGE', 'The upload is larger than allowed; nothing was kept.');
  // what the parser of bodies does not take, such as a charset that does not exist (415), is the sender's
  const his = e.status !== undefined && e.status >= 400 && e.status < 500;
  if (e.type === 'entity.parse.failed' || (typeof e.code === 'string' && e.code.startsWith('LIMIT_')) || his) return new ApiProblem('INVALID', 'The request cannot be read.');
  return new ApiProblem('INTERNAL', 'The request failed on the server. What was saved before is safe; try again.');
}
