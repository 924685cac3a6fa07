import { createHash } from 'node:crypto';

/** The same name gives the same UUID (version 4 in form), so that a fresh demo has the addresses of the last one. */
export function idOf(name: string): string {
  const h = createHash('sha256').update(`mesure demo ${name}`).digest('hex');
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-4${h.slice(13, 16)}-a${h.slice(17, 20)}-${h.slice(20, 32)}`;
}
