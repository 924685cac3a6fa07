import type { Problem } from '@mesure/contract';
import { ApiError, OfflineError } from '../../app/src/data/errors';
import type { Random } from './random';

/** Of requests so many never arrive, and of answers so many never come back. */
const CUT_SHARE = 0.03;
const PATIENCE_MS = 15_000;

export interface Answer {
  status: number;
  headers: Headers;
  body: Uint8Array;
}

/** A phone's line: each request goes to one of the web processes, and some are cut on the way there or back. */
export function openLine(addresses: readonly string[], random: Random) {
  let cookie = '';
  let csrf = '';
  const state = { off: false, cuts: true };
  const cut = () => state.off || (state.cuts && random.chance(CUT_SHARE));

  async function ask(method: string, path: string, headers: Record<string, string> = {}, body?: Uint8Array | string): Promise<Answer> {
    const address = random.pick(addresses);
    if (cut()) throw new OfflineError();
    let response: Response;
    let bytes: ArrayBuffer;
    try {
      response = await fetch(`${address}${path}`, {
        method,
        headers: { ...(cookie ? { cookie } : {}), ...(method === 'GET' || method === 'HEAD' ? {} : { 'x-csrf-token': csrf }), ...headers },
        body: body as string | undefined,
        signal: AbortSignal.timeout(PATIENCE_MS),
      });
      bytes = await response.arrayBuffer();
    } catch {
      throw new OfflineError();
    }
    if (cut()) throw new OfflineError();
    for (const c of response.headers.getSetCookie()) cookie = c.split(';')[0];
    return { status: response.status, headers: response.headers, body: new Uint8Array(bytes) };
  }
  /** as the application's: an answer that is none is as good as no line */
  async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
    const r = await ask(method, `/api${path}`, body === undefined ? {} : { 'content-type': 'application/json' }, body === undefined ? undefined : JSON.stringify(body));
    let parsed: unknown;
    try {
      parsed = r.status === 204 ? undefined : JSON.parse(Buffer.from(r.body).toString('utf8'));
    } catch {
      throw new OfflineError();
    }
    if (r.status >= 400) throw new ApiError(parsed as Problem);
    return parsed as T;
  }
  return { ask, call, state, signed: (token: string) => void (csrf = token) };
}
export type Line = ReturnType<typeof openLine>;
