import type { FieldClash, FileRef, LightPicture, RecordKind, RecordState, RecordWrite, SessionInfo, StoredRecord } from '@mesure/contract';
import { deleteDB, openDB, type DBSchema, type IDBPDatabase } from 'idb';

/** A change that waits to be sent. It leaves the box only when the server has it. */
export interface Waiting {
  seq?: number;
  recordId: string;
  kind: RecordKind;
  write: RecordWrite;
  /** waiting: will be sent. conflict, refused: needs the person. */
  state: 'waiting' | 'conflict' | 'refused';
  message: string | null;
  current: StoredRecord | null;
  /** of a conflict: what the change was made on, and the fields that somebody else changed too */
  base?: RecordState | null;
  clashes?: FieldClash[];
  /** of a refusal: files that the server was not given */
  files?: FileRef[];
}

/** The record that a picture is added to, where it makes none of its own. */
export interface PictureOwner {
  kind: 'take' | 'light';
  id: string;
  /** what stands beside the file there */
  beside: Omit<LightPicture, keyof FileRef> | null;
}

/** A picture that waits on this device, without its bytes; it leaves only when the server has it, or when a person drops it. */
export interface WaitingPicture {
  /** of the record that it becomes; its own where it is added to one */
  id: string;
  kind: 'plate' | 'edges' | 'recce' | 'still' | 'photo' | 'lineup' | 'added';
  sizeBytes: number;
  name: string;
  /** time of the frame, of a clip */
  atS: number | null;
  /** the record without its picture; of one that is added, its `PictureOwner` */
  body: object;
  addedAt: string;
  /** why the server did not take it; null while it may go */
  refused: string | null;
}

interface Schema extends DBSchema {
  pictures: { key: string; value: WaitingPicture };
  /** apart from what is listed: a dozen pictures do not fit into a phone's memory at once */
  pictureBytes: { key: string; value: ArrayBuffer };
  records: { key: string; value: StoredRecord };
  outbox: { key: number; value: Waiting };
  meta: { key: string; value: unknown };
}

/** How far this device has read, and of which database. */
export interface Place {
  cursor: number;
  epoch: string | null;
}

/** One copy for each person and film. */
export const localCopyName = (productionId: string, userId: string): string => `mesure-${productionId}-${userId}`;

const VERSION = 2;
export type LocalCopy = ReturnType<typeof openLocalCopy>;

/**
 * What this device keeps: the records, the outbox, and who is signed in. A change is in records and outbox together or in neither
 * (one IndexedDB transaction, flushed to disk), so that a reload or a dead battery loses nothing.
 */
