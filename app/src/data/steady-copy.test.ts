import 'fake-indexeddb/auto';
import type { RecordKind, RecordWrite } from '@mesure/contract';
import { MemoryRecords } from '../../test/memory-records';
import { OfflineError } from './api';
import { openLocalCopy, type LocalCopy, type WaitingPicture } from './local-copy';
import { createRecordsStore } from './records-store';
import { steadyCopy, type Trouble } from './steady-copy';

let counter = 0;
/** A phone whose disk can be filled, and a server that can be out of reach. */
function phone(name = `steady-${(counter += 1)}`, memory = new MemoryRecords()) {
  const state = { full: false, cut: false };
  const disk = openLocalCopy(name);
  const writes: (keyof LocalCopy)[] = ['keepChanges', 'settle', 'rebase', 'mark', 'takeBatch', 'setMeta', 'keepPicture', 'markPicture', 'dropPicture'];
  const fillable = { ...disk };
  for (const key of writes)
    (fillable as Record<string, unknown>)[key] = async (...args: unknown[]) => {
      if (state.full) throw Object.assign(new Error('full'), { name: 'QuotaExceededError' });
      return (disk[key] as (...a: unknown[]) => Promise<unknown>)(...args);
    };
  const told: (Trouble | null)[] = [];
  const local = steadyCopy(fillable, (t) => told.push(t));
  const api = {
    records: async (_p: string, after: number | null = null, epoch: string | null = null) => {
      if (state.cut) throw new OfflineError();
      return memory.since(after, epoch);
    },
    write: async (_p: string, kind: RecordKind, id: string, write: RecordWrite) => {
      if (state.cut) throw new OfflineError();
      const answer = memory.write(kind, id, write);
      if ('status' in answer) throw new Error(`refused: ${answer.code}`);
      return answer;
    },
  };
  const store = createRecordsStore({ api, local, productionId: 'p', author: 'me', newId: () => `m-${(counter += 1)}`, now: () => 'now' });
  return { name, memory, state, disk, local, store, told, last: () => told.at(-1) ?? null };
}
const set = (name: string) => ({ name, marks: [] as string[] });
const names = (list: readonly { write: RecordWrite }[]) => list.map((w) => (w.write.body as { name: string }).name);

test('what a full phone does not take is in the page, is sent, and is told as long as it is only there', async () => {
  const { store, state, told, last, memory, disk } = phone();
  await store.getState().open();
  state.cut = true;
  state.full = true;
  await store.getState().write('set', 'a', set('Galley'), 'kept');
  await store.getState().write('set', 'a', set('Galley, aft'), 'kept');
  expect(store.getState().records.a.body).toMatchObject({ name: 'Galley, aft' });
  expect(names(store.getState().outbox)).toEqual(['Galley', 'Galley, aft']);
  expect(last()).toEqual({ why: 'The phone has no room left for what is kept here.', unkept: 2 });
  expect((await disk.readAll()).outbox).toEqual([]);
  state.cut = false;
  await store.getState().send();
  expect(store.getState().outbox).toEqual([]);
  expect(memory.records.get('a')).toMatchObject({ version: 2, body: { name: 'Galley, aft' } });
  // all is with the server: the phone is still full, and nothing is only here
  expect(last()).toMatchObject({ unkept: 0 });
  state.full = false;
  await store.getState().write('set', 'b', set('Jetty'), 'kept');
  expect(last()).toBeNull();
  expect(told.some((t) => t?.unkept === 2)).toBe(true);
});

test('when there is room again all of it goes to the disk in its order, and a page that comes back sends it once', async () => {
  const first = phone();
  await first.store.getState().open();
  first.state.cut = true;
  await first.store.getState().write('set', 'a', set('one'), 'kept');
  first.state.full = true;
  await first.store.getState().write('set', 'a', set('two'), 'kept');
  await first.store.getState().write('set', 'b', set('other'), 'kept');
  first.state.full = false;
  await first.store.getState().write('set', 'a', set('three'), 'kept');
  expect(first.last()).toBeNull();
  expect(names((await first.disk.readAll()).outbox)).toEqual(['one', 'two', 'other', 'three']);
  // in the page the later ones stand behind the earlier ones by their numbers too
  const numbers = first.store.getState().outbox.map((w) => w.seq!);
  expect([...numbers].sort((x, y) => x - y)).toEqual(numbers);

  const again = phone(first.name, first.memory);
  await again.store.getState().open();
  await again.store.getState().send();
  expect(first.memory.records.get('a')).toMatchObject({ version: 3, body: { name: 'three' } });
  expect(first.memory.records.get('b')).toMatchObject({ version: 1 });
  // the page of before, whose numbers the disk does not know, takes what it had off the disk too
  first.state.cut = false;
  await first.store.getState().send();
  expect(first.store.getState().outbox).toEqual([]);
  expect((await first.disk.readAll()).outbox).toEqual([]);
  expect(first.memory.log).toHaveLength(4);
});

test('a full phone does not stop what others changed from being seen, and reads it from the server when it starts again', async () => {
  const memory = new MemoryRecords();
  const a = phone(undefined, memory);
  const b = phone(undefined, memory);
  await a.store.getState().open();
  await b.store.getState().open();
  a.state.full = true;
  await b.store.getState().write('set', 'x', set('by another'), 'kept');
  await b.store.getState().send();
  await a.store.getState().refresh();
  expect(a.store.getState().records.x.body).toMatchObject({ name: 'by another' });
  a.state.full = false;
  const again = phone(a.name, memory);
  await again.store.getState().open();
  expect(again.store.getState().records.x.body).toMatchObject({ name: 'by another' });
});

test('a picture that the disk does not take waits in the page and goes from there', async () => {
  const { local, state, last } = phone();
  const picture = { id: 'pic', kind: 'plate', name: 'a.jpg', addedAt: '1', sizeBytes: 3, refused: null } as unknown as WaitingPicture;
  const bytes = new Uint8Array([1, 2, 3]).buffer;
  state.full = true;
  await local.keepPicture(picture, bytes);
  expect(last()).toMatchObject({ unkept: 1 });
  expect(await local.pictureBytes('pic')).toBe(bytes);
  await local.markPicture({ ...picture, refused: 'too dark' });
  await local.dropPicture('pic');
  expect(last()).toMatchObject({ unkept: 0 });
  expect(await local.pictureBytes('pic')).toBeUndefined();
  // another fault than a full disk is told by its own words
  const broken = { ...openLocalCopy('steady-broken'), setMeta: async () => Promise.reject(new Error('the disk was taken out')) };
  const told: (Trouble | null)[] = [];
  await steadyCopy(broken, (t) => told.push(t)).setMeta('k', 1);
  expect(told).toEqual([{ why: 'The browser does not write to the phone (the disk was taken out).', unkept: 0 }]);
});
