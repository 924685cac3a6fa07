import 'fake-indexeddb/auto';
import type { Problem, RecordBodies, RecordKind, RecordWrite } from '@mesure/contract';
import { MemoryRecords } from '../../test/memory-records';
import { ApiError, OfflineError } from './api';
import { openLocalCopy } from './local-copy';
import { createRecordsStore } from './records-store';

/** A server with the rules of the real one, and a line that can be cut before or after the server has the change. */
function fakeServer() {
  const memory = new MemoryRecords();
  const state = { cut: 'no' as 'no' | 'before' | 'after', writes: 0, signedIn: true };
  const problem = (code: Problem['code'], status: number, more: object = {}) => new ApiError({ type: 'about:blank', title: code, status, code, detail: code, instance: '', ...more });
  return {
    state,
    memory,
    records: memory.records,
    api: {
      records: async (_p: string, after: number | null = null, epoch: string | null = null) => {
        if (state.cut !== 'no') throw new OfflineError();
        return memory.since(after, epoch);
      },
      write: async (_p: string, kind: RecordKind, id: string, write: RecordWrite) => {
        if (state.cut === 'before') throw new OfflineError();
        if (!state.signedIn) throw problem('NOT_SIGNED_IN', 401);
        if ((write.body as { name?: string }).name === 'refused') throw problem('INVALID', 422);
        const had = memory.log.length;
        const answer = memory.write(kind, id, write);
        if ('status' in answer) throw problem(answer.code, answer.status, answer);
        state.writes += memory.log.length - had;
        if (state.cut === 'after') throw new OfflineError();
        return answer;
      },
    },
  };
}

let counter = 0;
function device(server: ReturnType<typeof fakeServer>, name = `db-${(counter += 1)}`) {
  const local = openLocalCopy(name);
  return { name, local, store: createRecordsStore({ api: server.api, local, productionId: 'p', author: 'me', newId: () => `m-${(counter += 1)}`, now: () => 'now' }) };
}
const set = (name: string) => ({ name, marks: [] as string[] });

test('a change is sent and the server’s version becomes the local one', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('Galley'), 'kept');
  await store.getState().send();
  expect(store.getState().outbox).toHaveLength(0);
  expect(store.getState().records.a).toMatchObject({ version: 1, updatedBy: 'wrangler' });
});

test('without a network it waits on disk, survives a reload, and goes exactly once', async () => {
  const server = fakeServer();
  server.state.cut = 'before';
  const first = device(server);
  await first.store.getState().open();
  await first.store.getState().write('set', 'a', set('Galley'), 'kept');
  await first.store.getState().write('set', 'a', (now) => ({ ...now, marks: ['K1'] }), 'kept');
  await first.store.getState().send();
  expect(first.store.getState().outbox.map((w) => w.state)).toEqual(['waiting', 'waiting']);
  // the page is closed and opened again
  const second = device(server, first.name);
  await second.store.getState().open();
  expect(second.store.getState().records.a.body).toEqual({ name: 'Galley', marks: ['K1'] });
  expect(second.store.getState().outbox).toHaveLength(2);
  // the line breaks after the server has it: sent again, done once
  server.state.cut = 'after';
  await second.store.getState().send();
  server.state.cut = 'no';
  await second.store.getState().send();
  await second.store.getState().refresh();
  expect(second.store.getState().outbox).toHaveLength(0);
  expect(server.state.writes).toBe(2);
  expect(server.records.get('a')).toMatchObject({ version: 2, body: { name: 'Galley', marks: ['K1'] } });
});

test('changes made while answers come in are all kept, in order, without a conflict', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('Galley'), 'kept');
  // a finger that sets marks faster than the line answers
  for (let i = 0; i < 25; i += 1) {
    void store.getState().write('set', 'a', (now) => ({ ...now, marks: [...now.marks, `K${i}`] }), 'mark');
    await new Promise((r) => setTimeout(r, i % 4));
  }
  await store.getState().write('set', 'a', (now) => ({ ...now, name: 'Jetty' }), 'name');
  await store.getState().send();
  expect(store.getState().outbox).toEqual([]);
  expect(server.records.get('a')).toMatchObject({ version: 27, body: { name: 'Jetty', marks: Array.from({ length: 25 }, (_, i) => `K${i}`) } });
  expect(store.getState().records.a.version).toBe(27);
});

