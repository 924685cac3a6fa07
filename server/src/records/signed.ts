import { KINDS, type RecordKind } from '@mesure/contract';
import { isDeepStrictEqual as equal } from 'node:util';

type Fields = Record<string, unknown>;
interface Signature {
  by: string;
  at: string;
}
const isSigned = (v: unknown): v is Fields & Signature => typeof v === 'object' && v !== null && typeof (v as Partial<Signature>).by === 'string';

/** A phone may be without a line for weeks; its clock may be a little ahead. What lies outside is the server's time. */
const EARLIEST_MS = 60 * 86_400_000;
const LATEST_MS = 10 * 60_000;

/**
 * Who said something, and when, is the server's to say: what is new in a change is signed with the person who sent it. Who gives back what
 * somebody else had said is told as that, "Ada for Ivo". What stood there before keeps its signature.
 */
export function signNew<B extends object>(kind: RecordKind, body: B, before: object | null, author: string, nowMs: number): B {
  const { signs = [] } = KINDS[kind];
  let next = body as unknown as Fields;
  const was = (before ?? {}) as Fields;
  const sign = (v: Fields & Signature): Fields => {
    const atMs = Date.parse(v.at);
    const plausible = atMs > nowMs - EARLIEST_MS && atMs < nowMs + LATEST_MS;
    const by = v.by === author || v.by.startsWith(`${author} for `) ? v.by : `${author} for ${v.by}`;
    return { ...v, by: by.slice(0, 120), at: plausible ? v.at : new Date(nowMs).toISOString() };
  };
  for (const path of signs) {
    if (path === '') next = before === null ? (isSigned(next) ? sign(next) : next) : { ...next, by: was.by, at: was.at };
    else if (path.endsWith('[]')) {
      const key = path.slice(0, -2);
      const old = Array.isArray(was[key]) ? (was[key] as unknown[]) : [];
      if (Array.isArray(next[key])) next = { ...next, [key]: (next[key] as unknown[]).map((v) => (isSigned(v) && !old.some((o) => equal(o, v)) ? sign(v) : v)) };
    } else if (isSigned(next[path]) && !equal(next[path], was[path])) next = { ...next, [path]: sign(next[path]) };
  }
  return next as unknown as B;
}
