import type { SessionInfo } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import { ApiError, setCsrfToken, type Api } from './api';
import { lastFilm, rememberedSession, rememberFilm, rememberSession } from './local-copy';

export interface SessionState {
  status: 'checking' | 'signed-out' | 'signed-in';
  session: SessionInfo | null;
  error: string | null;
  busy: boolean;
  /** the password was right, and this person's sign-in takes a code too */
  codeAsked: boolean;
  check(): Promise<void>;
  signIn(name: string, password: string, code?: string): Promise<boolean>;
  /** begins a session that another way gave: a link, another production */
  accept(session: SessionInfo): void;
  /** looks at another production of the same person */
  switchTo(productionId: string): Promise<void>;
  signOut(): Promise<void>;
}

/** Does the server say that a code belongs to this sign-in, or that the one that was given is wrong? */
export const asksForCode = (error: unknown): boolean => error instanceof ApiError && (error.problem.fields ?? []).some((f) => f.field === 'code');

export function createSessionStore(api: Pick<Api, 'session' | 'signIn' | 'signOut'>) {
  return createStore<SessionState>()((set, get) => {
    const accept = (told: SessionInfo) => {
      // the same said again is the same: every place hangs on it, and none is drawn again
      const here = get().session;
      const session = here && JSON.stringify(here) === JSON.stringify(told) ? here : told;
      setCsrfToken(session.csrfToken);
      rememberSession(session);
      rememberFilm(session);
      set({ status: 'signed-in', session, error: null, codeAsked: false });
    };
    const forget = () => {
      rememberSession(null);
      set({ status: 'signed-out', session: null, error: null });
    };
    return {
      status: 'checking',
      session: null,
      error: null,
      busy: false,
      codeAsked: false,
      async check() {
        const remembered = rememberedSession();
        if (remembered) accept(remembered);
        try {
          // a production that this person is no longer part of: another one, if there is one
          const known = await api.session(remembered?.production.id ?? null).catch((error: unknown) => {
            if (error instanceof ApiError && error.problem.code === 'NOT_FOUND') return api.session(null);
            throw error;
          });
          accept(known);
        } catch (error) {
          if (error instanceof ApiError && error.problem.code === 'NOT_SIGNED_IN') forget();
          else if (!remembered) set({ status: 'signed-out', session: null, error: null });
        }
      },
      async signIn(name, password, code) {
        set({ busy: true, error: null });
        try {
          const told = await api.signIn(name, password, code);
          const here = lastFilm(told.userId);
          // the server knows where this person was last; this device knows where its own copy is, also beside a server that was restored
          accept(here && here !== told.production.id && told.productions.some((q) => q.id === here) ? await api.session(here).catch(() => told) : told);
          return true;
        } catch (error) {
          // that a code is needed too is no fault of anybody
          const asked = error instanceof ApiError && error.problem.code === 'CODE_NEEDED';
          set({ error: asked ? null : error instanceof Error ? error.message : String(error), codeAsked: asksForCode(error) || get().codeAsked });
          return false;
        } finally {
          set({ busy: false });
        }
      },
      accept,
      async switchTo(productionId) {
        accept(await api.session(productionId));
      },
      async signOut() {
        await api.signOut().catch(() => undefined);
        forget();
      },
    };
  });
}
