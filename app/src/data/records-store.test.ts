import 'fake-indexeddb/auto';
import type { Problem, RecordKind, RecordWrite, StoredRecord } from '@mesure/contract';
import { ApiError, OfflineError } from './api';
import { openLocalCopy } from './local-copy';
import { createRecordsStore } from './records-store';

/** A server with the rules of the real one, and a line that can be cut before or after the server has the change. */
function fakeServer() {
  const records = new Map<string, StoredRecord>();
  const done = new Set<string>();
  const state = { cut: 'no' as 'no' | 'before' | 'after', writes: 0, signedIn: true };
  const problem = (code: Problem['code'], status: number, current?: unknown) => new ApiError({ type: 'about:blank', title: code, status, code, detail: code, instance: '', current });
  return {
    state,
    records,
    api: {
      records: async () => {
        if (state.cut !== 'no') throw new OfflineError();
        return { records: [...records.values()] };
      },
      write: async (_p: string, kind: RecordKind, id: string, write: RecordWrite) => {
        if (state.cut === 'before') throw new OfflineError();
        if (!state.signedIn) throw problem('NOT_SIGNED_IN', 401);
        const before = records.get(id);
        if (!done.has(write.mutationId)) {
          if ((before?.version ?? 0) !== write.baseVersion) throw problem('STALE', 409, before ?? null);
          if ((write.body as { name?: string }).name === 'refused') throw problem('INVALID', 422);
          done.add(write.mutationId);
          state.writes += 1;
          records.set(id, { id, kind, version: write.baseVersion + 1, deleted: write.deleted, body: write.body, updatedAt: 'server', updatedBy: 'server' });
        }
        if (state.cut === 'after') throw new OfflineError();
        return { record: records.get(id)! };
      },
    },
  };
}

let counter = 0;
function device(server: ReturnType<typeof fakeServer>, name = `db-${(counter += 1)}`) {
  const local = openLocalCopy(name);
  return { name, store: createRecordsStore({ api: server.api, local, productionId: 'p', author: 'me', newId: () => `m-${(counter += 1)}`, now: () => 'now' }) };
}
const set = (name: string) => ({ name, marks: [] as string[] });

test('a change is sent and the server’s version becomes the local one', async () => {
  const server = fakeServer();
  const { store } = device(server);
  await store.getState().open();
  await store.getState().write('set', 'a', set('Galley'), 'kept');
  await store.getState().send();
  expect(store.getState().outbox).toHaveLength(0);
  expect(store.getState().records.a).toMatchObject({ version: 1, updatedBy: 'server' });
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
