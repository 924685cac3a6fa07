import type { AnalysisKind } from '@mesure/contract';
import { Op, QueryTypes, type Transaction } from 'sequelize';
import { isDeepStrictEqual } from 'node:util';
import { NOW } from '../db/clock';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import type { ComputeInput } from './compute-types';
import type { AnalysisRow } from './model';

/** How long one computation of a kind may take, and whether it keeps a worker for long. */
export const KIND_LIMITS: Record<AnalysisKind, { seconds: number; large: boolean }> = {
  grid: { seconds: 300, large: false },
  'lens-files': { seconds: 900, large: false },
  sync: { seconds: 300, large: false },
  solve: { seconds: 1800, large: true },
  elsewhere: { seconds: 300, large: false },
  tracks: { seconds: 3600, large: true },
  walk: { seconds: 1800, large: true },
};

/** What one person may have open at once: a day's plates given in one go, and not a machine's whole night. */
export const MOST_OPEN = 200;
/** A small one goes before a large one of somebody who has no more than so many open besides: it holds nobody up. */
const SMALL_FIRST = 4;
/** One whose worker is gone has waited before. */
export const TAKEN_OVER = 1_000_000;

const OPEN = ['queued', 'running'] as const;

/**
 * Turns by person: each further one that somebody has open comes later, so that a single plate is not behind another's forty.
 * @throws ApiProblem TOO_MANY_ATTEMPTS
 */
export async function turnOf(db: Pick<Database, 'AnalysisRow'>, kind: AnalysisKind, askedBy: string, transaction: Transaction): Promise<number> {
  const open = await db.AnalysisRow.count({ where: { askedBy, status: { [Op.in]: [...OPEN] } }, transaction });
  if (open >= MOST_OPEN) throw new ApiProblem('TOO_MANY_ATTEMPTS', `${open} computations that you asked for are not done yet. The record is safe; start this one when some are.`);
  return (KIND_LIMITS[kind].large ? 0 : SMALL_FIRST) - open;
}

/**
 * One open computation a subject and kind: the same one asked for again is that one; one of another record, or otherwise chosen, takes the
 * place of those before it, which are stopped.
 */
export async function openAlready(db: Pick<Database, 'AnalysisRow'>, productionId: string, input: ComputeInput, subjectId: string, transaction: Transaction): Promise<AnalysisRow | null> {
  const open = await db.AnalysisRow.findAll({ where: { productionId, kind: input.kind, subjectId, status: { [Op.in]: [...OPEN] } }, order: [['createdAt', 'DESC']], transaction });
  const wanted = JSON.parse(JSON.stringify(input)) as unknown;
  const same = open.find((row) => !row.stopRequested && isDeepStrictEqual(row.input, wanted)) ?? null;
  for (const row of open)
    if (row !== same) {
      const [stopped] = await db.AnalysisRow.update({ status: 'stopped', finishedAt: NOW, stage: 'another took its place' }, { where: { id: row.id, status: 'queued' }, transaction });
      if (stopped === 0) await db.AnalysisRow.update({ stopRequested: true }, { where: { id: row.id, status: 'running' }, transaction });
    }
  return same;
}

/** How many are before those that wait, running ones among them; of all productions, since they share the workers. */
export async function aheadOf(db: Pick<Database, 'sequelize'>, ids: readonly string[]): Promise<Map<string, number>> {
  if (ids.length === 0) return new Map();
  const rows = await db.sequelize.query<{ id: string; ahead: string }>(
    `select w.id, (select count(*) from analyses a where a.id <> w.id and (a.status = 'running' or (a.status = 'queued'
       and (a.priority > w.priority or (a.priority = w.priority and a.created_at < w.created_at))))) as ahead
     from analyses w where w.id in (:ids) and w.status = 'queued'`,
    { replacements: { ids: [...ids] }, type: QueryTypes.SELECT },
  );
  return new Map(rows.map((r) => [r.id, Number(r.ahead)]));
}
