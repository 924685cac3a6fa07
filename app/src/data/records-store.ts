import { changeAgain, changedFields, HIDDEN, inOrderOfReference, type RecordBatch, type RecordBodies, type RecordKind, type RecordState, type StoredRecord, withoutFiles } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import { ApiError, OfflineError, type Api } from './api';
import { follow } from './by-kind';
import type { LocalCopy, Waiting } from './local-copy';

interface OneChange {
  recordId: string;
  kind: RecordKind;
  before: StoredRecord | null;
  after: RecordState;
}
/** What a person did with one tap, and can take back with one. */
export interface LastChange {
  label: string;
  changes: OneChange[];
}
/** So many steps back; what is older is in each record's history. */
const MOST_UNDO = 50;

export type Change<K extends RecordKind> = RecordBodies[K] | ((current: RecordBodies[K]) => RecordBodies[K]);
export interface WriteOrder<K extends RecordKind = RecordKind> {
  kind: K;
  id: string;
  change: Change<K>;
  deleted?: boolean;
}
/** Orders of several kinds together. */
export type AnyOrder = { [K in RecordKind]: WriteOrder<K> }[RecordKind];
export type Side = 'mine' | 'theirs';

export interface RecordsState {
  status: 'loading' | 'ready' | 'failed';
  error: string | null;
  records: Record<string, StoredRecord>;
  outbox: Waiting[];
  /** changes that were ordered and are not on the device yet */
  keeping: number;
  /** the copy on this device had nothing in it when it was opened */
  begunEmpty: boolean;
  reachable: boolean;
  signInNeeded: boolean;
  /** records that the server lost when it was restored from a backup, as this device has them */
  onlyHere: StoredRecord[];
  /** the newest step that can be taken back, while it is offered */
  lastChange: LastChange | null;
  undoStack: LastChange[];
  open(): Promise<void>;
  refresh(): Promise<void>;
  /** what the server told of its own accord */
  hear(batch: RecordBatch): Promise<void>;
  cursor(): number | null;
  epoch(): string | null;
  /** sends what only this device has, or lets it go */
  giveBack(): Promise<void>;
  letGo(): Promise<void>;
  /** keeps a change on this device at once, and sends it when it can; a function changes what is there at its turn */
  write<K extends RecordKind>(kind: K, id: string, change: Change<K>, label: string, deleted?: boolean): Promise<void>;
  /** several records with one tap: kept together, taken back together */
  writeMany(orders: readonly AnyOrder[], label: string): Promise<void>;
  /** all that was ordered so far is on the device, or was given up */
  kept(): Promise<void>;
  undo(): Promise<void>;
  dismissUndo(): void;
  send(): Promise<void>;
  /** a change that the server did not take: mine or theirs for all of it, or for each field that both changed */
  decide(seq: number, choice: Side | Record<string, Side> | 'without its files'): Promise<void>;
}

export interface RecordsParts {
  api: Pick<Api, 'records' | 'write'>;
  local: LocalCopy;
  productionId: string;
  author: string;
  newId: () => string;
  now: () => string;
  exclusive?: (work: () => Promise<void>) => Promise<void>;
  /** asks the person, where a change needs a yes */
  mayChange?: (orders: readonly WriteOrder[], records: Record<string, StoredRecord>) => Promise<boolean>;
}

/** A page that never rests sends all the same after so long. */
const DRAWN_MS = 150;
/**
 * What was entered stands on the screen before it is sent: it is on the disk already, and the answer of a server that is near comes in the
 * middle of the drawing. Where nothing tells when that is done it goes at once.
 */
const whenDrawn = (work: () => void): void => {
  if (typeof globalThis.requestIdleCallback === 'function') globalThis.requestIdleCallback(work, { timeout: DRAWN_MS });
  else work();
};

