import { act, screen } from '@testing-library/react-native';
import { useEffect } from 'react';
import { FakeServer, open, settle } from '../features/test-day';
import { newId, troubleStore, useData } from './index';

let held: ReturnType<typeof useData>;
const Probe = () => {
  const data = useData();
  useEffect(() => {
    held = data;
  }, [data]);
  return null;
};
const writeTo = (data: typeof held) => act(() => data.local.setMeta('cursor', newId()));

test('a copy that cannot be written says so while it is open, and nothing any more of the one that is opened after it', async () => {
  const server = new FakeServer();
  await open(<Probe />, server);
  const left = held;
  const transaction = IDBDatabase.prototype.transaction;
  IDBDatabase.prototype.transaction = () => {
    throw new DOMException('no room', 'QuotaExceededError');
  };
  try {
    await writeTo(left);
    expect(troubleStore.getState().trouble).toMatchObject({ why: expect.stringMatching(/no room left/) });
    screen.unmount();
    expect(troubleStore.getState().trouble).toBeNull();
    await writeTo(left);
    expect(troubleStore.getState().trouble).toBeNull();
  } finally {
    IDBDatabase.prototype.transaction = transaction;
  }
  await open(<Probe />, server);
  await writeTo(left);
  await settle();
  expect(held).not.toBe(left);
  expect(troubleStore.getState().trouble).toBeNull();
});