test('two fields left at the same moment do not overwrite each other', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('Galley'), 'kept');
  await Promise.all([store.getState().write('set', 'a', (now) => ({ ...now, name: 'Jetty' }), 'name'), store.getState().write('set', 'a', (now) => ({ ...now, marks: ['J1'] }), 'marks')]);
  await store.getState().send();
  expect(server.records.get('a')!.body).toEqual({ name: 'Jetty', marks: ['J1'] });
});

test('a change made elsewhere meanwhile is shown, not overwritten; mine or theirs is the person’s choice', async () => {
  for (const choice of ['mine', 'theirs'] as const) {
    const server = fakeServer();
    const { store } = device(server);
    await store.getState().open();
    await store.getState().write('set', 'a', set('Start'), 'kept');
    await store.getState().send();
    server.records.set('a', { ...server.records.get('a')!, version: 2, body: set('Theirs') });
    await store.getState().write('set', 'a', set('Mine'), 'kept');
    await store.getState().send();
    const [conflict] = store.getState().outbox;
    expect(conflict).toMatchObject({ state: 'conflict', current: { version: 2, body: { name: 'Theirs' } } });
    expect(server.records.get('a')!.body).toEqual(set('Theirs'));
    await store.getState().decide(conflict.seq!, choice);
    await store.getState().send();
    expect(store.getState().outbox).toHaveLength(0);
    expect(server.records.get('a')!.body).toEqual(set(choice === 'mine' ? 'Mine' : 'Theirs'));
    expect(store.getState().records.a.body).toEqual(set(choice === 'mine' ? 'Mine' : 'Theirs'));
  }
});

test('a refused change is kept and said; the others go on', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('refused'), 'kept');
  await store.getState().write('set', 'b', set('fine'), 'kept');
  await store.getState().send();
  expect(store.getState().outbox).toMatchObject([{ recordId: 'a', state: 'refused', message: 'INVALID' }]);
  expect(server.records.has('b')).toBe(true);
});

/** Two devices that both know the record, at one server. */
async function two(body = set('Start')) {
  const server = fakeServer();
  const [a, b] = [device(server), device(server)];
  await a.store.getState().open();
  await a.store.getState().write('set', 'r', body, 'kept');
  await a.store.getState().send();
  await b.store.getState().open();
  const offline = async (work: () => Promise<void>) => {
    server.state.cut = 'before';
    await work();
    server.state.cut = 'no';
  };
  const setTurn = (left: boolean) => (now: RecordBodies['set']) => ({ ...now, turn: { a: 'K1', b: 'K2', c: 'K3', left } });
  return { server, a: a.store, b: b.store, aDevice: a, offline, setTurn };
}

test('two people change different fields with no network: both hold, on the server and on both devices', async () => {
  const { server, a, b, offline, setTurn } = await two();
  await offline(async () => {
    await a.getState().write('set', 'r', (now) => ({ ...now, name: 'Galley' }), 'name');
    await a.getState().write('set', 'r', (now) => ({ ...now, marks: ['K1'] }), 'mark');
    await b.getState().write('set', 'r', setTurn(true), 'turn');
  });
  await b.getState().send();
  await a.getState().send();
  const all = { name: 'Galley', marks: ['K1'], turn: { a: 'K1', b: 'K2', c: 'K3', left: true } };
  expect(server.records.get('r')!.body).toEqual(all);
  expect(a.getState().records.r).toMatchObject({ version: 4, body: all });
  await b.getState().refresh();
  expect(b.getState().records.r.body).toEqual(all);
  expect([...a.getState().outbox, ...b.getState().outbox]).toEqual([]);
});

