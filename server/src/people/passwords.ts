import { zxcvbn, zxcvbnOptions } from '@zxcvbn-ts/core';
import * as common from '@zxcvbn-ts/language-common';
import pLimit from 'p-limit';
import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto';
import { ApiProblem } from '../http/problem';

/** RFC 7914 scrypt with 64 MiB of memory: a guess costs an attacker as much memory as it costs us. */
const COST: ScryptOptions = { N: 2 ** 16, r: 8, p: 1, maxmem: 128 * 1024 * 1024 };

/** Hashes run on the four threads that read and write files too: two of them stay free. */
const AT_ONCE = 2;
/** Some seconds of hashing: a whole crew that signs in at call time waits, a flood does not. */
const MOST_WAITING = 16;
const hashing = pLimit(AT_ONCE);

function derive(password: string, salt: Buffer): Promise<Buffer> {
  if (hashing.pendingCount >= MOST_WAITING) throw new ApiProblem('TOO_MANY_ATTEMPTS', 'Too many people are signing in at this moment. Try again in a few seconds.');
  return hashing(() => scrypted(password, salt));
}

const scrypted = (password: string, salt: Buffer): Promise<Buffer> =>
  new Promise((resolve, reject) => scrypt(password.normalize('NFKC'), salt, 32, COST, (error, key) => (error ? reject(error) : resolve(key))));

export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`;
}

export async function verifyPassword(password: string, stored: string): Promise<boolean> {
  const [scheme, salt, key] = stored.split('$');
  if (scheme !== 'scrypt' || !salt || !key) return false;
  const expected = Buffer.from(key, 'base64');
  return timingSafeEqual(await derive(password, Buffer.from(salt, 'base64')), expected);
}

/** Verified against when the name is unknown, so that both answers take the same time. */
export const NOBODY_HASH = `scrypt$${Buffer.alloc(16).toString('base64')}$${Buffer.alloc(32).toString('base64')}`;

export const SHORTEST_PASSWORD = 10;
/** Of zxcvbn's 0 to 4: from 2 on a guess needs more than 10^6 tries, which the limit on attempts makes years. */
const WEAKEST_SCORE = 2;
/** Longer ones are not looked at beyond this: the estimate's time grows with the square. */
const LOOKED_AT = 100;
zxcvbnOptions.setOptions({ dictionary: common.dictionary, graphs: common.adjacencyGraphs });

/** What speaks against a new password, in words; null when nothing does. `knownWords`: the person's and the production's names. */
export function passwordProblem(password: string, knownWords: readonly string[] = []): string | null {
  if (password.length < SHORTEST_PASSWORD) return `needs ${SHORTEST_PASSWORD} characters or more`;
  const { score } = zxcvbn(password.slice(0, LOOKED_AT), [...knownWords, 'mesure']);
  return score < WEAKEST_SCORE ? 'is one of those that are guessed first; take a few words that do not belong together' : null;
}

export async function hashNewPassword(password: string, knownWords: readonly string[]): Promise<string> {
  const problem = passwordProblem(password, knownWords);
  if (problem) throw new ApiProblem('INVALID', `The password ${problem}.`, { fields: [{ field: 'password', message: problem }] });
  return hashPassword(password);
}
