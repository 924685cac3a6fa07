import type { NewSecondStep, SecondStep } from '@mesure/contract';
import { Secret, TOTP } from 'otpauth';
import { QueryTypes } from 'sequelize';
import type { Database } from '../db/connect';
import { sha256 } from '../http/guard';
import { ApiProblem } from '../http/problem';
import { slowDownOf } from './slow-down';

/** RFC 6238 with the values that every authenticator takes: HMAC-SHA-1, six digits, half a minute. */
const PERIOD_S = 30;
const DIGITS = 6;
const SECRET_BYTES = 20;
/** A clock that is half a minute off, or a slow thumb. */
const PERIODS_OFF = 1;
/** A server on a set has no line to the time of the world: so far away a code is recognised, not taken, and the clocks are named. */
const PERIODS_LOOKED_AT = 3600 / PERIOD_S;
const RECOVERY_CODES = 10;
/** 80 bits: nobody guesses one, so that a plain hash of it is enough. */
const RECOVERY_BYTES = 10;

interface Row {
  secret: string;
  confirmed_at: Date | null;
  recovery: string[];
}

const problem = (message: string) => new ApiProblem('INVALID', `The code ${message}.`, { fields: [{ field: 'code', message }] });
const totp = (secret: string, label = '') => new TOTP({ issuer: 'Mesure', label, algorithm: 'SHA1', digits: DIGITS, period: PERIOD_S, secret: Secret.fromBase32(secret) });
const recoveryHash = (code: string): string => sha256(code.toUpperCase().replace(/[^A-Z2-7]/g, ''));
/** In fours, as somebody copies it from paper. */
const inFours = (text: string): string => text.match(/.{1,4}/g)!.join('-');

/**
 * The second step of a sign-in, for whoever switched it on: a code of an authenticator (RFC 6238), each taken once, or a recovery code.
 * Wrong ones slow the next one down as wrong passwords do.
 */
export function secondStepOf(db: Database) {
  const slow = slowDownOf(db);
  const run = <T extends object>(sql: string, values: Record<string, unknown>): Promise<T[]> => db.sequelize.query<T>(sql, { replacements: values, type: QueryTypes.SELECT });
  const rowOf = async (userId: string): Promise<Row | null> => (await run<Row>('select secret, confirmed_at, recovery from second_steps where user_id = :userId', { userId }))[0] ?? null;

  /** Which period the code is of. @throws ApiProblem INVALID, naming the clocks where the code is right at another time */
  function periodOf(secret: string, code: string, otherwise = ''): number {
    const now = Math.floor(Date.now() / 1000 / PERIOD_S);
    const off = totp(secret).validate({ token: code, window: PERIODS_LOOKED_AT });
    if (off === null) throw problem('is not right');
    if (Math.abs(off) <= PERIODS_OFF) return now + off;
    const minutes = Math.max(1, Math.round((Math.abs(off) * PERIOD_S) / 60));
    throw problem(
      `is that of ${minutes} minute${minutes === 1 ? '' : 's'} ${off < 0 ? 'ago' : 'ahead'}: this server’s clock says ${new Date().toISOString().slice(11, 16)} UTC. Set the clock that is wrong${otherwise}`,
    );
  }

  /** Each code opens once, also for two that come at the same moment. */
  async function spend(userId: string, row: Row, code: string): Promise<void> {
    const digits = code.replace(/\s/g, '');
    if (!/^\d+$/.test(digits)) {
      const hash = recoveryHash(code);
      const left = await run('update second_steps set recovery = recovery - :hash where user_id = :userId and jsonb_exists(recovery, :hash) returning user_id', { userId, hash });
      if (left.length === 0) throw problem('is not right, or was used before');
      return;
    }
    const period = periodOf(row.secret, digits, ', or use a recovery code');
    const taken = await run('update second_steps set last_period = :period where user_id = :userId and (last_period is null or last_period < :period) returning user_id', { userId, period });
    if (taken.length === 0) throw problem('was used already; the next one comes in half a minute');
  }

  async function newRecovery(userId: string): Promise<string[]> {
    const codes = Array.from({ length: RECOVERY_CODES }, () => inFours(new Secret({ size: RECOVERY_BYTES }).base32.toLowerCase()));
    const kept = await run('update second_steps set recovery = cast(:hashes as jsonb) where user_id = :userId and confirmed_at is not null returning user_id', {
      userId,
      hashes: JSON.stringify(codes.map(recoveryHash)),
    });
    if (kept.length === 0) throw new ApiProblem('INVALID', 'No code is asked for: there is nothing to recover.');
    return codes;
  }

  /** Of somebody whose password was right: nothing where no second step is on. @throws ApiProblem CODE_NEEDED without a code, INVALID for a wrong one */
  async function prove(userId: string, code: string | undefined): Promise<void> {
    const row = await rowOf(userId);
    if (!row?.confirmed_at) return;
    if (!code?.trim()) throw new ApiProblem('CODE_NEEDED', 'Enter the code that your authenticator shows, or one of your recovery codes.', { fields: [{ field: 'code', message: 'is needed' }] });
    const key = `code ${userId}`;
    await slow.attempt(key, 'code');
    await spend(userId, row, code);
    await slow.right(key);
  }

  return {
    prove,
    async state(userId: string): Promise<SecondStep> {
      const row = await rowOf(userId);
      return row?.confirmed_at ? { since: row.confirmed_at.toISOString(), recoveryLeft: row.recovery.length } : { since: null, recoveryLeft: 0 };
    },
    /** A secret for the authenticator; nothing is asked for before one of its codes was entered. */
    async begin(userId: string, name: string): Promise<NewSecondStep> {
      const secret = new Secret({ size: SECRET_BYTES }).base32;
      const made = await run(
        `insert into second_steps (user_id, secret) values (:userId, :secret)
         on conflict (user_id) do update set secret = :secret, last_period = null where second_steps.confirmed_at is null returning user_id`,
        { userId, secret },
      );
      if (made.length === 0) throw new ApiProblem('INVALID', 'It is on already. Switch it off first.');
      return { secret: inFours(secret), address: totp(secret, name).toString() };
    },
    /** The authenticator has the secret: from now on a code is asked for. Answers with the recovery codes, which are shown this once. */
    async confirm(userId: string, code: string): Promise<string[]> {
      const row = await rowOf(userId);
      if (!row || row.confirmed_at) throw new ApiProblem('INVALID', row ? 'It is on already.' : 'Begin it first.');
      const period = periodOf(row.secret, code.replace(/\s/g, ''));
      await run('update second_steps set confirmed_at = now(), last_period = :period where user_id = :userId returning user_id', { userId, period });
      return newRecovery(userId);
    },
    newRecovery,
    async off(userId: string): Promise<boolean> {
      return (await run('delete from second_steps where user_id = :userId returning user_id', { userId })).length > 0;
    },
  };
}
export type SecondSteps = ReturnType<typeof secondStepOf>;
