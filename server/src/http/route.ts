import type { Right } from '@mesure/contract';
import type { Request, RequestHandler, Response } from 'express';
import type { Schema } from 'joi';

/**
 * Who may come in. `open`: anybody, and it says so; `account`: whoever is signed in; a right: who has it in the production that the
 * address names. There is no default: a route without one does not compile.
 */
export type Access = 'open' | 'account' | Right;

/** One address. The server mounts it, the description of the interface is made from it, and a test walks all of them with every role. */
export interface Route {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete' | 'all';
  /** below /api; of a right, below /api/productions/:productionId */
  path: string;
  access: Access;
  /** what it does, in a sentence */
  what: string;
  /** what the request's body must be */
  body?: Schema;
  /** before the handler, in turn: limits on attempts */
  before?: RequestHandler | RequestHandler[];
  handle: (req: Request, res: Response) => unknown;
}

export const addressOf = (r: Route): string => (r.access === 'open' || r.access === 'account' ? r.path : `/productions/:productionId${r.path}`);
