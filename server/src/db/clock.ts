import { literal, QueryTypes, type Transaction } from 'sequelize';
import type { Database } from './connect';

/**
 * The one clock of an installation is its database's: the machines beside it may be minutes or years off, and what one of them dates another
 * one compares. Whatever is kept and compared later is dated by it.
 */
export async function databaseNow(db: Pick<Database, 'sequelize'>, transaction?: Transaction): Promise<Date> {
  const [{ now }] = await db.sequelize.query<{ now: Date }>('select now() as now', { type: QueryTypes.SELECT, transaction });
  return now;
}

/** As a value of a column, in the statement itself. */
export const NOW = literal('now()') as unknown as Date;
/** So long before now, as a value to compare with. */
export const agoMs = (ms: number): Date => literal(`now() - interval '${Math.round(ms)} milliseconds'`) as unknown as Date;

export const inMs = (ms: number): Date => agoMs(-ms);

/** A server that was off over a weekend looks like a clock that moved: both wait. */
const MOVED_AHEAD = "interval '2 days'";
const MOVED_BACK = "interval '5 minutes'";
/** So long somebody has to see that the clock is wrong before anything is removed by it. */
const DOUBTED_MS = 24 * 3_600_000;

export interface ClockLook {
  now: Date;
  /** when it last stood somewhere else than it could have come to by itself; null: never seen */
  movedAt: Date | null;
  /** what was to be removed at a date may be removed now */
  trusted: boolean;
}

/** Looks at the clock and keeps where it stood. Asked every hour: between two looks it may go on by an hour, and a little. */
export async function lookAtClock(db: Pick<Database, 'sequelize'>): Promise<ClockLook> {
  const [{ now, moved_at }] = await db.sequelize.query<{ now: Date; moved_at: Date | null }>(
    `update installation set
       clock_moved_at = case when clock_seen_at is not null and (now() > clock_seen_at + ${MOVED_AHEAD} or now() < clock_seen_at - ${MOVED_BACK}) then now() else clock_moved_at end,
       clock_seen_at = now()
     where id = 1 returning now() as now, clock_moved_at as moved_at`,
    { type: QueryTypes.SELECT },
  );
  return { now, movedAt: moved_at, trusted: moved_at === null || now.getTime() - moved_at.getTime() >= DOUBTED_MS };
}
