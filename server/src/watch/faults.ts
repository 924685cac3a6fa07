import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';

/** So many are kept; more of them say nothing new. */
const KEPT = 200;
/** The server's own faults alone: without bodies, ids or addresses of people. The log has the rest under the request's id. */
export interface Fault {
  at: string;
  what: string;
  requestId: string;
}

/** Never throws: what failed may be the database itself. */
export async function noteFault(db: Pick<Database, 'sequelize'>, what: string, requestId: string): Promise<void> {
  await db.sequelize
    .query('insert into faults (what, request_id) values ($what, $requestId)', { bind: { what: what.slice(0, 300), requestId }, type: QueryTypes.INSERT })
    .then(() => db.sequelize.query('delete from faults where id <= (select max(id) from faults) - $kept', { bind: { kept: KEPT }, type: QueryTypes.RAW }))
    .catch(() => undefined);
}

/** The newest first. */
export async function newestFaults(db: Pick<Database, 'sequelize'>, count: number): Promise<Fault[]> {
  const rows = await db.sequelize.query<{ at: Date; what: string; request_id: string }>('select at, what, request_id from faults order by id desc limit $count', {
    bind: { count },
    type: QueryTypes.SELECT,
  });
  return rows.map((r) => ({ at: r.at.toISOString(), what: r.what, requestId: r.request_id }));
}