export function openLocalCopy(name: string) {
  const opened: Promise<IDBPDatabase<Schema>> = openDB<Schema>(name, VERSION, {
    upgrade(db, from) {
      if (from < 1) {
        db.createObjectStore('records', { keyPath: 'id' });
        db.createObjectStore('outbox', { keyPath: 'seq', autoIncrement: true });
        db.createObjectStore('meta');
      }
      if (from < 2) {
        db.createObjectStore('pictures', { keyPath: 'id' });
        db.createObjectStore('pictureBytes');
      }
    },
    // another tab takes this person's copy off the phone: one that holds on to it would keep it there
    blocking(_now, wanted, event) {
      if (wanted === null) (event.target as IDBDatabase).close();
    },
  });
  async function read() {
    const tx = (await opened).transaction(['records', 'outbox', 'meta']);
    const meta = tx.objectStore('meta');
    const [records, outbox, cursor, epoch, onlyHere] = await Promise.all([
      tx.objectStore('records').getAll(),
      tx.objectStore('outbox').getAll(),
      meta.get('cursor') as Promise<number | undefined>,
      meta.get('epoch') as Promise<string | undefined>,
      meta.get('onlyHere') as Promise<StoredRecord[] | undefined>,
    ]);
    return { records, outbox, cursor: cursor ?? null, epoch: epoch ?? null, onlyHere: onlyHere ?? [] };
  }
  let begun: ReturnType<typeof read> | null = null;
  return {
    /** begins to read before anybody asks: the disk works while the first page is made */
    warm(): void {
      begun ??= read();
      // who asks is told what went wrong
      begun.catch(() => undefined);
    },
    /** all that a start needs, as of one moment */
    readAll(): ReturnType<typeof read> {
      const all = begun ?? read();
      begun = null;
      return all;
    },
    /** several changes of one entry are on disk together or not at all */
    async keepChanges(changes: readonly { record: StoredRecord; waiting: Waiting }[]): Promise<Waiting[]> {
      const tx = (await opened).transaction(['records', 'outbox'], 'readwrite', { durability: 'strict' });
      const kept: Waiting[] = [];
      for (const { record, waiting } of changes) {
        void tx.objectStore('records').put(record);
        kept.push({ ...waiting, seq: await tx.objectStore('outbox').add(waiting) });
      }
      await tx.done;
      return kept;
    },
    async settle(seq: number, record: StoredRecord | null): Promise<void> {
      const tx = (await opened).transaction(['records', 'outbox'], 'readwrite', { durability: 'strict' });
      if (record) void tx.objectStore('records').put(record);
      void tx.objectStore('outbox').delete(seq);
      await tx.done;
    },
    /** a record with all its waiting changes, made again on another state of it */
    async rebase(record: StoredRecord | null, waiting: readonly Waiting[], gone: readonly number[]): Promise<void> {
      const tx = (await opened).transaction(['records', 'outbox'], 'readwrite', { durability: 'strict' });
      if (record) void tx.objectStore('records').put(record);
      for (const w of waiting) void tx.objectStore('outbox').put(w);
      for (const seq of gone) void tx.objectStore('outbox').delete(seq);
      await tx.done;
    },
    async mark(waiting: Waiting): Promise<void> {
      await (await opened).put('outbox', waiting);
    },
    readPictures: async (): Promise<WaitingPicture[]> => (await opened).getAll('pictures'),
    async keepPicture(picture: WaitingPicture, bytes: ArrayBuffer): Promise<void> {
      const tx = (await opened).transaction(['pictures', 'pictureBytes'], 'readwrite', { durability: 'strict' });
      void tx.objectStore('pictures').put(picture);
      void tx.objectStore('pictureBytes').put(bytes, picture.id);
      await tx.done;
    },
    pictureBytes: async (id: string): Promise<ArrayBuffer | undefined> => (await opened).get('pictureBytes', id),
    async markPicture(picture: WaitingPicture): Promise<void> {
      await (await opened).put('pictures', picture);
    },
    async dropPicture(id: string): Promise<void> {
      const tx = (await opened).transaction(['pictures', 'pictureBytes'], 'readwrite', { durability: 'strict' });
      void tx.objectStore('pictures').delete(id);
      void tx.objectStore('pictureBytes').delete(id);
      await tx.done;
    },
    /** what the server told, and how far that reaches, in one step */
    async takeBatch(records: readonly StoredRecord[], place: Place, gone: readonly string[], onlyHere?: readonly StoredRecord[]): Promise<void> {
      const tx = (await opened).transaction(['records', 'meta'], 'readwrite');
      for (const id of gone) void tx.objectStore('records').delete(id);
      for (const r of records) void tx.objectStore('records').put(r);
      void tx.objectStore('meta').put(place.cursor, 'cursor');
      void tx.objectStore('meta').put(place.epoch, 'epoch');
      if (onlyHere) void tx.objectStore('meta').put(onlyHere, 'onlyHere');
      await tx.done;
    },
    getMeta: async <T>(key: string): Promise<T | undefined> => (await opened).get('meta', key) as Promise<T | undefined>,
    setMeta: async (key: string, value: unknown): Promise<void> => {
      await (await opened).put('meta', value, key);
    },
    dropMeta: async (key: string): Promise<void> => (await opened).delete('meta', key),
    async forget(): Promise<void> {
      (await opened).close();
      await deleteDB(name);
    },
  };
}

/** Who was signed in last on this device, so that the application opens without a network. */
const SESSION_KEY = 'mesure-session';
export function rememberSession(session: SessionInfo | null): void {
  try {
    if (session) globalThis.localStorage?.setItem(SESSION_KEY, JSON.stringify(session));
    else globalThis.localStorage?.removeItem(SESSION_KEY);
  } catch {
    // private windows may refuse; the session still works until reload
  }
}
export function rememberedSession(): SessionInfo | null {
  try {
    const text = globalThis.localStorage?.getItem(SESSION_KEY);
    return text ? (JSON.parse(text) as SessionInfo) : null;
  } catch {
    return null;
  }
}

/** In which film this person was on this device: what waits there is met again by who signs in anew. */
const lastFilmKey = (userId: string): string => `mesure-last-film:${userId}`;
export function rememberFilm({ userId, production }: Pick<SessionInfo, 'userId' | 'production'>): void {
  try {
    globalThis.localStorage?.setItem(lastFilmKey(userId), production.id);
  } catch {
    // the server chooses then
  }
}
export function lastFilm(userId: string): string | null {
  try {
    return globalThis.localStorage?.getItem(lastFilmKey(userId)) ?? null;
  } catch {
    return null;
  }
}
