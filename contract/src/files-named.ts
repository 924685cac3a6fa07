import type { FileRef } from './kinds/shared';

/** Properties without which a record would not be: a plate without its picture is none. */
const NEEDED = new Set(['picture', 'file', 'manifest']);

const isFile = (thing: unknown): thing is FileRef =>
  typeof thing === 'object' && thing !== null && typeof (thing as Partial<FileRef>).sha256 === 'string' && typeof (thing as Partial<FileRef>).name === 'string';

/** Every file that a thing names, at any depth. */
export function filesNamed(thing: unknown): FileRef[] {
  if (typeof thing !== 'object' || thing === null) return [];
  if (isFile(thing)) return [{ sha256: thing.sha256, name: thing.name }];
  return Object.values(thing).flatMap(filesNamed);
}

/** A body that no longer names these files; null when it would be nothing without one of them. */
export function withoutFiles<B extends object>(body: B, hashes: ReadonlySet<string>): B | null {
  const gone = (v: unknown) => isFile(v) && hashes.has(v.sha256);
  if (Object.entries(body).some(([key, v]) => gone(v) && NEEDED.has(key))) return null;
  return Object.fromEntries(Object.entries(body).map(([key, v]) => [key, gone(v) ? null : Array.isArray(v) ? v.filter((one) => !gone(one)) : v])) as B;
}
