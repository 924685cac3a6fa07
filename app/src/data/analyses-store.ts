import type { Analysis, AnalysisKind } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import type { AnalysisOptions, Api } from './api';

const POLL_MS = 500;

export interface AnalysesState {
  status: 'loading' | 'ready' | 'failed';
  /** newest analysis of each subject (plate or take); the files of a plate's lens stand beside its measuring, under `filesOf` */
  bySubject: Record<string, Analysis>;
  error: string | null;
  refresh(): Promise<void>;
  /** with the whole outcome: corners of a plate, frames and points of a solve */
  loadWhole(subjectId: string): Promise<void>;
  start(kind: AnalysisKind, subjectId: string, options?: AnalysisOptions): Promise<void>;
  stop(subjectId: string): Promise<void>;
}

export function createAnalysesStore({ api, productionId, newId }: { api: Pick<Api, 'analyses' | 'analysis' | 'startAnalysis' | 'stopAnalysis'>; productionId: string; newId: () => string }) {
  const polling = new Set<string>();
  return createStore<AnalysesState>()((set, get) => {
    const put = (a: Analysis) => set((s) => ({ bySubject: { ...s.bySubject, [keyOf(a)]: a } }));
    const active = (a: Analysis) => a.status === 'queued' || a.status === 'running';
    async function follow(a: Analysis): Promise<void> {
      if (polling.has(a.id)) return;
      polling.add(a.id);
      try {
        for (let now = a; active(now);) {
          await new Promise((r) => setTimeout(r, POLL_MS));
          const next = await api.analysis(productionId, a.id).catch(() => null); // a lost line: the job goes on, ask again
          if (next) {
            now = next;
            put(next);
          }
        }
      } finally {
        polling.delete(a.id);
      }
    }
    return {
      status: 'loading',
      bySubject: {},
      error: null,
      async refresh() {
        try {
          const { analyses } = await api.analyses(productionId);
          set((s) => ({
            status: 'ready',
            error: null,
            // a whole outcome that is already here stays
            bySubject: Object.fromEntries(
              analyses.map((a) => {
                const here = s.bySubject[keyOf(a)];
                return [keyOf(a), here?.id === a.id && here.status === 'done' ? { ...here, stale: a.stale ?? null } : a];
              }),
            ),
          }));
          analyses.filter(active).forEach((a) => void follow(a));
        } catch (error) {
          set((s) => ({ status: s.status === 'ready' ? 'ready' : 'failed', error: error instanceof Error ? error.message : String(error) }));
        }
      },
      async loadWhole(subjectId) {
        const a = get().bySubject[subjectId];
        if (!a || a.status !== 'done' || isWhole(a)) return;
        const whole = await api.analysis(productionId, a.id).catch(() => null);
        if (whole) put(whole);
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
  if (a.outcome.kind === 'tracks') return a.outcome.frames.length > 0;
  return a.outcome.kind === 'grid' ? a.outcome.corners.length > 0 || a.outcome.report.plates[0]?.corners === 0 : a.outcome.solve.frames.length > 0 || a.outcome.solve.status === 'failed';
}
