import { tellWhatWaits } from './tell-waiting';
import { fakeStore as store } from '../../test/fake-store';
import type { PicturesStore } from './pictures-store';
import type { RecordsStore } from './records-store';

describe('what waits on this device is told to the others', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());
  const begin = () => {
    const records = store({ outbox: [] as string[], onlyHere: [] as string[], reachable: true });
    const pictures = store({ pictures: [] as string[] });
    const told: number[] = [];
    const failing = { now: false };
    const tellWaiting = async (n: number) => {
      if (failing.now) throw new TypeError('cut');
      told.push(n);
    };
    const stop = tellWhatWaits({ tellWaiting: tellWaiting as never }, records as unknown as RecordsStore, pictures as unknown as PicturesStore);
    return { records, pictures, told, failing, stop };
  };
  const aWhile = () => jest.advanceTimersByTimeAsync(2500);

  test('several changes in a row once, with pictures and with what only this device has; and that nothing waits any more', async () => {
    const { records, pictures, told } = begin();
    await aWhile();
    expect(told).toEqual([]);
    records.change({ outbox: ['a'] });
    records.change({ outbox: ['a', 'b'], onlyHere: ['c'] });
    pictures.change({ pictures: ['p'] });
    await aWhile();
    expect(told).toEqual([4]);
    records.change({ outbox: [], onlyHere: [] });
    pictures.change({ pictures: [] });
    await aWhile();
    expect(told).toEqual([4, 0]);
  });

  test('what is sent at once is not told; without a line nothing is, and afterwards what is left', async () => {
    const { records, told, failing, stop } = begin();
    // once after a reload, when nobody here knows what was told before
    records.change({ outbox: ['a'] });
    records.change({ outbox: [] });
    await aWhile();
    expect(told.splice(0)).toEqual([0]);
    records.change({ outbox: ['a'] });
    records.change({ outbox: [] });
    await aWhile();
    expect(told).toEqual([]);
    records.change({ reachable: false, outbox: ['a', 'b'] });
    await aWhile();
    expect(told).toEqual([]);
    failing.now = true;
    records.change({ reachable: true });
    await aWhile();
    failing.now = false;
    records.change({ outbox: ['b'] });
    await aWhile();
    expect(told).toEqual([1]);
    stop();
    records.change({ outbox: [] });
    await aWhile();
    expect(told).toEqual([1]);
  });
});
