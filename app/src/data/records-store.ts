import type { RecordBodies, RecordKind, StoredRecord } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import { ApiError, OfflineError, type Api } from './api';
import type { LocalCopy, Waiting } from './local-copy';

export interface LastChange {
  recordId: string;
  kind: RecordKind;
  before: StoredRecord | null;
  label: string;
}

export type Change<K extends RecordKind> = RecordBodies[K] | ((current: RecordBodies[K]) => RecordBodies[K]);

export interface RecordsState {
  status: 'loading' | 'ready' | 'failed';
  error: string | null;
  records: Record<string, StoredRecord>;
  outbox: Waiting[];
  reachable: boolean;
  signInNeeded: boolean;
  lastChange: LastChange | null;
  open(): Promise<void>;
  refresh(): Promise<void>;
  /** keeps a change on this device at once, and sends it when it can; a function changes what is there at its turn */
  write<K extends RecordKind>(kind: K, id: string, change: Change<K>, label: string, deleted?: boolean): Promise<void>;
  undo(): Promise<void>;
  dismissUndo(): void;
  send(): Promise<void>;
  /** a change that the server did not take: `mine` is made again on the server's version, `theirs` drops it */
  decide(seq: number, choice: 'mine' | 'theirs'): Promise<void>;
}

export interface RecordsParts {
  api: Pick<Api, 'records' | 'write'>;
  local: LocalCopy;
  productionId: string;
  author: string;
  newId: () => string;
  now: () => string;
  exclusive?: (work: () => Promise<void>) => Promise<void>;
}

/**
 * The one way in which screens read and change records. The local copy comes first; the server follows through the outbox, in order, each
 * change under its own id, so that one sent twice is done once.
 */
