import type { SessionInfo } from '@mesure/contract';
import { createStore } from 'zustand/vanilla';
import { ApiError, setCsrfToken, type Api } from './api';
import { rememberedSession, rememberSession } from './local-copy';

export interface SessionState {
  status: 'checking' | 'signed-out' | 'signed-in';
  session: SessionInfo | null;
  error: string | null;
  busy: boolean;
  check(): Promise<void>;
  signIn(name: string, password: string): Promise<boolean>;
  signOut(): Promise<void>;
}

export function createSessionStore(api: Pick<Api, 'session' | 'signIn' | 'signOut'>) {
  return createStore<SessionState>()((set) => {
    const accept = (session: SessionInfo) => {
      setCsrfToken(session.csrfToken);
      rememberSession(session);
      set({ status: 'signed-in', session, error: null });
    };
    return {
      status: 'checking',
      session: null,
      error: null,
      busy: false,
      async check() {
        const remembered = rememberedSession();
        if (remembered) accept(remembered);
        try {
          accept(await api.session());
        } catch (error) {
          if (error instanceof ApiError && error.problem.code === 'NOT_SIGNED_IN') {
            rememberSession(null);
            set({ status: 'signed-out', session: null });
          } else if (!remembered) set({ status: 'signed-out', session: null, error: null });
        }
      },
      async signIn(name, password) {
        set({ busy: true, error: null });
        try {
          accept(await api.signIn(name, password));
          return true;
        } catch (error) {
          set({ error: error instanceof Error ? error.message : String(error) });
          return false;
        } finally {
          set({ busy: false });
        }
      },
      async signOut() {
        await api.signOut().catch(() => undefined);
        rememberSession(null);
        set({ status: 'signed-out', session: null, error: null });
      },
    };
  });
}
