/**
 * What stands half typed in a field. It is on the device with each keystroke, so that a page that is killed while somebody types brings it
 * back; it leaves when the field's value is kept.
 */
const key = (recordId: string, field: string): string => `mesure-draft:${recordId}:${field}`;

export function readDraft(recordId: string, field: string): string | null {
  try {
    return globalThis.localStorage?.getItem(key(recordId, field)) ?? null;
  } catch {
    return null;
  }
}
/** The value of the field is ordered to be kept: what was typed leaves the device when the value is on it, unless somebody types on. */
export function dropDraft(recordId: string, field: string, kept: () => Promise<void>): void {
  const text = readDraft(recordId, field);
  if (text === null) return;
  // the order follows in the same turn of the page
  setTimeout(() => void kept().then(() => (readDraft(recordId, field) === text ? keepDraft(recordId, field, null) : undefined)), 0);
}
/** A draft of several fields; null where there is none, or none that can be read. */
export function readDraftFields<T>(recordId: string, field: string): T | null {
  try {
    return JSON.parse(readDraft(recordId, field) ?? 'null') as T | null;
  } catch {
    return null;
  }
}
export function keepDraft(recordId: string, field: string, text: string | null): void {
  try {
    if (text === null) globalThis.localStorage?.removeItem(key(recordId, field));
    else globalThis.localStorage?.setItem(key(recordId, field), text);
  } catch {
    // a browser that keeps nothing still takes the field when it is left
  }
}
