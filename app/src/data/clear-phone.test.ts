import type { RecordWrite, SessionInfo, StoredRecord } from '@mesure/contract';
import { clearPhone } from './clear-phone';
import { localCopyName, openLocalCopy } from './local-copy';

const session = {
  userId: 'u1',
  productions: [
    { id: 'p1', name: 'Tin Harbour' },
    { id: 'p2', name: 'Salt Ferry' },
  ],
} as SessionInfo;
const record = { id: 'r1', kind: 'day', version: 1, deleted: false, body: { name: 'Day 1' }, updatedAt: '', updatedBy: 'Ada' } as unknown as StoredRecord;
const names = async () => (await indexedDB.databases()).map((d) => d.name).sort();

/** A copy with a record of the server's, and a change that waits where one is asked for. */
async function fill(productionId: string, userId: string, waits: boolean): Promise<void> {
  const copy = openLocalCopy(localCopyName(productionId, userId));
  await copy.takeBatch([record], { cursor: 1, epoch: 'e' }, []);
  if (waits) await copy.keepChanges([{ record, waiting: { recordId: 'r1', kind: 'day', write: {} as RecordWrite, state: 'waiting', message: null, current: null } }]);
}

beforeEach(async () => {
  globalThis.localStorage.clear();
  for (const name of await names()) indexedDB.deleteDatabase(name!);
});

test('the copies of every film go, with what was half typed; another person’s copy and the light of the screen stay', async () => {
  for (const p of ['p1', 'p2']) await fill(p, 'u1', false);
  await fill('p1', 'u2', false);
  for (const key of ['mesure-draft:r1:notes', 'mesure-day', 'mesure-light']) globalThis.localStorage.setItem(key, 'x');
  expect(await clearPhone(session)).toEqual([]);
  expect(await names()).toEqual([localCopyName('p1', 'u2')]);
  expect(Object.keys(globalThis.localStorage)).toEqual(['mesure-light']);
});

test('a film in which something waits to be sent stays whole and is named, and what was typed beside it', async () => {
  await fill('p1', 'u1', false);
  await fill('p2', 'u1', true);
  globalThis.localStorage.setItem('mesure-draft:r1:notes', 'half');
  expect(await clearPhone(session)).toEqual(['Salt Ferry']);
  expect(await names()).toEqual([localCopyName('p2', 'u1')]);
  expect((await openLocalCopy(localCopyName('p2', 'u1')).readAll()).outbox).toHaveLength(1);
  expect(globalThis.localStorage.getItem('mesure-draft:r1:notes')).toBe('half');
});