test('the same field: both values, who and when; one decision, and what was changed after it goes along', async () => {
  for (const side of ['mine', 'theirs'] as const) {
    const { server, a, b, offline, setTurn } = await two();
    await offline(async () => {
      await a.getState().write('set', 'r', setTurn(false), 'turn');
      await a.getState().write('set', 'r', (now) => ({ ...now, name: 'Galley' }), 'name');
      await b.getState().write('set', 'r', setTurn(true), 'turn');
    });
    server.memory.author = 'supervisor';
    await b.getState().send();
    await a.getState().send();
    const [clash] = a.getState().outbox;
    expect(clash).toMatchObject({ state: 'conflict', clashes: [{ field: 'turn', who: 'supervisor' }] });
    expect(server.records.get('r')!.body).toMatchObject({ name: 'Start', turn: { left: true } });
    await a.getState().decide(clash.seq!, { turn: side });
    await a.getState().send();
    expect(a.getState().outbox).toEqual([]);
    expect(server.records.get('r')!.body).toMatchObject({ name: 'Galley', turn: { left: side === 'theirs' } });
    expect(a.getState().records.r.body).toEqual(server.records.get('r')!.body);
  }
});

test('what is heard while changes wait here is taken when they are sent; undo takes back only what it did', async () => {
  const { server, a, b, offline, setTurn } = await two();
  await offline(() => a.getState().write('set', 'r', (now) => ({ ...now, name: 'Galley' }), 'name'));
  await b.getState().write('set', 'r', setTurn(true), 'turn');
  await b.getState().send();
  await a.getState().hear(server.memory.since(1));
  expect(a.getState().records.r.body).toEqual(set('Galley'));
  await a.getState().send();
  await b.getState().refresh();
  await b.getState().write('set', 'r', (now) => ({ ...now, marks: ['K7'] }), 'mark');
  await b.getState().send();
  await a.getState().refresh();
  await a.getState().undo();
  await a.getState().send();
  expect(server.records.get('r')!.body).toEqual({ name: 'Start', marks: ['K7'], turn: { a: 'K1', b: 'K2', c: 'K3', left: true } });
});

test('several records with one tap: kept together, one undo for all', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().writeMany(
    ['a', 'b', 'a'].map((id, i) => ({ kind: 'set' as const, id, change: (now: unknown) => ({ ...(now as object), ...set(`n${i}`) }) as RecordBodies['set'] })),
    'three',
  );
  await store.getState().send();
  expect([server.records.get('a')!.version, server.records.get('a')!.body, server.records.get('b')!.body]).toEqual([2, set('n2'), set('n1')]);
  await store.getState().undo();
  await store.getState().send();
  expect([server.records.get('a')!.deleted, server.records.get('b')!.deleted]).toEqual([true, true]);
  expect(store.getState().undoStack).toEqual([]);
});

test('a refused change that is dropped leaves what was changed after it; a record nobody wants goes', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('fine'), 'kept');
  await store.getState().send();
  await store.getState().write('set', 'a', set('refused'), 'kept');
  await store.getState().send();
  await store.getState().write('set', 'a', (now) => ({ ...now, marks: ['K1'] }), 'mark');
  await store.getState().decide(store.getState().outbox[0].seq!, 'theirs');
  await store.getState().send();
  expect(server.records.get('a')!.body).toEqual({ name: 'fine', marks: ['K1'] });
  await store.getState().write('set', 'new', set('refused'), 'kept');
  await store.getState().send();
  await store.getState().decide(store.getState().outbox[0].seq!, 'theirs');
  expect([store.getState().outbox, store.getState().records.new]).toEqual([[], undefined]);
});

test('after a reload only what changed is asked for, unless changes wait', async () => {
  const { server, a, aDevice, offline } = await two();
  const asked: (number | null)[] = [];
  const { records } = server.api;
  server.api.records = async (p, after = null) => {
    asked.push(after);
    return records(p, after);
  };
  await a.getState().refresh();
  const reopened = device(server, aDevice.name);
  await reopened.store.getState().open();
  await offline(() => reopened.store.getState().write('set', 'r', set('Waits'), 'kept'));
  const third = device(server, aDevice.name);
  await third.store.getState().open();
  expect(asked).toEqual([0, 1, null]);
  expect(third.store.getState().records.r.body).toEqual(set('Waits'));
});

