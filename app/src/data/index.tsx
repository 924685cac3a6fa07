import { changeAgain, may, mayWrite, type RecordBodies, type RecordKind, type Right, type SessionInfo, type StoredRecord } from '@mesure/contract';
import { createContext, useContext, useEffect, useMemo, useRef, useState, type PropsWithChildren } from 'react';
import { createStore, useStore } from 'zustand';
import { ofKind } from './by-kind';
import { createAnalysesStore, type AnalysesState, type AnalysesStore } from './analyses-store';
import { api } from './api';
import { clockOf, deviceZone, type Clock } from './clock';
import { createClosedDays, type ClosedDays } from './closed-days';
import { keepDraft, readDraftFields } from './drafts';
import { listenForChanges } from './live';
import { keptAnalyses } from './kept-analyses';
import { localCopyName, openLocalCopy, type LocalCopy } from './local-copy';
import { createPicturesStore, type PicturesState, type PicturesStore } from './pictures-store';
import { createRecordsStore, type RecordsState, type RecordsStore } from './records-store';
import { createSessionStore, type SessionState } from './session-store';
import { steadyCopy, type Trouble } from './steady-copy';
import { watchForEviction } from './evicted';
import { tellWhatWaits } from './tell-waiting';

export { api, ApiError, OfflineError } from './api';
export { filesOf, isWhole } from './analyses-store';
export { clearPhone } from './clear-phone';
export { historyUntil } from './history';
export { isTyping, keepPages, renewedStore } from './renewed';
export { asksForCode } from './session-store';
export type { Clock } from './clock';
export type { Waiting } from './local-copy';
export type { AnyOrder, Side, WriteOrder } from './records-store';
export type { PictureOnTheWay } from './pictures-store';

export const newId = (): string => crypto.randomUUID();
export const sessionStore = createSessionStore(api);
export const useSession = <T,>(pick: (s: SessionState) => T): T => useStore(sessionStore, pick);

/** What the phone does not take, while it does not. */
export { dismissEvicted, useEvicted } from './evicted';
export const troubleStore = createStore<{ trouble: Trouble | null }>()(() => ({ trouble: null }));
export const useTrouble = (): Trouble | null => useStore(troubleStore, (s) => s.trouble);

interface Data {
  records: RecordsStore;
  analyses: AnalysesStore;
  pictures: PicturesStore;
  session: SessionInfo;
  local: LocalCopy;
  closedDays: ClosedDays;
}
const DataContext = createContext<Data | null>(null);

/** Several changes in a row are looked at together. */
const STALE_CHECK_MS = 1500;

/** One tab at a time empties the outbox; the others wait for it. */
const oneTab =
  (what: string) =>
  (work: () => Promise<void>): Promise<void> =>
    typeof navigator !== 'undefined' && navigator.locks ? navigator.locks.request(`mesure-${what}`, work) : work();

