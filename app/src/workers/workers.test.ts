import { inWorker, longInWorker, Stopped } from '.';

interface Posted {
  id: number;
  task: { kind: string };
}
/** A worker that answers when the test says so. */
class HandWorker {
  static made: HandWorker[] = [];
  posted: Posted[] = [];
  ended = false;
  onmessage: ((e: { data: unknown }) => void) | null = null;
  onerror: (() => void) | null = null;
  constructor() {
    HandWorker.made.push(this);
  }
  postMessage(message: Posted) {
    this.posted.push(message);
  }
  terminate() {
    this.ended = true;
  }
  say(data: unknown) {
    this.onmessage!({ data });
  }
}
const box = { widthPx: 8, heightPx: 8, data: new Float32Array(64) };
const before = globalThis.Worker;
beforeEach(() => {
  HandWorker.made = [];
  (globalThis as { Worker?: unknown }).Worker = HandWorker;
});
afterAll(() => {
  (globalThis as { Worker?: unknown }).Worker = before;
});

test('a long computation has a worker of its own, tells how far it is, and ends it when it is done', async () => {
  const told: number[] = [];
  const run = longInWorker({ kind: 'detail', image: box }, (share) => told.push(share));
  const [own] = HandWorker.made;
  expect(own.posted).toMatchObject([{ task: { kind: 'detail' } }]);
  own.say({ id: 0, progress: 0.25 });
  own.say({ id: 0, progress: 0.5 });
  own.say({ id: 0, answer: { corners: 7, spread: 1 } });
  await expect(run.answer).resolves.toEqual({ corners: 7, spread: 1 });
  expect(told).toEqual([0.25, 0.5]);
  await Promise.resolve();
  expect(own.ended).toBe(true);
});
test('stopped, it ends at once and says that it was stopped, not that it failed', async () => {
  const run = longInWorker({ kind: 'detail', image: box }, () => undefined);
  run.stop();
  await expect(run.answer).rejects.toBeInstanceOf(Stopped);
  expect(HandWorker.made[0].ended).toBe(true);
});
test('a refusal of the core comes as its words; a worker that dies says what is safe', async () => {
  const refused = longInWorker({ kind: 'detail', image: box }, () => undefined);
  HandWorker.made[0].say({ id: 0, error: { message: 'The frame rate is 0' } });
  await expect(refused.answer).rejects.toThrow('The frame rate is 0');
  const died = longInWorker({ kind: 'detail', image: box }, () => undefined);
  HandWorker.made[1].onerror!();
  await expect(died.answer).rejects.toThrow(/What you entered is safe/);
});
test('short ones share a worker, answers find their questions, and after a crash the next question starts a new one', async () => {
  const one = inWorker({ kind: 'detail', image: box });
  const two = inWorker({ kind: 'detail', image: box });
  const [shared] = HandWorker.made;
  expect(HandWorker.made).toHaveLength(1);
  const [a, b] = shared.posted.map((q) => q.id);
  shared.say({ id: b, answer: { corners: 2, spread: 0 } });
  shared.say({ id: a, answer: { corners: 1, spread: 0 } });
  await expect(one).resolves.toMatchObject({ corners: 1 });
  await expect(two).resolves.toMatchObject({ corners: 2 });
  const lost = inWorker({ kind: 'detail', image: box });
  shared.onerror!();
  await expect(lost).rejects.toThrow(/could not run on this device/);
  const again = inWorker({ kind: 'detail', image: box });
  expect(HandWorker.made).toHaveLength(2);
  HandWorker.made[1].say({ id: HandWorker.made[1].posted[0].id, answer: { corners: 3, spread: 0 } });
  await expect(again).resolves.toMatchObject({ corners: 3 });
});