test('an ended session stops the sending and loses nothing', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  server.state.signedIn = false;
  await store.getState().write('set', 'a', set('Galley'), 'kept');
  await store.getState().send();
  expect(store.getState()).toMatchObject({ signInNeeded: true, outbox: [{ state: 'waiting' }] });
  server.state.signedIn = true;
  await store.getState().send();
  expect(server.state.writes).toBe(1);
});

test('undo brings back what was there, and takes away what was new', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('One'), 'created');
  await store.getState().write('set', 'a', set('Two'), 'changed');
  await store.getState().undo();
  expect(store.getState().records.a).toMatchObject({ body: { name: 'One' }, deleted: false });
  await store.getState().write('set', 'b', set('New'), 'created');
  await store.getState().undo();
  expect(store.getState().records.b.deleted).toBe(true);
});

test('what waits here is not replaced by an older answer of the server', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('Old'), 'kept');
  await store.getState().send();
  server.state.cut = 'before';
  await store.getState().write('set', 'a', set('New'), 'kept');
  await store.getState().send();
  const { write } = server.api;
  server.state.cut = 'no';
  server.api.write = async () => {
    throw new OfflineError();
  };
  await store.getState().refresh();
  expect(store.getState().records.a.body).toEqual(set('New'));
  server.api.write = write;
});

test('a first start without a network and without a copy says so', async () => {
  const server = fakeServer();
  server.state.cut = 'before';
  const { store } = device(server);
  await store.getState().open();
  expect(store.getState()).toMatchObject({ status: 'failed', error: expect.stringMatching(/cannot be reached/) });
});

describe('a server that was restored from a backup', () => {
  /** What the server held at a moment, put back later: the log is shorter, and the epoch another one. */
  const snapshot = (server: ReturnType<typeof fakeServer>) => {
    const records = new Map(server.memory.records);
    const log = server.memory.log.length;
    return () => {
      server.memory.records.clear();
      for (const [id, r] of records) server.memory.records.set(id, r);
      server.memory.log = server.memory.log.slice(0, log);
      server.memory.epoch = 'epoch-2';
    };
  };

  test('what only this device has is kept, survives a reload, and goes back whole on request', async () => {
    const server = fakeServer();
    const first = device(server);
    await first.store.getState().open();
    await first.store.getState().write('set', 'a', set('Galley'), 'kept');
    await first.store.getState().send();
    await first.store.getState().refresh();
    const restore = snapshot(server);
    await first.store.getState().write('set', 'a', set('Galley, port side'), 'kept');
    await first.store.getState().write('tie', 't', { setId: 'b' } as never, 'kept');
    await first.store.getState().write('set', 'b', set('Jetty'), 'kept');
    await first.store.getState().send();
    await first.store.getState().refresh();
    expect(first.store.getState().onlyHere).toEqual([]);
    restore();
    await first.store.getState().refresh();
    // the screens show what the server holds; what it lost waits for a decision
    expect(first.store.getState().records.a.body).toEqual(set('Galley'));
    expect(first.store.getState().records.b).toBeUndefined();
    const again = device(server, first.name);
    await again.store.getState().open();
    expect(
      again.store
        .getState()
        .onlyHere.map((r) => r.id)
        .sort(),
    ).toEqual(['a', 'b', 't']);
    await again.store.getState().giveBack();
    expect(server.memory.log.slice(1).map((c) => c.id)).toEqual(['a', 'b', 't']);
    expect(server.records.get('a')).toMatchObject({ version: 2, body: set('Galley, port side') });
    expect(server.records.get('b')).toMatchObject({ version: 1, body: set('Jetty') });
    expect([again.store.getState().onlyHere, again.store.getState().outbox]).toEqual([[], []]);
    expect((await again.local.getMeta<unknown[]>('onlyHere'))!).toEqual([]);
  });

  test('a device that has read no further than the backup lost nothing, and one that lets go keeps what the server has', async () => {
    const server = fakeServer();
    const early = device(server);
    const late = device(server);
    await early.store.getState().open();
    await early.store.getState().write('set', 'a', set('Galley'), 'kept');
    await early.store.getState().send();
    await early.store.getState().refresh();
    const restore = snapshot(server);
    await late.store.getState().open();
    await late.store.getState().write('set', 'b', set('Jetty'), 'kept');
    await late.store.getState().send();
    await late.store.getState().refresh();
    restore();
    await early.store.getState().refresh();
    await late.store.getState().refresh();
    expect(early.store.getState().onlyHere).toEqual([]);
    expect(late.store.getState().onlyHere.map((r) => r.id)).toEqual(['b']);
    await late.store.getState().letGo();
    expect([late.store.getState().onlyHere, Object.keys(late.store.getState().records)]).toEqual([[], ['a']]);
  });

  test('what waited to be sent when the server was restored is asked about, not lost', async () => {
    const server = fakeServer();
    const { store } = device(server);
    await store.getState().open();
    const restore = snapshot(server);
    await store.getState().write('set', 'a', set('Galley'), 'kept');
    await store.getState().send();
    await store.getState().refresh();
    server.state.cut = 'before';
    await store.getState().write('set', 'a', set('Galley, port side'), 'kept');
    await store.getState().send();
    restore();
    server.state.cut = 'no';
    await store.getState().send();
    await store.getState().refresh();
    expect(store.getState().outbox.map((w) => w.state)).toEqual(['conflict']);
    expect(store.getState().records.a.body).toEqual(set('Galley, port side'));
    await store.getState().decide(store.getState().outbox[0].seq!, 'mine');
    await store.getState().send();
    expect(server.records.get('a')).toMatchObject({ version: 1, body: set('Galley, port side') });
  });
});

