import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';

/** Wrong ones that cost no waiting: a glove, a caps lock, the password of before. */
export const FREE_ATTEMPTS = 5;
/** A minute between guesses is two years for the weakest password that is taken (10^6 guesses), and nobody is locked out. */
export const LONGEST_WAIT_S = 60;
/** After a day without any they are forgotten. */
const FORGOTTEN = "interval '1 day'";

export interface SlowDown {
  /** before a password is looked at: counts it as wrong until it is known to be right. @throws ApiProblem TOO_MANY_ATTEMPTS with the seconds to wait */
  attempt(key: string, what?: 'password' | 'code'): Promise<void>;
  /** it was right */
  right(key: string): Promise<void>;
}

/**
 * Wrong passwords slow down the next one, twice as long each time: 1, 2, 4 … 60 seconds. One that comes too early is not looked at and costs
 * nothing. Counted in the database in one statement, so that many at once, and many web processes, are counted as one after the other.
 */
export function slowDownOf(db: Pick<Database, 'sequelize'>): SlowDown {
  return {
    async attempt(key, what = 'password') {
      const counted = await db.sequelize.query(
        `insert into sign_in_waits as w (key, wrong, next_at) values (:key, 1, now())
         on conflict (key) do update set
           wrong = case when w.next_at < now() - ${FORGOTTEN} then 1 else w.wrong + 1 end,
           next_at = case when w.next_at < now() - ${FORGOTTEN} or w.wrong < :free then now()
             else now() + least(:longest, power(2, least(w.wrong - :free, 30))) * interval '1 second' end
         where w.next_at <= now()
         returning wrong`,
        { replacements: { key, free: FREE_ATTEMPTS, longest: LONGEST_WAIT_S }, type: QueryTypes.SELECT },
      );
      if (counted.length > 0) return;
      const [wait] = await db.sequelize.query<{ seconds: number }>('select ceil(extract(epoch from next_at - now()))::int as seconds from sign_in_waits where key = :key', {
        replacements: { key },
        type: QueryTypes.SELECT,
      });
      const seconds = Math.max(1, wait?.seconds ?? 1);
      throw new ApiProblem(
        'TOO_MANY_ATTEMPTS',
        `The ${what} was wrong several times. Try again in ${seconds} second${seconds === 1 ? '' : 's'}; the right one is taken then.`,
        {},
        { 'Retry-After': String(seconds) },
      );
    },
    async right(key) {
      // the moment at which somebody is let in is the moment to clear what is forgotten
      await db.sequelize.query(`delete from sign_in_waits where key = :key or next_at < now() - ${FORGOTTEN}`, { replacements: { key } });
    },
  };
}
