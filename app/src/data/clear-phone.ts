import type { SessionInfo } from '@mesure/contract';
import { localCopyName, openLocalCopy } from './local-copy';

/** Half-typed text and where somebody was: his, on a phone that others use. What the light is set to is the phone's. */
const OWN = /^mesure-(draft:|last-film:|day$|folds$|session$)/;

/**
 * Takes a person's copies off this phone, of every film of his. A copy in which something waits to be sent stays, and its film is named:
 * it is the only place where that is.
 */
export async function clearPhone(session: SessionInfo): Promise<string[]> {
  const kept: string[] = [];
  for (const { id, name } of session.productions) {
    const copy = openLocalCopy(localCopyName(id, session.userId));
    const [{ outbox, onlyHere }, pictures] = await Promise.all([copy.readAll(), copy.readPictures()]);
    if (outbox.length + onlyHere.length + pictures.length > 0) kept.push(name);
    else await copy.forget();
  }
  try {
    // with something waiting, what was typed beside it may belong to it
    if (kept.length === 0) for (const key of Object.keys(globalThis.localStorage ?? {})) if (OWN.test(key)) globalThis.localStorage.removeItem(key);
  } catch {
    // a browser that keeps nothing has nothing to clear
  }
  return kept;
}
