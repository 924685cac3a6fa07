import type { Analysis, Problem, SessionInfo } from '@mesure/contract';
import { createAnalysesStore, isWhole, type KeptAnalyses } from './analyses-store';
import { ApiError, OfflineError } from './api';
import { createSessionStore } from './session-store';

const problem = (code: Problem['code'], status: number) => new ApiError({ type: 'about:blank', title: code, status, code, detail: `refused: ${code}`, instance: '' });
const analysis = (change: Partial<Analysis> = {}): Analysis => ({
  id: 'a1',
  kind: 'solve',
  subjectId: 'take',
  status: 'queued',
  progress: 0,
  stage: '',
  error: null,
  outcome: null,
  createdAt: '',
  finishedAt: null,
  ...change,
});
const outcome = (frames: number) => ({ kind: 'solve', solve: { status: 'solved', frames: Array.from({ length: frames }, () => ({})) } }) as unknown as Analysis['outcome'];

describe('analyses', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  /** A server whose answers are taken in turn; the last one stays. */
  function make(answers: (Analysis | Error)[], device?: KeptAnalyses) {
    let asked = 0;
    const next = () => {
      const a = answers[Math.min(asked, answers.length - 1)];
      asked += 1;
      if (a instanceof Error) throw a;
      return a;
    };
    const api = {
      analyses: jest.fn(async () => ({ analyses: [next()] })),
      analysis: jest.fn(async () => next()),
      startAnalysis: jest.fn(async () => next()),
      stopAnalysis: jest.fn(async () => next()),
    };
    let onDevice = device;
    const wholes = new Map<string, Analysis>();
    const kept = {
      read: async () => onDevice,
      write: async (k: KeptAnalyses) => void (onDevice = k),
      readWhole: async (id: string) => wholes.get(id),
      writeWhole: async (a: Analysis) => void wholes.set(a.id, a),
    };
    return { api, kept, store: createAnalysesStore({ api, kept, productionId: 'p', newId: () => 'a1', now: () => `2026-03-02T10:0${asked}:00Z` }) };
  }
  const now = (store: ReturnType<typeof make>['store']) => store.getState().bySubject.take;

  test('a started one is followed to its end, over a line that breaks meanwhile', async () => {
    const { store, api } = make([analysis(), new OfflineError(), analysis({ status: 'running', progress: 0.5 }), analysis({ status: 'done', outcome: outcome(3) })]);
    await store.getState().start('solve', 'take', { focalMode: 'free' });
    expect(api.startAnalysis).toHaveBeenCalledWith('p', { id: 'a1', kind: 'solve', subjectId: 'take', options: { focalMode: 'free' } });
    expect(now(store).status).toBe('queued');
    await jest.advanceTimersByTimeAsync(500);
    expect(now(store).status).toBe('queued');
    await jest.advanceTimersByTimeAsync(500);
    expect(now(store)).toMatchObject({ status: 'running', progress: 0.5 });
    await jest.advanceTimersByTimeAsync(500);
    expect(now(store).status).toBe('done');
    const asked = api.analysis.mock.calls.length;
    await jest.advanceTimersByTimeAsync(5000);
    expect(api.analysis).toHaveBeenCalledTimes(asked);
  });
  test('one that has ended does not run again for an answer that was written before and came late, by itself or in a list', async () => {
    const { store, api } = make([analysis(), analysis({ status: 'running', progress: 0.3 })]);
    await store.getState().start('solve', 'take');
    api.stopAnalysis.mockResolvedValue(analysis({ status: 'stopped' }));
    await store.getState().stop('take');
    expect(now(store).status).toBe('stopped');
    // the question that was under way comes back with how it was
    await jest.advanceTimersByTimeAsync(500);
    expect(now(store).status).toBe('stopped');
    api.analyses.mockResolvedValue({ analyses: [analysis({ status: 'running' })] });
    await store.getState().refresh();
    expect(now(store).status).toBe('stopped');
  });
  test('one that is stopped changed nothing: once the list was read, what was known before it stands again', async () => {
    const before = analysis({ id: 'before', status: 'done', outcome: outcome(5) });
    const { store, api } = make([analysis(), analysis({ status: 'stopped' })]);
    api.analyses.mockResolvedValue({ analyses: [before] });
    await store.getState().refresh();
    await store.getState().start('solve', 'take');
    expect(now(store).status).toBe('queued');
    api.stopAnalysis.mockResolvedValue(analysis({ status: 'stopped' }));
    await store.getState().stop('take');
    expect(now(store).status).toBe('stopped');
    await jest.advanceTimersByTimeAsync(1000);
    expect(now(store)).toMatchObject({ id: 'before', status: 'done' });
  });
  test('one that the server refuses leaves its reason and nothing else', async () => {
    const { store } = make([problem('NOT_READY', 409)]);
    await store.getState().start('solve', 'take');
    expect(store.getState()).toMatchObject({ error: 'refused: NOT_READY', bySubject: {} });
  });
  test('one that runs already is followed once, however often the list is read', async () => {
    const running = analysis({ status: 'running' });
    const { store, api } = make([running]);
    await store.getState().refresh();
    await store.getState().refresh();
    await jest.advanceTimersByTimeAsync(500);
    expect(api.analysis).toHaveBeenCalledTimes(1);
  });
  test('a whole outcome is asked for once and survives the list, which leaves it out', async () => {
    const { store, api } = make([analysis({ status: 'done', outcome: outcome(0) }), analysis({ status: 'done', outcome: outcome(5) }), analysis({ status: 'done', outcome: outcome(0) })]);
    await store.getState().refresh();
    expect(isWhole(now(store))).toBe(false);
    await store.getState().loadWhole('take');
    await store.getState().loadWhole('take');
    expect(api.analysis).toHaveBeenCalledTimes(1);
    await store.getState().refresh();
    expect(isWhole(now(store))).toBe(true);
  });
  test('a list that was written before the one that was started meanwhile does not put the one before it back', async () => {
    const before = analysis({ id: 'a0', status: 'done', outcome: outcome(0) });
    const { store, api } = make([analysis({ status: 'running' })]);
    let answer: (list: { analyses: Analysis[] }) => void = () => undefined;
    api.analyses.mockImplementationOnce(() => new Promise((r) => (answer = r)));
    const reading = store.getState().refresh();
    await jest.advanceTimersByTimeAsync(0);
    await store.getState().start('solve', 'take');
    answer({ analyses: [before] });
    await reading;
    expect(now(store)).toMatchObject({ id: 'a1', status: 'running' });
    // one that is asked for afterwards knows it
    api.analyses.mockImplementationOnce(async () => ({ analyses: [before] }));
    await store.getState().refresh();
    expect(now(store).id).toBe('a0');
  });
  test('what makes it old is said by the list alone, and stands whichever answer comes first', async () => {
    const stale = { when: '2026-03-02T09:30:00Z', who: 'Ivo Tam', what: 'lens 32' };
    const { store } = make([analysis({ status: 'done', outcome: outcome(0), stale }), analysis({ status: 'done', outcome: outcome(5) })]);
    await store.getState().refresh();
    await store.getState().loadWhole('take');
    expect(isWhole(now(store))).toBe(true);
    expect(now(store).stale).toEqual(stale);
  });
  test('only what is under way can be stopped', async () => {
    const { store, api } = make([analysis({ status: 'done', outcome: outcome(1) })]);
    await store.getState().refresh();
    await store.getState().stop('take');
    await store.getState().stop('unknown');
    expect(api.stopAnalysis).not.toHaveBeenCalled();
  });
  test('a list that cannot be had fails at first and is only remarked later', async () => {
    const { store } = make([new OfflineError(), analysis({ status: 'done' }), new OfflineError()]);
    await store.getState().refresh();
    expect(store.getState().status).toBe('failed');
    await store.getState().refresh();
    expect(store.getState()).toMatchObject({ status: 'ready', unreached: null, knownFrom: null });
    await store.getState().refresh();
    // nothing was refused to be started: the line is gone, and what stands there is from the answer before
    expect(store.getState()).toMatchObject({ status: 'ready', error: null, knownFrom: '2026-03-02T10:02:00Z' });
    expect(store.getState().unreached).toMatch(/cannot be reached/);
  });
  test('what was known before the page was opened is there without a line, and says from when', async () => {
    const solved = analysis({ status: 'done', outcome: outcome(0) });
    const { store, kept } = make([new OfflineError()], { at: '2026-03-02T09:00:00Z', analyses: [solved] });
    await kept.writeWhole(analysis({ status: 'done', outcome: outcome(4) }));
    await store.getState().refresh();
    expect(store.getState()).toMatchObject({ status: 'ready', knownFrom: '2026-03-02T09:00:00Z' });
    expect(now(store).status).toBe('done');
    // one that was looked at here is there whole
    await store.getState().loadWhole('take');
    expect(isWhole(now(store))).toBe(true);
  });
  test('on a device that never heard of any it is said that nothing is known', async () => {
    const { store } = make([new OfflineError()]);
    await store.getState().refresh();
    expect(store.getState()).toMatchObject({ status: 'failed', knownFrom: 'never', bySubject: {} });
  });
  test('an answer replaces what was known: an analysis that the server has no more is gone', async () => {
    const { store } = make([analysis({ subjectId: 'another' })], { at: '2026-03-02T09:00:00Z', analyses: [analysis({ status: 'done' })] });
    await store.getState().refresh();
    expect(store.getState()).toMatchObject({ knownFrom: null });
    expect(Object.keys(store.getState().bySubject)).toEqual(['another']);
  });
});

