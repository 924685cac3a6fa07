import type { Analysis, AnalysisChoice, AnalysisKind } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import type { Api } from './api';

const POLL_MS = 500;

export interface AnalysesState {
  status: 'loading' | 'ready' | 'failed';
  /** newest analysis of each subject (plate or take); the files of a plate's lens stand beside its measuring, under `filesOf` */
  bySubject: Record<string, Analysis>;
  /** why the last one was not started */
  error: string | null;
  /** why the server did not answer */
  unreached: string | null;
  /** the server does not answer, and what stands here is from then; null: it answered. `never`: nothing is known from before */
  knownFrom: string | 'never' | null;
  refresh(): Promise<void>;
  /** with the whole outcome: corners of a plate, frames and points of a solve */
  loadWhole(subjectId: string): Promise<void>;
  start(kind: AnalysisKind, subjectId: string, options?: AnalysisChoice): Promise<void>;
  stop(subjectId: string): Promise<void>;
}

/** What this device keeps of the last list, so that a result that was known stays known without a line. */
export interface KeptAnalyses {
  at: string;
  analyses: Analysis[];
}

interface Needs {
  api: Pick<Api, 'analyses' | 'analysis' | 'startAnalysis' | 'stopAnalysis'>;
  kept: {
    read(): Promise<KeptAnalyses | undefined>;
    /** in its own time; a device that is full keeps what it had */
    write(kept: KeptAnalyses): void;
    /** those that somebody looked at here, with their frames and points; the oldest make room */
    readWhole(id: string): Promise<Analysis | undefined>;
    writeWhole(a: Analysis): Promise<void>;
  };
  productionId: string;
  newId: () => string;
  now: () => string;
}

export function createAnalysesStore({ api, kept, productionId, newId, now }: Needs) {
  const polling = new Set<string>();
  /** when the server answered last, to this device */
  let answeredAt: string | null = null;
  return createStore<AnalysesState>()((set, get) => {
    // a list may have been written before what was started meanwhile, and would put the one before it back
    let changes = 0;
    const changedAt = new Map<string, number>();
    const active = (a: Analysis) => a.status === 'queued' || a.status === 'running';
    /** What has ended does not run again: an answer that says so was written before it ended, and came late. */
    const isLate = (a: Analysis, here: Analysis | undefined) => here?.id === a.id && active(a) && !active(here);
    const put = (a: Analysis) => {
      if (isLate(a, get().bySubject[keyOf(a)])) return;
      changes += 1;
      changedAt.set(keyOf(a), changes);
      set((s) => ({ bySubject: { ...s.bySubject, [keyOf(a)]: a } }));
    };
    async function follow(a: Analysis): Promise<void> {
      if (polling.has(a.id)) return;
      polling.add(a.id);
      try {
        for (let last = a; active(last);) {
          await new Promise((r) => setTimeout(r, POLL_MS));
          const next = await api.analysis(productionId, a.id).catch(() => null); // a lost line: the job goes on, ask again
          if (next) {
            last = next;
            put(next);
          }
        }
        // its end is kept on the device with the others, and may make another one old
        void get().refresh();
      } finally {
        polling.delete(a.id);
      }
    }
    return {
      status: 'loading',
      bySubject: {},
      error: null,
      unreached: null,
      knownFrom: null,
      async refresh() {
        if (answeredAt === null && get().knownFrom === null) {
          // what was known stands at once: a line that is dead takes its time to say so
          const before = await kept.read().catch(() => undefined);
          set((s) =>
            before
              ? { status: 'ready', knownFrom: before.at, bySubject: { ...Object.fromEntries(before.analyses.map((a) => [keyOf(a), a])), ...s.bySubject } }
              : { status: s.status, knownFrom: 'never' },
          );
        }
        const askedAt = changes;
        const newer = (key: string): boolean => (changedAt.get(key) ?? 0) > askedAt;
        try {
          const { analyses } = await api.analyses(productionId);
          answeredAt = now();
          kept.write({ at: answeredAt, analyses });
          set((s) => ({
            status: 'ready',
            unreached: null,
            knownFrom: null,
            // a whole outcome that is already here stays
            bySubject: {
              ...Object.fromEntries(
                analyses.map((a) => {
                  const here = s.bySubject[keyOf(a)];
                  if (here && isLate(a, here)) return [keyOf(a), here];
                  return [keyOf(a), here?.id === a.id && here.status === 'done' ? { ...here, stale: a.stale ?? null } : a];
                }),
              ),
              ...Object.fromEntries(Object.entries(s.bySubject).filter(([key, here]) => newer(key) && analyses.every((a) => a.id !== here.id))),
            },
          }));
          analyses.filter(active).forEach((a) => void follow(a));
        } catch (error) {
          const said = error instanceof Error ? error.message : String(error);
          set((s) => ({ status: s.status === 'ready' ? 'ready' : 'failed', knownFrom: answeredAt ?? s.knownFrom, unreached: said }));
        }
      },
      async loadWhole(subjectId) {
        const a = get().bySubject[subjectId];
        if (!a || a.status !== 'done' || isWhole(a)) return;
        const whole = await api.analysis(productionId, a.id).catch(() => null);
        if (whole) await kept.writeWhole(whole).catch(() => undefined);
        const known = whole ?? (await kept.readWhole(a.id).catch(() => undefined));
        // whether it is old only the list says, and it may have come meanwhile
        const listed = get().bySubject[subjectId];
        if (known && listed?.id === known.id) put({ ...known, stale: listed.stale ?? null });
      },
      async start(kind, subjectId, options = {}) {
        set({ error: null });
        try {
          const a = await api.startAnalysis(productionId, { id: newId(), kind, subjectId, options });
          put(a);
          void follow(a);
        } catch (error) {
          set({ error: error instanceof Error ? error.message : String(error) });
        }
      },
      async stop(subjectId) {
        const a = get().bySubject[subjectId];
        if (!a || !active(a)) return;
        const stopped = await api.stopAnalysis(productionId, a.id).catch(() => null);
        if (stopped) put(stopped);
      },
    };
  });
}
/** Where the analysis that makes files of a plate's lens is found. */
export const filesOf = (plateId: string): string => `${plateId}/files`;
const keyOf = (a: Analysis): string => (a.kind === 'lens-files' ? filesOf(a.subjectId) : a.subjectId);

export type AnalysesStore = ReturnType<typeof createAnalysesStore>;

/** The list leaves out corners, frames and points; a whole outcome has them. */
export function isWhole(a: Analysis): boolean {
  if (!a.outcome) return false;
  if (a.outcome.kind === 'lens-files' || a.outcome.kind === 'sync') return true;
  if (a.outcome.kind === 'walk') return a.outcome.placed.places.length > 0 || a.outcome.placed.turnsOnly || a.outcome.placed.status === 'failed';
  if (a.outcome.kind === 'tracks') return a.outcome.frames.length > 0;
  return a.outcome.kind === 'grid' ? a.outcome.corners.length > 0 || a.outcome.report.plates[0]?.corners === 0 : a.outcome.solve.frames.length > 0 || a.outcome.solve.status === 'failed';
}
