import type { Api } from './api';
import type { PicturesStore } from './pictures-store';
import type { RecordsStore } from './records-store';

/** Several entries in a row are told together. */
const TOLD_AFTER_MS = 2000;

/**
 * Tells the server how much this device still has to send (entries, pictures on the way, what needs a decision), so that others see on
 * whose phone something waits. Nothing of it is needed for the entries themselves: a failure is told again with the next change.
 */
export function tellWhatWaits(api: Pick<Api, 'tellWaiting'>, records: RecordsStore, pictures: PicturesStore): () => void {
  // what was told before a reload is not known here: it is told once more
  let told: number | null = null;
  let later: ReturnType<typeof setTimeout> | undefined;
  const count = () => records.getState().outbox.length + records.getState().onlyHere.length + pictures.getState().pictures.length;
  const look = () => {
    clearTimeout(later);
    if (count() === told || !records.getState().reachable) return;
    later = setTimeout(() => {
      const now = count();
      void api.tellWaiting(now).then(
        () => (told = now),
        () => undefined,
      );
    }, TOLD_AFTER_MS);
  };
  const ends = [records.subscribe(look), pictures.subscribe(look)];
  return () => {
    clearTimeout(later);
    ends.forEach((end) => end());
  };
}