describe('the session', () => {
  const session: SessionInfo = { userId: 'u', name: 'wrangler', role: 'wrangler', production: { id: 'p', name: 'The Salt Ferry' }, productions: [], epoch: 'e', csrfToken: 't' };
  const kept = new Map<string, string>();
  beforeEach(() => {
    kept.clear();
    (globalThis as { localStorage?: unknown }).localStorage = {
      getItem: (k: string) => kept.get(k) ?? null,
      setItem: (k: string, v: string) => kept.set(k, v),
      removeItem: (k: string) => kept.delete(k),
    };
  });
  const make = (answer: () => Promise<SessionInfo>, signOut = async () => undefined) => createSessionStore({ session: answer, signIn: answer, signOut });

  test('a right sign-in is remembered on the device; a wrong one says why and is not', async () => {
    const right = make(async () => session);
    expect(await right.getState().signIn('wrangler', 'x')).toBe(true);
    expect(right.getState()).toMatchObject({ status: 'signed-in', busy: false, error: null });
    expect(JSON.parse(kept.get('mesure-session')!)).toMatchObject({ name: 'wrangler' });
    kept.clear();
    const wrong = make(async () => {
      throw problem('WRONG_SIGN_IN', 401);
    });
    expect(await wrong.getState().signIn('wrangler', 'y')).toBe(false);
    expect(wrong.getState()).toMatchObject({ status: 'checking', busy: false, error: 'refused: WRONG_SIGN_IN' });
    expect(kept.size).toBe(0);
  });
  test('without a network the device opens with whoever was signed in', async () => {
    await make(async () => session)
      .getState()
      .signIn('wrangler', 'x');
    const offline = make(async () => {
      throw new OfflineError();
    });
    await offline.getState().check();
    expect(offline.getState()).toMatchObject({ status: 'signed-in', session: { name: 'wrangler' } });
    kept.clear();
    const nobody = make(async () => {
      throw new OfflineError();
    });
    await nobody.getState().check();
    expect(nobody.getState().status).toBe('signed-out');
  });
  test('a session that the server ended is forgotten', async () => {
    await make(async () => session)
      .getState()
      .signIn('wrangler', 'x');
    const ended = make(async () => {
      throw problem('NOT_SIGNED_IN', 401);
    });
    await ended.getState().check();
    expect(ended.getState()).toMatchObject({ status: 'signed-out', session: null });
    expect(kept.has('mesure-session')).toBe(false);
  });
  test('signing out forgets, also when the server does not hear it', async () => {
    const store = make(
      async () => session,
      async () => {
        throw new OfflineError();
      },
    );
    await store.getState().signIn('wrangler', 'x');
    await store.getState().signOut();
    expect(store.getState()).toMatchObject({ status: 'signed-out', session: null });
    expect(kept.has('mesure-session')).toBe(false);
  });
  test('who signs in anew is in the film whose copy is on this device, while it is still his', async () => {
    const other = { ...session, production: { id: 'q', name: 'Second Tide' } };
    const both = ['p', 'q'].map((id) => ({ id, name: id, role: 'wrangler' as const, demo: false }));
    await make(async () => session)
      .getState()
      .signIn('wrangler', 'x');
    // after a restore the server does not know where anybody was last
    const again = (productions: typeof both) =>
      createSessionStore({ signIn: async () => ({ ...other, productions }), session: async (id) => ({ ...(id === 'p' ? session : other), productions }), signOut: async () => undefined });
    const back = again(both);
    await back.getState().signIn('wrangler', 'x');
    expect(back.getState().session!.production.id).toBe('p');
    const gone = again(both.slice(1));
    await gone.getState().signIn('wrangler', 'x');
    expect(gone.getState().session!.production.id).toBe('q');
  });
});
