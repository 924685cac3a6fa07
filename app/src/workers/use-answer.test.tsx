import { act, renderHook } from '@testing-library/react-native';
import { useAnswer } from './use-answer';

/** Questions that are under way, answered by hand and in any order. */
function desk() {
  const open = new Map<string, { resolve: (answer: string) => void; reject: (error: Error) => void }>();
  const ask = (key: string) => () => new Promise<string>((resolve, reject) => open.set(key, { resolve, reject }));
  const hook = renderHook(({ key, pauseMs }: { key: string | null; pauseMs?: number }) => useAnswer(key, ask(key ?? ''), pauseMs), { initialProps: { key: 'a' as string | null } });
  return {
    open,
    now: () => hook.result.current,
    put: (key: string | null, pauseMs?: number) => hook.rerender({ key, pauseMs }),
    answer: (key: string) => act(async () => open.get(key)!.resolve(`of ${key}`)),
    fail: (key: string) => act(async () => open.get(key)!.reject(new Error(`no ${key}`))),
  };
}

test('an answer is given as today’s only for the question that was asked', async () => {
  const d = desk();
  expect(d.now()).toEqual({ now: null, failed: null, last: null });
  await d.answer('a');
  expect(d.now()).toEqual({ now: 'of a', failed: null, last: 'of a' });
  // in the very same frame in which the question changes
  d.put('b');
  expect(d.now()).toEqual({ now: null, failed: null, last: 'of a' });
  await d.answer('b');
  expect(d.now().now).toBe('of b');
});

test('what comes late of a question that has changed is dropped, an answer and a failure', async () => {
  const d = desk();
  d.put('b');
  await d.answer('a');
  expect(d.now()).toEqual({ now: null, failed: null, last: null });
  d.put('c');
  await d.fail('b');
  expect(d.now().failed).toBeNull();
  await d.answer('c');
  expect(d.now().now).toBe('of c');
});

test('a failure is of its question too; what was known before stays as what was before', async () => {
  const d = desk();
  await d.answer('a');
  d.put('b');
  await d.fail('b');
  expect(d.now()).toEqual({ now: null, failed: 'no b', last: 'of a' });
  d.put('c');
  expect(d.now()).toEqual({ now: null, failed: null, last: 'of a' });
});

test('nothing is asked without a key, nor before the pause is over, and of what changed in it only the last', async () => {
  jest.useFakeTimers();
  const d = desk();
  await d.answer('a');
  d.put(null);
  expect(d.now()).toEqual({ now: null, failed: null, last: 'of a' });
  d.put('b', 100);
  act(() => jest.advanceTimersByTime(60));
  d.put('c', 100);
  act(() => jest.advanceTimersByTime(60));
  expect([...d.open.keys()]).toEqual(['a']);
  act(() => jest.advanceTimersByTime(60));
  expect([...d.open.keys()]).toEqual(['a', 'c']);
  jest.useRealTimers();
});
