import { check, idSchema } from '@mesure/contract/schemas';
import type { Request } from 'express';
import type { Schema } from 'joi';
import { ApiProblem } from './problem';

/** The value as its schema says, or an INVALID problem that names every field at fault. */
export function must<T>(schema: Schema<T>, value: unknown): T {
  // a schema says what a value must be, not that there is one
  if (value === undefined) throw new ApiProblem('INVALID', 'The request says nothing: JSON is wanted.');
  const result = check(schema, value);
  if (result.problems) throw new ApiProblem('INVALID', result.problems.map((p) => `${p.field ? `${p.field}: ` : ''}${p.message}`).join('; '), { fields: result.problems });
  return result.value;
}

/** A part of the address that must be an id. */
export const idParam = (req: Request, name = 'id'): string => must(idSchema, req.params[name]) as string;
export const param = (req: Request, name: string): string => String(req.params[name]);
