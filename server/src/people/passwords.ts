import { zxcvbn, zxcvbnOptions } from '@zxcvbn-ts/core';
import * as common from '@zxcvbn-ts/language-common';
import pLimit from 'p-limit';
import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto';
import { ApiProblem } from '../http/problem';

/** RFC 7914 scrypt, the base-two logarithm of N: 64 MiB of memory. A guess costs an attacker as much memory as it costs us. */
const COST_LOG2 = 16;
const BLOCK_SIZE = 8;
/** What a stored hash may ask for: more would hold the server up, less is none. */
const LEAST_LOG2 = 10;
const MOST_LOG2 = 18;
const optionsOf = (costLog2: number): ScryptOptions => ({ N: 2 ** costLog2, r: BLOCK_SIZE, p: 1, maxmem: 2 * 128 * BLOCK_SIZE * 2 ** costLog2 });

/** Hashes run on the four threads that read and write files too: two of them stay free. */
const AT_ONCE = 2;
/** Some seconds of hashing: a whole crew that signs in at call time waits, a flood does not. */
const MOST_WAITING = 16;
const hashing = pLimit(AT_ONCE);

function derive(password: string, salt: Buffer, costLog2: number): Promise<Buffer> {
  if (hashing.pendingCount >= MOST_WAITING) throw new ApiProblem('TOO_MANY_ATTEMPTS', 'Too many people are signing in at this moment. Try again in a few seconds.');
  return hashing(() => scrypted(password, salt, costLog2));
}

const scrypted = (password: string, salt: Buffer, costLog2: number): Promise<Buffer> =>
  new Promise((resolve, reject) => scrypt(password.normalize('NFKC'), salt, 32, optionsOf(costLog2), (error, key) => (error ? reject(error) : resolve(key))));

const unpadded = (bytes: Buffer) => bytes.toString('base64').replace(/=+$/, '');
const written = (costLog2: number, salt: Buffer, key: Buffer) => `$scrypt$ln=${costLog2},r=${BLOCK_SIZE},p=1$${unpadded(salt)}$${unpadded(key)}`;

/** As a PHC string: each hash names its own cost, so that the cost can be raised and old ones stay good. */
export async function hashPassword(password: string, costLog2: number = COST_LOG2): Promise<string> {
  const salt = randomBytes(16);
  return written(costLog2, salt, await derive(password, salt, costLog2));
}

/** The form of before named no cost: scrypt$salt$key. */
const FORM = new RegExp(`^(?:\\$scrypt\\$ln=(\\d+),r=${BLOCK_SIZE},p=1|scrypt)\\$([\\w+/]+=*)\\$([\\w+/]+=*)$`);

export async function verifyPassword(password: string, stored: string): Promise<boolean> {
  const [, named, salt, key] = FORM.exec(stored) ?? [];
  const costLog2 = named ? Number(named) : COST_LOG2;
  const expected = Buffer.from(key ?? '', 'base64');
  if (!salt || expected.length !== 32 || costLog2 < LEAST_LOG2 || costLog2 > MOST_LOG2) return false;
  return timingSafeEqual(await derive(password, Buffer.from(salt, 'base64'), costLog2), expected);
}

/** Verified against when the name is unknown, so that both answers take the same time. */
export const NOBODY_HASH = written(COST_LOG2, Buffer.alloc(16), Buffer.alloc(32));

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
