import { dismissEvicted, evictedStore, watchForEviction } from './evicted';
import { fakeStore as store } from '../../test/fake-store';
import type { PicturesStore } from './pictures-store';
import type { RecordsStore } from './records-store';

const FILM = '12345678-0000-4000-8000-000000000000';
const AT = '2026-11-28T14:10:00.000Z';
/** cookies as a browser keeps them, by name */
let jar: Record<string, string>;
beforeEach(() => {
  jar = {};
  Object.defineProperty(globalThis, 'document', {
    configurable: true,
    value: {
      get cookie() {
        return Object.entries(jar)
          .map(([k, v]) => `${k}=${v}`)
          .join('; ');
      },
      set cookie(text: string) {
        const [, name, value, rest] = /^([^=]+)=([^;]*);(.*)$/.exec(text)!;
        if (/Max-Age=0/.test(rest)) delete jar[name];
        else jar[name] = value;
      },
    },
  });
});
afterAll(() => Reflect.deleteProperty(globalThis, 'document'));

const open = (film = FILM, userId = 'aaaaaaaa-1') => {
  const records = store({ status: 'loading', begunEmpty: false, outbox: [] as string[], onlyHere: [] as string[] });
  const pictures = store({ pictures: [] as string[] });
  const stop = watchForEviction({ productionId: film, userId }, records as unknown as RecordsStore, pictures as unknown as PicturesStore, () => AT);
  return { records, pictures, stop };
};

test('what waits is counted where the browser does not clear; a copy that begins empty beside such a count was taken away', () => {
  const first = open();
  first.records.change({ begunEmpty: true });
  expect(evictedStore.getState().evicted).toBeNull();
  first.records.change({ status: 'ready', outbox: ['a', 'b'] });
  first.pictures.change({ pictures: ['p'] });
  first.stop();
  // the next time everything is gone
  const second = open();
  second.records.change({ begunEmpty: true });
  expect(evictedStore.getState().evicted).toEqual({ count: 3, at: AT });
  // nothing is counted over it until somebody has seen it: another start says it again
  second.records.change({ status: 'ready', outbox: ['c'] });
  second.stop();
  const third = open();
  // the copy has been filled by the server meanwhile
  third.records.change({ status: 'ready' });
  expect(evictedStore.getState().evicted).toEqual({ count: 3, at: AT });
  dismissEvicted();
  expect(evictedStore.getState().evicted).toBeNull();
  third.records.change({ status: 'ready' });
  expect(evictedStore.getState().evicted).toBeNull();
  third.stop();
  const fourth = open();
  fourth.records.change({ begunEmpty: true });
  expect(evictedStore.getState().evicted).toBeNull();
  fourth.stop();
});

test('a copy that is there says nothing, sent is sent, and another film has a count of its own', () => {
  const first = open();
  first.records.change({ status: 'ready', outbox: ['a'] });
  first.stop();
  const again = open();
  again.records.change({ status: 'ready', outbox: ['a'] });
  expect(evictedStore.getState().evicted).toBeNull();
  const other = open('87654321-0000-4000-8000-000000000000');
  other.records.change({ begunEmpty: true });
  expect(evictedStore.getState().evicted).toBeNull();
  other.stop();
  // somebody else on this device, who was never here, has lost nothing
  const second = open(FILM, 'bbbbbbbb-1');
  second.records.change({ begunEmpty: true });
  expect(evictedStore.getState().evicted).toBeNull();
  second.records.change({ status: 'ready' });
  second.stop();
  again.records.change({ outbox: [] });
  again.stop();
  expect(jar).toEqual({});
});
