import { createHmac } from 'node:crypto';

const BASE32 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567';
const PERIOD_S = 30;

/** What an authenticator on a phone shows for a secret: RFC 6238 by its text, six digits, apart from what the server uses. */
export function shownCode(secret: string, atMs = Date.now()): string {
  const bits = [...secret.replace(/[^A-Z2-7]/g, '')].map((c) => BASE32.indexOf(c).toString(2).padStart(5, '0')).join('');
  const key = Buffer.from(bits.match(/.{8}/g)!.map((b) => parseInt(b, 2)));
  const counter = Buffer.alloc(8);
  counter.writeBigUInt64BE(BigInt(Math.floor(atMs / 1000 / PERIOD_S)));
  const mac = createHmac('sha1', key).update(counter).digest();
  return String((mac.readUInt32BE(mac[19] & 15) & 0x7fffffff) % 1_000_000).padStart(6, '0');
}
