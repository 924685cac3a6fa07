import type { RecordKind } from '@mesure/contract';
import type { Transaction } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';

/** Which fields of a kind name other records, and of which kind those must be; `a[].b` is a field of each thing in a list. */
const REFERENCES: Partial<Record<RecordKind, Record<string, RecordKind>>> = {
  package: { bodyId: 'body', lensId: 'lens', adapterId: 'adapter', secondAdapterId: 'adapter' },
  plate: { lensId: 'lens', packageId: 'package' },
  edges: { lensId: 'lens', packageId: 'package' },
  recce: { setupId: 'setup' },
  setup: { dayId: 'day', setId: 'set' },
  plan: { setupId: 'setup', packageId: 'package', 'witnesses[].packageId': 'package' },
  take: { setupId: 'setup', packageId: 'package', 'witnesses[].packageId': 'package' },
  tie: { setId: 'set' },
  fact: { setId: 'set' },
  sync: { takeId: 'take', packageId: 'package' },
  light: { setupId: 'setup' },
  still: { setupId: 'setup' },
  photo: { setId: 'set' },
  rig: { setupId: 'setup', packageId: 'package' },
};

/** Every id in a body is of the production's own records, of the right kind: one query for all of them. */
export async function mustReferToOwn(db: Database, productionId: string, kind: RecordKind, body: Record<string, unknown>, transaction: Transaction): Promise<void> {
  const wanted = Object.entries(REFERENCES[kind] ?? {}).flatMap(([field, target]) => idsAt(body, field).map((at) => ({ ...at, target })));
  if (wanted.length === 0) return;
  const found = await db.Entry.findAll({ where: { id: [...new Set(wanted.map((w) => w.id))], productionId }, attributes: ['id', 'kind'], transaction });
  const missing = wanted.find((w) => !found.some((f) => f.id === w.id && f.kind === w.target));
  if (missing) throw new ApiProblem('INVALID', `${missing.field}: there is no such ${missing.target}`, { fields: [{ field: missing.field, message: `there is no such ${missing.target}` }] });
}

function idsAt(body: Record<string, unknown>, field: string): { field: string; id: string }[] {
  const [list, inner] = field.split('[].');
  if (!inner) return typeof body[field] === 'string' ? [{ field, id: body[field] }] : [];
  const things = Array.isArray(body[list]) ? (body[list] as Record<string, unknown>[]) : [];
  return things.flatMap((thing, i) => (typeof thing[inner] === 'string' ? [{ field: `${list}.${i}.${inner}`, id: thing[inner] }] : []));
}
