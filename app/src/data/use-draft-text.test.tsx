import { act, renderHook } from '@testing-library/react-native';
import { useDraftText } from './use-draft-text';

let kept: () => void = () => undefined;
jest.mock('.', () => ({ useKept: () => () => new Promise<void>((resolve) => (kept = resolve)) }));

const onDevice = () => globalThis.localStorage.getItem('mesure-draft:take:height');
const turn = () => act(async () => void (await new Promise((resolve) => setTimeout(resolve, 1))));
afterEach(() => globalThis.localStorage.clear());

test('what was typed leaves the device when its value is on it, not before: a page that dies between has one of them', async () => {
  const { result, unmount } = renderHook(() => useDraftText('take', 'height', '1.40 m'));
  act(() => result.current.type('1m42'));
  act(() => result.current.done());
  expect(result.current.open).toBe(false);
  await turn();
  expect(onDevice()).toBe('1m42');
  unmount();
  // another page opens before the value is kept: it stands there, half typed
  const again = renderHook(() => useDraftText('take', 'height', '1.40 m'));
  expect(again.result.current.text).toBe('1m42');
  again.unmount();
  kept();
  await turn();
  expect(onDevice()).toBeNull();
});

test('what is typed on meanwhile stays', async () => {
  const { result } = renderHook(() => useDraftText('take', 'height', '1.40 m'));
  act(() => result.current.type('1m42'));
  act(() => result.current.done());
  await turn();
  act(() => result.current.type('1m43'));
  kept();
  await turn();
  expect(onDevice()).toBe('1m43');
});
