import type { StoredRecord } from '@mesure/contract';
import type { LocalCopy, Waiting } from './local-copy';

/** The phone does not take what should be kept on it. */
export interface Trouble {
  why: string;
  /** entries and pictures that are in this page only, and would go with it */
  unkept: number;
}
interface Change {
  record: StoredRecord;
  waiting: Waiting;
}

/** Beyond every number that the disk gives: what is numbered here stays behind what it already has. */
const FIRST_HERE = 2 ** 40;

/** Without its number: the disk gives another one. */
const unnumbered = ({ seq: _seq, ...waiting }: Waiting): Waiting => waiting;

const whyOf = (error: unknown): string => {
  const { name, message } = error as { name?: string; message?: string };
  return name === 'QuotaExceededError' ? 'The phone has no room left for what is kept here.' : `The browser does not write to the phone (${message || name || String(error)}).`;
};

/**
 * A local copy whose writing never fails the one who writes: what the disk does not take (full, taken away, a browser that allows nothing)
 * stays in this page, is sent from here like everything else, and goes to the disk with the next change that it takes, in its order. Who
 * uses it hears of the trouble, since what is only here goes with the page.
 */
export function steadyCopy(local: LocalCopy, onTrouble: (trouble: Trouble | null) => void): LocalCopy {
  const unkept = new Map<number, Change>();
  const pictures = new Map<string, ArrayBuffer>();
  /** numbers given here, of changes that reached the disk after all */
  const onDisk = new Map<number, number>();
  let next = FIRST_HERE;
  let why: string | null = null;

  const tell = () => onTrouble(why === null ? null : { why, unkept: unkept.size + pictures.size });
  const fails = (error: unknown) => {
    why = whyOf(error);
    tell();
  };
  /** The disk took something: all is well again once nothing is only here. */
  const goes = () => {
    if (why === null) return;
    if (unkept.size + pictures.size === 0) why = null;
    tell();
  };
  /** What may be missing on the disk without harm: it is read from the server again. */
  async function attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
      goes();
    } catch (error) {
      fails(error);
    }
  }
  const diskSeq = (seq: number): number => onDisk.get(seq) ?? seq;

  return {
    ...local,
    async keepChanges(changes) {
      const before = [...unkept];
      try {
        const kept = await local.keepChanges([...before.map(([, change]) => change), ...changes]);
        before.forEach(([seq], i) => onDisk.set(seq, kept[i].seq!));
        for (const [seq] of before) unkept.delete(seq);
        goes();
        // once numbers were given here, later ones must stand behind them
        if (next === FIRST_HERE) return kept;
        return kept.slice(before.length).map((waiting) => {
          onDisk.set(next, waiting.seq!);
          return { ...waiting, seq: next++ };
        });
      } catch (error) {
        const here = changes.map(({ record, waiting }): Waiting => {
          unkept.set(next, { record, waiting });
          return { ...waiting, seq: next++ };
        });
        fails(error);
        return here;
      }
    },
    settle: (seq, record) => {
      unkept.delete(seq);
      return attempt(() => local.settle(diskSeq(seq), record));
    },
    rebase: (record, waiting, gone) => {
      for (const seq of gone) unkept.delete(seq);
      const mine = waiting.filter((w) => unkept.has(w.seq!));
      for (const w of mine) unkept.set(w.seq!, { record: record ?? unkept.get(w.seq!)!.record, waiting: unnumbered(w) });
      const theirs = waiting.filter((w) => !mine.includes(w)).map((w) => ({ ...w, seq: diskSeq(w.seq!) }));
      return attempt(() => local.rebase(record, theirs, gone.map(diskSeq)));
    },
    async mark(waiting) {
      const here = unkept.get(waiting.seq!);
      if (here) unkept.set(waiting.seq!, { ...here, waiting: unnumbered(waiting) });
      else await attempt(() => local.mark({ ...waiting, seq: diskSeq(waiting.seq!) }));
    },
    takeBatch: (records, place, gone, onlyHere) => attempt(() => local.takeBatch(records, place, gone, onlyHere)),
    setMeta: (key, value) => attempt(() => local.setMeta(key, value)),
    async keepPicture(picture, bytes) {
      try {
        await local.keepPicture(picture, bytes);
      } catch (error) {
        pictures.set(picture.id, bytes);
        fails(error);
      }
    },
    pictureBytes: async (id) => pictures.get(id) ?? local.pictureBytes(id),
    markPicture: (picture) => (pictures.has(picture.id) ? Promise.resolve() : attempt(() => local.markPicture(picture))),
    async dropPicture(id) {
      if (pictures.delete(id)) tell();
      else await attempt(() => local.dropPicture(id));
    },
  };
}