export function createRecordsStore({ api, local, productionId, author, newId, now, exclusive = (work) => work() }: RecordsParts) {
  let sending: Promise<void> | null = null;
  let again = false;
  let turn: Promise<void> = Promise.resolve();

  return createStore<RecordsState>()((set, get) => {
    const put = (record: StoredRecord) => set((s) => ({ records: { ...s.records, [record.id]: record } }));
    const pendingOf = (id: string) => get().outbox.filter((w) => w.recordId === id);

    /**
     * One after the other: two fields left at the same moment must not overwrite each other, and an answer of the server's must not lay its
     * older version over a change that is being kept.
     */
    function inTurn(work: () => Promise<void>): Promise<void> {
      const done = turn.then(work);
      turn = done.catch(() => undefined);
      return done;
    }

    async function sendAll(): Promise<void> {
      for (;;) {
        const next = get().outbox.find((w) => w.state === 'waiting' && !get().outbox.some((o) => o.recordId === w.recordId && o.state !== 'waiting' && o.seq! < w.seq!));
        if (!next) return;
        try {
          const { record } = await api.write(productionId, next.kind, next.recordId, next.write);
          await inTurn(async () => {
            const later = get().outbox.some((w) => w.recordId === next.recordId && w.seq !== next.seq);
            await local.settle(next.seq!, later ? null : record);
            set((s) => ({ outbox: s.outbox.filter((w) => w.seq !== next.seq), reachable: true }));
            // the answer says what was sent: the body stays the same object, so that a form that is being edited does not start over
            if (!later) put({ ...record, body: get().records[record.id]?.body ?? record.body });
          });
        } catch (error) {
          if (error instanceof ApiError && error.problem.code === 'NOT_SIGNED_IN') {
            set({ signInNeeded: true });
            return;
          }
          // a fault of the server's is no decision: the change stays and goes again
          if (!(error instanceof ApiError) || error.problem.status >= 500 || error.problem.status === 429 || error.problem.code === 'BAD_CSRF') {
            set({ reachable: !(error instanceof OfflineError) });
            return;
          }
          const stale = error.problem.code === 'STALE';
          const marked: Waiting = { ...next, state: stale ? 'conflict' : 'refused', message: error.problem.detail, current: stale ? ((error.problem.current as StoredRecord | null) ?? null) : null };
          await local.mark(marked);
          set((s) => ({ outbox: s.outbox.map((w) => (w.seq === next.seq ? marked : w)), reachable: true }));
        }
      }
    }

    async function keep<K extends RecordKind>(kind: K, id: string, change: Change<K>, label: string, deleted: boolean): Promise<void> {
      const before = get().records[id] ?? null;
      const body = typeof change === 'function' ? change(before?.body as RecordBodies[K]) : change;
      const baseVersion = before?.version ?? 0;
      const record: StoredRecord = { id, kind, version: baseVersion + 1, deleted, body, updatedAt: now(), updatedBy: author };
      const waiting = await local.keepChange(record, { recordId: id, kind, write: { mutationId: newId(), baseVersion, deleted, body }, state: 'waiting', message: null, current: null });
      set((s) => ({ records: { ...s.records, [id]: record }, outbox: [...s.outbox, waiting], lastChange: { recordId: id, kind, before, label } }));
      void get().send();
    }

    return {
      status: 'loading',
      error: null,
      records: {},
      outbox: [],
      reachable: true,
      signInNeeded: false,
      lastChange: null,

      async open() {
        try {
          const { records, outbox } = await local.readAll();
          set({ records: Object.fromEntries(records.map((r) => [r.id, r])), outbox, status: records.length > 0 ? 'ready' : 'loading' });
        } catch (error) {
          set({ status: 'failed', error: `This browser does not keep data on the device (${error instanceof Error ? error.message : error}). Leave the private window and open Mesure again.` });
          return;
        }
        await get().send();
        await get().refresh();
      },

      async refresh() {
        try {
          const { records } = await api.records(productionId);
          // what waits here is newer than what the server holds
          const kept = records.map((r) => {
            const here = get().records[r.id];
            return here && (pendingOf(r.id).length > 0 || (here.version === r.version && here.updatedAt === r.updatedAt)) ? here : r;
          });
          const onlyHere = Object.values(get().records).filter((r) => pendingOf(r.id).length > 0 && !records.some((q) => q.id === r.id));
          const all = [...kept, ...onlyHere];
          await local.replaceRecords(all);
          set({ records: Object.fromEntries(all.map((r) => [r.id, r])), status: 'ready', error: null, reachable: true, signInNeeded: false });
        } catch (error) {
          if (error instanceof ApiError && error.problem.code === 'NOT_SIGNED_IN') set({ signInNeeded: true });
          else set({ reachable: !(error instanceof OfflineError) });
          if (get().status === 'loading') set({ status: 'failed', error: error instanceof Error ? error.message : String(error) });
        }
      },

      write(kind, id, change, label, deleted = false) {
        return inTurn(() => keep(kind, id, change, label, deleted));
      },

      async undo() {
        const last = get().lastChange;
        if (!last) return;
        const current = get().records[last.recordId];
        await get().write(last.kind, last.recordId, last.before?.body ?? current.body, `Undone: ${last.label}`, last.before ? last.before.deleted : true);
        set({ lastChange: null });
      },
      dismissUndo: () => set({ lastChange: null }),

      send() {
        if (sending) {
          again = true;
          return sending;
        }
        sending = exclusive(sendAll).finally(() => {
          sending = null;
          if (again) {
            again = false;
            void get().send();
          }
        });
        return sending;
      },

      async decide(seq, choice) {
        const item = get().outbox.find((w) => w.seq === seq);
        if (!item) return;
        const theirs = item.current;
        await local.settle(seq, theirs);
        set((s) => ({ outbox: s.outbox.filter((w) => w.seq !== seq) }));
        if (theirs) put(theirs);
        if (choice === 'mine') await get().write(item.kind, item.recordId, item.write.body, 'Your version', item.write.deleted);
        else if (!theirs) await get().refresh();
      },
    };
  });
}
export type RecordsStore = ReturnType<typeof createRecordsStore>;