/** Local copy, outbox and analyses of the signed-in person's production. */
export function DataProvider({ session, children }: PropsWithChildren<{ session: SessionInfo }>) {
  // what a copy that was left still finishes says nothing of the one that is open now
  const speaks = useRef<LocalCopy | null>(null);
  const parts = useMemo<Omit<Data, 'session'>>(() => {
    const local: LocalCopy = steadyCopy(openLocalCopy(localCopyName(session.production.id, session.userId)), (trouble) => {
      if (speaks.current === local) troubleStore.setState({ trouble });
    });
    local.warm();
    const productionId = session.production.id;
    const closedDays = createClosedDays();
    const records = createRecordsStore({ mayChange: closedDays.mayChange, api, local, productionId, author: session.name, newId, now: () => new Date().toISOString(), exclusive: oneTab('outbox') });
    const analyses = createAnalysesStore({
      api,
      kept: keptAnalyses(local),
      productionId,
      newId,
      now: () => new Date().toISOString(),
    });
    return { local, closedDays, records, analyses, pictures: createPicturesStore({ api, local, records, analyses, productionId, exclusive: oneTab('pictures') }) };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- a new token of the same person keeps the same copy
  }, [session.production.id, session.userId, session.role]);
  // what is said of the productions may change while the copies stay
  const data = useMemo<Data>(() => ({ ...parts, session }), [parts, session]);
  const productionId = session.production.id;
  useEffect(() => {
    const { records, analyses, pictures } = parts;
    speaks.current = parts.local;
    const live = listenForChanges({
      url: () => (records.getState().cursor() === null ? null : api.eventsUrl(productionId, records.getState().cursor()!, records.getState().epoch())),
      onBatch: (batch) => void records.getState().hear(batch),
      // who listens again is in reach, also when there is nothing to send and nothing new
      onOpen: () => {
        const { send, refresh } = records.getState();
        void send().then(() => (records.getState().reachable ? undefined : refresh()));
      },
    });
    void records
      .getState()
      .open()
      .then(() => pictures.getState().open())
      .then(live.start);
    // what was computed may be of an older record after each change that the server has
    let reached = records.getState().cursor();
    let asking: ReturnType<typeof setTimeout> | undefined;
    const unsubscribe = records.subscribe((s) => {
      const now = s.cursor();
      if (now === reached || s.outbox.length > 0) return;
      reached = now;
      clearTimeout(asking);
      asking = setTimeout(() => void analyses.getState().refresh(), STALE_CHECK_MS);
    });
    const stopTelling = tellWhatWaits(api, records, pictures);
    const stopWatching = watchForEviction({ productionId, userId: session.userId }, records, pictures, () => new Date().toISOString());
    void analyses.getState().refresh();
    void navigator.storage?.persist?.();
    const wake = () => {
      void records
        .getState()
        .send()
        .then(() => records.getState().refresh());
      void analyses.getState().refresh();
      void pictures.getState().send();
    };
    const visible = () => {
      if (document.visibilityState === 'visible') wake();
    };
    window.addEventListener('online', wake);
    document.addEventListener('visibilitychange', visible);
    // a phone's "online" event is not to be trusted: what waits is tried again every few seconds
    const retry = setInterval(() => {
      if (records.getState().outbox.some((w) => w.state === 'waiting')) void records.getState().send();
      if (pictures.getState().pictures.some((q) => q.state === 'waiting')) void pictures.getState().send();
    }, 4000);
    return () => {
      speaks.current = null;
      troubleStore.setState({ trouble: null });
      live.stop();
      stopTelling();
      stopWatching();
      unsubscribe();
      clearTimeout(asking);
      window.removeEventListener('online', wake);
      document.removeEventListener('visibilitychange', visible);
      clearInterval(retry);
    };
  }, [parts, productionId, session.userId]);
  return <DataContext.Provider value={data}>{children}</DataContext.Provider>;
}

export function useData(): Data {
  const data = useContext(DataContext);
  if (!data) throw new Error('useData needs a DataProvider above it');
  return data;
}

const keptAtOnce = () => Promise.resolve();
/** When all that was ordered is on the device; at once where nothing keeps records (a field on its own, the door). */
export const useKept = (): (() => Promise<void>) => useContext(DataContext)?.records.getState().kept ?? keptAtOnce;

/** By the table that the server reads too: what would be refused is not offered. */
export const useMay = (right: Right): boolean => may(useData().session.role, right);
export const useMayWrite = (): boolean => useMay('record');
export const useMayWriteKind = (kind: RecordKind): boolean => mayWrite(useData().session.role, kind);

export const useRecordsState = <T,>(pick: (s: RecordsState) => T): T => useStore(useData().records, pick);
export const usePicturesState = <T,>(pick: (s: PicturesState) => T): T => useStore(useData().pictures, pick);
export const useAnalysesState = <T,>(pick: (s: AnalysesState) => T): T => useStore(useData().analyses, pick);

