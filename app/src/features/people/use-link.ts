import type { FieldProblem, LinkPurpose, LinkSays, SessionInfo } from '@mesure/contract';
import { useEffect, useState } from 'react';
import { ApiError, api, asksForCode, useSession } from '../../data';

/** The secret of a link stands behind the #: a browser sends it to nobody. */
export const tokenOfAddress = (): string => (typeof location === 'undefined' ? '' : location.hash.slice(1));

export type LinkState = { status: 'looking' } | { status: 'bad'; why: string } | { status: 'good'; says: LinkSays; token: string };

/** What the link in the address is for, as the server says. */
export function useLinkSays(what: LinkPurpose): LinkState {
  const [state, setState] = useState<LinkState>({ status: 'looking' });
  useEffect(() => {
    const token = tokenOfAddress();
    let gone = false;
    const put = (s: LinkState) => !gone && setState(s);
    if (!token) put({ status: 'bad', why: 'The address is not whole: its end, behind the #, is missing.' });
    else
      api.lookAtLink(token).then(
        (says) => put(says.what === what ? { status: 'good', says, token } : { status: 'bad', why: 'This link is for something else.' }),
        (e: Error) => put({ status: 'bad', why: e.message }),
      );
    return () => {
      gone = true;
    };
  }, [what]);
  return state;
}

/** Uses a link up: the session that it gives is this device's, and the first place opens. */
export function useGoIn() {
  const accept = useSession((s) => s.accept);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<{ text: string; fields: FieldProblem[] } | null>(null);
  const [codeAsked, setCodeAsked] = useState(false);
  return {
    busy,
    error,
    /** whoever comes in has switched the second step on */
    codeAsked,
    async go(work: () => Promise<SessionInfo>, where: string): Promise<boolean> {
      setBusy(true);
      setError(null);
      try {
        const session = await work();
        accept(session);
        // a page of its own: the used-up secret does not stay in the address, and the places begin with this session
        location.replace(where);
        return true;
      } catch (e) {
        if (asksForCode(e)) setCodeAsked(true);
        // that a code is needed too is no fault of anybody
        if (!(e instanceof ApiError && e.problem.code === 'CODE_NEEDED')) setError({ text: e instanceof Error ? e.message : String(e), fields: e instanceof ApiError ? (e.problem.fields ?? []) : [] });
        return false;
      } finally {
        setBusy(false);
      }
    },
  };
}
