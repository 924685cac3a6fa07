import { KINDS, type RecordKind } from '@mesure/contract';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';

/** Every id in a body is of the production's own records, of the right kind: one query for all of them. */
export async function mustReferToOwn(db: Database, productionId: string, kind: RecordKind, body: Record<string, unknown>, transaction: Transaction): Promise<void> {
  const wanted = Object.entries(KINDS[kind].references).flatMap(([field, targets]) => idsAt(body, field).map((at) => ({ ...at, targets: targets.split('|') })));
  if (wanted.length === 0) return;
  const found = await db.Entry.findAll({ where: { id: [...new Set(wanted.map((w) => w.id))], productionId }, attributes: ['id', 'kind'], transaction });
  const missing = wanted.find((w) => !found.some((f) => f.id === w.id && w.targets.includes(f.kind)));
  if (missing) {
    const message = `there is no such ${missing.targets.join(' or ')}`;
    throw new ApiProblem('INVALID', `${missing.field}: ${message}`, { fields: [{ field: missing.field, message }] });
  }
}

function idsAt(body: Record<string, unknown>, field: string): { field: string; id: string }[] {
  const [list, inner] = field.split('[].');
  if (!inner) return typeof body[field] === 'string' ? [{ field, id: body[field] }] : [];
  const things = Array.isArray(body[list]) ? (body[list] as Record<string, unknown>[]) : [];
  return things.flatMap((thing, i) => (typeof thing[inner] === 'string' ? [{ field: `${list}.${i}.${inner}`, id: thing[inner] }] : []));
}