const stateOf = (r: { deleted: boolean; body: RecordBodies[RecordKind] }): RecordState => ({ deleted: r.deleted, body: r.body });
/** As it crosses the wire: what has no value is not there. */
const plain = <T>(body: T): T => JSON.parse(JSON.stringify(body)) as T;

/**
 * The one way in which screens read and change records. The local copy comes first; the server follows through the outbox, in order, each
 * change under its own id, so that one sent twice is done once. Changes of others arrive by batches after a cursor; a record with changes
 * that wait here keeps them, and what was heard of it meanwhile is taken when they are sent.
 */
export function createRecordsStore({ api, local, productionId, author, newId, now, exclusive = (work) => work(), mayChange }: RecordsParts) {
  let sending: Promise<void> | null = null;
  let again = false;
  let turn: Promise<void> = Promise.resolve();
  let cursor: number | null = null;
  let epoch: string | null = null;
  let askAll = false;
  /** newer states of records that have changes waiting here */
  const heard = new Map<string, StoredRecord>();

  return createStore<RecordsState>()((set, get, self) => {
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

    /** A change is done: the record is what the server answered, or what was heard since. */
    async function settle(sent: Waiting, answer: StoredRecord): Promise<void> {
      const later = pendingOf(sent.recordId).some((w) => w.seq !== sent.seq);
      const newer = heard.get(answer.id);
      const record = newer && newer.version > answer.version ? newer : answer;
      await local.settle(sent.seq!, later ? null : record);
      set((s) => ({ outbox: s.outbox.filter((w) => w.seq !== sent.seq), reachable: true }));
      if (later) return;
      heard.delete(answer.id);
      const here = get().records[record.id];
      // when it says what was sent the body stays the same object, so that a form that is being edited does not start over
      const same = here && changedFields(stateOf(here), stateOf(record)).length === 0;
      put(same ? { ...record, body: here.body } : record);
    }

    async function sendAll(): Promise<void> {
      for (;;) {
        const next = get().outbox.find((w) => w.state === 'waiting' && !get().outbox.some((o) => o.recordId === w.recordId && o.state !== 'waiting' && o.seq! < w.seq!));
        if (!next) return;
        try {
          const { record } = await api.write(productionId, next.kind, next.recordId, next.write);
          await inTurn(() => settle(next, record));
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
          const { code, detail, current, base, clashes, files } = error.problem;
          const stale = code === 'STALE';
          const marked: Waiting = {
            ...next,
            state: stale ? 'conflict' : 'refused',
            message: detail,
            current: stale ? ((current as StoredRecord | null) ?? null) : null,
            ...(stale ? { base: (base as RecordState | undefined) ?? null, clashes: clashes ?? [] } : {}),
            ...(files ? { files } : {}),
          };
          await local.mark(marked);
          set((s) => ({ outbox: s.outbox.map((w) => (w.seq === next.seq ? marked : w)), reachable: true }));
        }
      }
    }

    /** Asked before it takes its turn: an answer that comes late holds nothing else up. */
    async function order(orders: readonly WriteOrder[], label: string): Promise<void> {
      if (orders.length === 0) return;
      set((s) => ({ keeping: s.keeping + 1 }));
      try {
        if (mayChange && !(await mayChange(orders, get().records))) return;
        await inTurn(() => keep(orders, label));
      } finally {
        set((s) => ({ keeping: s.keeping - 1 }));
      }
    }

    async function keep(orders: readonly WriteOrder[], label: string): Promise<void> {
      const changes: OneChange[] = [];
      const kept: { record: StoredRecord; waiting: Waiting }[] = [];
      const seen = (id: string): StoredRecord | null => [...kept].reverse().find((k) => k.record.id === id)?.record ?? get().records[id] ?? null;
      for (const { kind, id, change, deleted = false } of orders) {
        const before = seen(id);
        const body = plain(typeof change === 'function' ? (change as (c: RecordBodies[RecordKind]) => RecordBodies[RecordKind])(before?.body as RecordBodies[RecordKind]) : change);
        const after: RecordState = { deleted, body };
        const baseVersion = before?.version ?? 0;
        const waitsBefore = kept.filter((k) => k.record.id === id).map((k) => k.waiting);
        const follows = [...pendingOf(id), ...waitsBefore].pop()?.write.mutationId ?? null;
        const write = { mutationId: newId(), baseVersion, deleted, body, ...(follows ? { follows } : {}) };
        kept.push({
          record: { id, kind, version: baseVersion + 1, ...after, updatedAt: now(), updatedBy: author },
          waiting: { recordId: id, kind, write, state: 'waiting', message: null, current: null },
        });
        changes.push({ recordId: id, kind, before, after });
      }
      const waiting = await local.keepChanges(kept);
      const step: LastChange = { label, changes };
      const from = get().records;
      const records = { ...from };
      const last = new Map(kept.map((k) => [k.record.id, k.record]));
      for (const record of last.values()) records[record.id] = record;
      follow(self, from, records, [...last.values()]);
      set((s) => ({
        records,
        outbox: [...s.outbox, ...waiting],
        lastChange: step,
        undoStack: [...s.undoStack.slice(1 - MOST_UNDO), step],
      }));
      whenDrawn(() => void get().send());
    }

    /** What the server holds of records, taken in beside what waits here. */
    async function take({ records, cursor: reached, whole, epoch: itsEpoch }: RecordBatch): Promise<void> {
      const open = new Set(get().outbox.map((w) => w.recordId));
      for (const r of records) if (open.has(r.id)) heard.set(r.id, r);
      const isNews = (r: StoredRecord) => {
        const here = get().records[r.id];
        return !open.has(r.id) && !(here && (here.version > r.version || (here.version === r.version && here.updatedAt === r.updatedAt)));
      };
      // a whole answer is the truth also where this device is ahead of it: another database may stand behind the address
      const news = whole ? records.filter((r) => !open.has(r.id) && (isNews(r) || get().records[r.id]?.version !== r.version)) : records.filter(isNews);
      const known = new Set(records.map((r) => r.id));
      const gone = whole ? Object.keys(get().records).filter((id) => !known.has(id) && !open.has(id)) : [];
      const before = get().onlyHere;
      const lost = whole && isOlder(reached, itsEpoch) ? lostBy(records, open) : [];
      const onlyHere = lost.length > 0 ? [...before.filter((r) => !lost.some((q) => q.id === r.id)), ...lost] : before;
      await local.takeBatch(news, { cursor: reached, epoch: itsEpoch }, gone, lost.length > 0 ? onlyHere : undefined);
      cursor = reached;
      epoch = itsEpoch;
      set((s) => {
        const next = { ...s.records };
        for (const id of gone) delete next[id];
        for (const r of news) next[r.id] = r;
        return { records: news.length + gone.length > 0 ? next : s.records, onlyHere, status: 'ready', error: null, reachable: true, signInNeeded: false };
      });
    }

    /** Does another state of the database answer than the one that this device has read, such as a backup? */
    const isOlder = (reached: number, itsEpoch: string): boolean => (epoch !== null && epoch !== itsEpoch) || (cursor !== null && reached < cursor);

    /** What the server had and has no more, or has in an older state. What waits to be sent goes its own way. */
    function lostBy(records: readonly StoredRecord[], open: ReadonlySet<string>): StoredRecord[] {
      const theirs = new Map(records.map((r) => [r.id, r]));
      return Object.values(get().records).filter((mine) => {
        const other = theirs.get(mine.id);
        return !open.has(mine.id) && (!other || (other.version < mine.version && changedFields(stateOf(other), stateOf(mine)).length > 0));
      });
    }

    /** Puts a decided change, and what was changed after it, onto what the server holds. */
    async function settleDecided(item: Waiting, decided: RecordState, theirs: StoredRecord | null): Promise<void> {
      const old = stateOf(item.write);
      const later = pendingOf(item.recordId).filter((w) => w.seq! > item.seq!);
      const needed = !theirs || changedFields(stateOf(theirs), decided).length > 0;
      const again: Waiting[] = [];
      let state = decided;
      let base = old;
      let version = theirs?.version ?? 0;
      let follows: string | null = null;
      const queue = (w: Waiting, next: RecordState) => {
        // a change of its own: the refused one's id may be known to the server
        const write = { mutationId: newId(), baseVersion: version, ...next, ...(follows ? { follows } : {}) };
        again.push({ ...w, write, state: 'waiting', message: null, current: null, base: undefined, clashes: undefined, files: undefined });
        follows = write.mutationId;
        version += 1;
      };
      if (needed) queue(item, decided);
      for (const w of later) {
        const mine = stateOf(w.write);
        state = changeAgain(w.kind, base, mine, state);
        base = mine;
        queue(w, state);
      }
      const record: StoredRecord | null = again.length > 0 ? { id: item.recordId, kind: item.kind, version, ...state, updatedAt: now(), updatedBy: author } : theirs;
      await local.rebase(record, again, needed ? [] : [item.seq!]);
      set((s) => ({ outbox: s.outbox.filter((w) => needed || w.seq !== item.seq).map((w) => again.find((a) => a.seq === w.seq) ?? w) }));
      if (record) put(record);
      if (again.length === 0) heard.delete(item.recordId);
    }

    return {
      status: 'loading',
      error: null,
      records: {},
      outbox: [],
      keeping: 0,
      begunEmpty: false,
      reachable: true,
      signInNeeded: false,
      onlyHere: [],
      lastChange: null,
      undoStack: [],

      async open() {
        try {
          const kept = await local.readAll();
          const { records: list, outbox, onlyHere } = kept;
          ({ cursor, epoch } = kept);
          // with changes waiting, what was heard of their records is not on disk: everything is asked for once more
          askAll = outbox.length > 0;
          const records: Record<string, StoredRecord> = {};
          for (const r of list) records[r.id] = r;
          set({
            begunEmpty: cursor === null && outbox.length === 0,
            onlyHere,
            records,
            outbox,
            status: list.length > 0 ? 'ready' : 'loading',
          });
        } catch (error) {
          set({ status: 'failed', error: `This browser does not keep data on the device (${error instanceof Error ? error.message : error}). Leave the private window and open Mesure again.` });
          return;
        }
        await get().send();
        await get().refresh();
      },

      async refresh() {
        try {
          const batch = await api.records(productionId, askAll ? null : cursor, epoch);
          askAll = false;
          await inTurn(() => take(batch));
        } catch (error) {
          if (error instanceof ApiError && error.problem.code === 'NOT_SIGNED_IN') set({ signInNeeded: true });
          else set({ reachable: !(error instanceof OfflineError) });
          if (get().status === 'loading') set({ status: 'failed', error: error instanceof Error ? error.message : String(error) });
        }
      },

      hear: (batch) => inTurn(() => take(batch)),
      cursor: () => cursor,
      epoch: () => epoch,

      async giveBack() {
        await inTurn(async () => {
          const back = get().onlyHere;
          // what is referred to goes first
          await keep(
            inOrderOfReference(back).map((r) => ({ kind: r.kind, id: r.id, change: r.body, deleted: r.deleted })),
            `${back.length} given back to the server`,
          );
          await local.setMeta('onlyHere', []);
          set({ onlyHere: [] });
        });
        await get().send();
      },
      async letGo() {
        await local.setMeta('onlyHere', []);
        set({ onlyHere: [] });
      },

      write: (kind, id, change, label, deleted = false) => order([{ kind, id, change, deleted } as WriteOrder], label),
      writeMany: (orders, label) => order(orders as readonly WriteOrder[], label),

      kept: () =>
        new Promise((resolve) => {
          if (get().keeping === 0) {
            resolve();
            return;
          }
          const stop = self.subscribe((s) => {
            if (s.keeping > 0) return;
            stop();
            resolve();
          });
        }),

      async undo() {
        const step = get().undoStack[get().undoStack.length - 1];
        if (!step) return;
        const orders = [...step.changes].reverse().map((c): WriteOrder => {
          const current = get().records[c.recordId];
          // only what this step changed goes back: what others did meanwhile stays
          const back = c.before ? changeAgain(c.kind, c.after, stateOf(c.before), stateOf(current)) : { deleted: true, body: current.body };
          return { kind: c.kind, id: c.recordId, change: back.body, deleted: back.deleted };
        });
        await inTurn(async () => {
          await keep(orders, `Undone: ${step.label}`);
          set((s) => ({ undoStack: s.undoStack.slice(0, -2), lastChange: null }));
        });
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
        const item = get().outbox.find((w) => w.seq === seq && w.state !== 'waiting');
        if (!item) return;
        // of a refused change the server's side is not known here
        if (item.state === 'refused') {
          const answer = await api.records(productionId, null).catch(() => null);
          // without a network nothing is decided, and nothing is lost
          if (!answer) {
            set({ reachable: false });
            return;
          }
          item.current = answer.records.find((r) => r.id === item.recordId) ?? null;
        }
        await inTurn(async () => {
          const theirs = heardOr(item.current);
          const whole = stateOf(item.write);
          const without = choice === 'without its files' ? withoutFiles(whole.body, new Set(item.files?.map((f) => f.sha256))) : whole.body;
          if (!without) return;
          const mine: RecordState = { ...whole, body: without };
          if (!theirs) {
            if (choice !== 'theirs') await settleDecided(item, mine, null);
            else await dropNew(item);
            return;
          }
          await settleDecided(item, decidedState(item, mine, stateOf(theirs), choice === 'without its files' ? 'mine' : choice), theirs);
        });
        await get().send();
      },
    };

    function heardOr(current: StoredRecord | null): StoredRecord | null {
      const newer = current ? heard.get(current.id) : undefined;
      return newer && newer.version > current!.version ? newer : current;
    }

    /** A record that the server refused to make and nobody wants: it goes, and what was changed on it. */
    async function dropNew(item: Waiting): Promise<void> {
      const all = pendingOf(item.recordId);
      for (const w of all) await local.settle(w.seq!, null);
      await local.takeBatch([], { cursor: cursor ?? 0, epoch }, [item.recordId]);
      set((s) => {
        const { [item.recordId]: _gone, ...records } = s.records;
        return { records, outbox: s.outbox.filter((w) => w.recordId !== item.recordId) };
      });
    }
  });
}

/** My change with the chosen side of each field that both changed; where the server could not tell, one side for all of it. */
function decidedState(item: Waiting, mine: RecordState, theirs: RecordState, choice: Side | Record<string, Side>): RecordState {
  if (!item.base) return choice === 'mine' ? mine : theirs;
  const merged = changeAgain(item.kind, item.base, mine, theirs);
  const fields = item.clashes?.map((c) => c.field) ?? [];
  const sideOf = (field: string): Side => (typeof choice === 'string' ? choice : (choice[field] ?? 'mine'));
  const body = { ...(merged.body as unknown as Record<string, unknown>) };
  for (const field of fields) {
    if (field === HIDDEN || sideOf(field) === 'mine') continue;
    const value = (theirs.body as unknown as Record<string, unknown>)[field];
    if (value === undefined) delete body[field];
    else body[field] = value;
  }
  return { deleted: fields.includes(HIDDEN) ? (sideOf(HIDDEN) === 'mine' ? mine.deleted : theirs.deleted) : merged.deleted, body: body as unknown as RecordBodies[RecordKind] };
}
export type RecordsStore = ReturnType<typeof createRecordsStore>;
