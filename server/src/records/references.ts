import { filesNamed, KINDS, type RecordKind } from '@mesure/contract';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { ownFiles } from '../files/own';
import { ApiProblem } from '../http/problem';

interface Reference {
  field: string;
  id: string;
  /** kinds, one of which it must be of */
  targets: string[];
}
/** Every id in a body that names another record. */
export const referencesOf = (kind: RecordKind, body: object): Reference[] =>
  Object.entries(KINDS[kind].references).flatMap(([field, targets]) => idsAt(body as Record<string, unknown>, field).map((at) => ({ ...at, targets: targets.split('|') })));

/** Every id in a body is of the production's own records, of the right kind: one query for all of them. */
export async function mustReferToOwn(db: Database, productionId: string, kind: RecordKind, body: object, transaction: Transaction): Promise<void> {
  const wanted = referencesOf(kind, body);
  if (wanted.length === 0) return;
  mustBeThere(wanted, await db.Entry.findAll({ where: { id: [...new Set(wanted.map((w) => w.id))], productionId }, attributes: ['id', 'kind'], transaction }));
}

/** @throws ApiProblem INVALID at the first field that names what is not there */
export function mustBeThere(wanted: readonly Reference[], found: readonly { id: string; kind: string }[]): void {
  const missing = wanted.find((w) => !found.some((f) => f.id === w.id && w.targets.includes(f.kind)));
  if (missing) {
    const message = `there is no such ${missing.targets.join(' or ')}`;
    throw new ApiProblem('INVALID', `${missing.field}: ${message}`, { fields: [{ field: missing.field, message }] });
  }
}

/**
 * Every file that a change names newly was given to this production: the store keeps the same bytes once for all, and who knows a hash of
 * another's has not thereby been given the file. What the record named before stays, so that an old loss does not stop every later change.
 */
export async function mustNameOwnFiles(db: Database, productionId: string, body: object, before: object | null, transaction?: Transaction): Promise<void> {
  const known = new Set(filesNamed(before).map((f) => f.sha256));
  const named = filesNamed(body).filter((f) => !known.has(f.sha256));
  if (named.length === 0) return;
  const own = await ownFiles(
    db,
    productionId,
    named.map((f) => f.sha256),
    transaction,
  );
  const files = named.filter((f) => !own.has(f.sha256));
  if (files.length === 0) return;
  throw new ApiProblem(
    'FILE_MISSING',
    `${files.map((f) => f.name).join(', ')}: this production was not given ${files.length === 1 ? 'this file' : 'these files'}. Give ${files.length === 1 ? 'it' : 'them'} again.`,
    { files },
  );
}

function idsAt(body: Record<string, unknown>, field: string): { field: string; id: string }[] {
  const [list, inner] = field.split('[].');
  if (!inner) return typeof body[field] === 'string' ? [{ field, id: body[field] }] : [];
  // asked before the schema has said what is wrong with it: anything may stand in a list
  const things = Array.isArray(body[list]) ? (body[list] as (Record<string, unknown> | null)[]) : [];
  return things.flatMap((thing, i) => (typeof thing?.[inner] === 'string' ? [{ field: `${list}.${i}.${inner}`, id: thing[inner] }] : []));
}