test('what was entered is on disk and on the screen before it is sent: the sending waits until the page has drawn', async () => {
  const idle: { work: () => void; timeout: number | undefined }[] = [];
  const usual = globalThis.requestIdleCallback;
  globalThis.requestIdleCallback = ((work: () => void, options?: { timeout?: number }) => idle.push({ work, timeout: options?.timeout })) as never;
  try {
    const server = fakeServer();
    const { store, name } = device(server);
    await store.getState().open();
    await store.getState().write('set', 'a', set('Galley'), 'kept');
    expect(store.getState().records.a).toMatchObject({ body: set('Galley') });
    expect(server.state.writes).toBe(0);
    // a page that is killed in between has it on the disk
    expect((await openLocalCopy(name).readAll()).outbox).toHaveLength(1);
    // a page that never rests sends it all the same
    expect(idle[0].timeout).toBeLessThanOrEqual(200);
    idle[0].work();
    await store.getState().send();
    expect(server.state.writes).toBe(1);
    expect(store.getState().outbox).toEqual([]);
  } finally {
    globalThis.requestIdleCallback = usual;
  }
});

test('what is on its way to the disk is told as such, and “kept” waits for it; so does a change that a person is asked about', async () => {
  const server = fakeServer();
  const { local } = device(server);
  let written: () => void = () => undefined;
  let answered: (yes: boolean) => void = () => undefined;
  const slow = { ...local, keepChanges: async (kept: Parameters<typeof local.keepChanges>[0]) => (await new Promise<void>((resolve) => (written = resolve)), local.keepChanges(kept)) };
  const store = createRecordsStore({
    api: server.api,
    local: slow,
    productionId: 'p',
    author: 'me',
    newId: () => `m-${(counter += 1)}`,
    now: () => 'now',
    mayChange: () => new Promise((resolve) => (answered = resolve)),
  });
  await store.getState().open();
  await store.getState().kept();
  const writing = store.getState().write('set', 'a', set('Galley'), 'kept');
  const done: string[] = [];
  void store
    .getState()
    .kept()
    .then(() => done.push('kept'));
  expect(store.getState()).toMatchObject({ keeping: 1, outbox: [] });
  answered(true);
  await new Promise((resolve) => setTimeout(resolve, 5));
  expect(done).toEqual([]);
  written();
  await writing;
  await Promise.resolve();
  expect(done).toEqual(['kept']);
  expect(store.getState().keeping).toBe(0);
  const refused = store.getState().write('set', 'a', set('Hold'), 'kept');
  answered(false);
  await refused;
  await store.getState().kept();
  expect(store.getState().records.a.body).toMatchObject({ name: 'Galley' });
});