/** All records of a kind that are not deleted. A copy: sorting it must not touch what the store compares with at the next change. */
export function useAll<K extends RecordKind>(kind: K): readonly StoredRecord<K>[] {
  const store = useData().records;
  return useStore(store, (s) => ofKind(store, s.records, kind));
}
export function useRecord<K extends RecordKind>(kind: K, id: string | null | undefined): StoredRecord<K> | undefined {
  return useStore(useData().records, (s) => (id && s.records[id]?.kind === kind ? (s.records[id] as StoredRecord<K>) : undefined));
}
/** The production's clock; this device's where nobody has said the zone. */
export function useClock(): Clock {
  const zone = useAll('production')[0]?.body.timeZone ?? deviceZone();
  return useMemo(() => clockOf(zone), [zone]);
}
/** What was changed from `base` to `mine`, made on whatever is there at its turn: fields that others changed meanwhile stay theirs. */
export const onto =
  <K extends RecordKind>(kind: K, base: RecordBodies[K], mine: RecordBodies[K]) =>
  (now: RecordBodies[K]): RecordBodies[K] =>
    changeAgain(kind, { deleted: false, body: base }, { deleted: false, body: mine }, { deleted: false, body: now }).body;

/**
 * A record while it is edited. What somebody else changes meanwhile comes in beside what is typed here, which stays; on the device with each
 * change, so that a page that goes away brings it back.
 */
export function useEditing<K extends RecordKind>(record: StoredRecord<K>) {
  const [before] = useState(() => readDraftFields<KeptEdit<K>>(record.id, 'editing'));
  const [state, setState] = useState(() => ({
    base: record.body,
    draft: before ? onto(record.kind, { ...record.body, ...before.base }, { ...record.body, ...before.draft })(record.body) : record.body,
  }));
  useEffect(() => {
    const { base, draft } = state;
    const touched = (Object.keys(draft) as (keyof RecordBodies[K] & string)[]).filter((field) => JSON.stringify(draft[field]) !== JSON.stringify(base[field]));
    const of = (body: RecordBodies[K]) => Object.fromEntries(touched.map((field) => [field, body[field]]));
    keepDraft(record.id, 'editing', touched.length === 0 ? null : JSON.stringify({ base: of(base), draft: of(draft) }));
  }, [record.id, state]);
  useEffect(() => {
    setState((s) => (s.base === record.body ? s : { base: record.body, draft: onto(record.kind, s.base, s.draft)(record.body) }));
  }, [record.kind, record.body]);
  return {
    draft: state.draft,
    set: (change: Partial<RecordBodies[K]>) => setState((s) => ({ ...s, draft: { ...s.draft, ...change } })),
    revert: () => setState({ base: record.body, draft: record.body }),
    /** for a write: this edit, on what is there at its turn */
    change: onto(record.kind, state.base, state.draft),
    /** what was edited and not kept when the page went away came back */
    cameBack: before !== null,
  };
}

/** Beside what was edited stands what it was edited from: somebody else's change meanwhile is told from it. */
interface KeptEdit<K extends RecordKind> {
  base: Partial<RecordBodies[K]>;
  draft: Partial<RecordBodies[K]>;
}

/** What is on the cameras now, by their letters; `also` one that was on a camera before. */
export const useMounted = (also: string | null = null): StoredRecord<'package'>[] =>
  useAll('package')
    .filter((q) => !q.body.until || q.id === also)
    .sort((a, b) => a.body.camera.localeCompare(b.body.camera, 'en', { numeric: true }));
/** Looks records up by kind and id; for operations that need several. */
export function useFind() {
  const records = useStore(useData().records, (s) => s.records);
  return <K extends RecordKind>(kind: K, id: string): StoredRecord<K> | undefined => (records[id]?.kind === kind && !records[id].deleted ? (records[id] as StoredRecord<K>) : undefined);
}
