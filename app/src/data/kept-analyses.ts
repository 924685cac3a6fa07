import type { Analysis } from '@mesure/contract';
import type { KeptAnalyses } from './analyses-store';
import type { LocalCopy } from './local-copy';

/** Whole outcomes are up to a few megabytes each; a person looks at these few again before the next line. */
const MOST_WHOLE = 16;
/** Of a long film the list is megabytes, and it is asked for after each change. */
const WRITE_PAUSE_MS = 800;
const wholeKey = (id: string): string => `analysis ${id}`;

/** What this device keeps of what the server computed. It can be had again: it makes room before anything that was entered does. */
export function keptAnalyses(local: Pick<LocalCopy, 'getMeta' | 'setMeta' | 'dropMeta'>) {
  let writing: ReturnType<typeof setTimeout> | undefined;
  return {
    read: () => local.getMeta<KeptAnalyses>('analyses'),
    write(kept: KeptAnalyses): void {
      clearTimeout(writing);
      writing = setTimeout(() => void local.setMeta('analyses', kept).catch(() => undefined), WRITE_PAUSE_MS);
    },
    readWhole: (id: string) => local.getMeta<Analysis>(wholeKey(id)),
    async writeWhole(a: Analysis): Promise<void> {
      const before = (await local.getMeta<string[]>('analyses looked at')) ?? [];
      const ids = [a.id, ...before.filter((id) => id !== a.id)];
      await local.setMeta(wholeKey(a.id), a);
      await local.setMeta('analyses looked at', ids.slice(0, MOST_WHOLE));
      for (const id of ids.slice(MOST_WHOLE)) await local.dropMeta(wholeKey(id));
    },
  };
}
