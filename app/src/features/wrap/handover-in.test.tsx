import type { DayLine, HandoverInAnswer } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, pushed, seen, settle } from '../test-day';
import { HandoverInScreen } from './handover-in-screen';
import { WrapScreen } from './wrap-screen';

let mockFile: File | null = null;
jest.mock('../../ui/pick-file', () => ({ pickFile: async () => mockFile, pickFiles: async () => [] }));

const line = (kind: DayLine['kind'], what: DayLine['what'], name: string, note = ''): DayLine => ({ kind, what, name, note, id: `${kind} ${name}`, by: 'Odalys', at: '2026-11-23T18:40:00.000Z' });
const INCOMING: HandoverInAnswer = {
  production: 'Tin Harbour',
  day: { id: ID.day, name: 'Day 3', date: '2026-11-23' },
  lines: [
    line('take', 'same', '41A take 1'),
    line('take', 'new', '41A take 2', 'without a file that is not in the handover'),
    line('take', 'different', '41A take 3'),
    line('lens', 'new', 'Orrinel 50 · 7', 'another one is here, and it comes in beside it: here it is 32 mm'),
    line('still', 'cannot', 'wall.png', 'its picture is not in the handover'),
  ],
  files: { coming: 3, comingBytes: 2_400_000, missing: 1 },
  solves: 2,
  brought: null,
};
const press = async (id: string) => {
  fireEvent.press(screen.getByTestId(id));
  await settle();
};

test('a handover is seen before it comes in, with who said what and when; what differs is taken where that is asked for', async () => {
  const server = new FakeServer();
  server.incoming = INCOMING;
  mockFile = new File([new Uint8Array(64)], 'day.zip') as unknown as File;
  await open(<HandoverInScreen />, server);
  expect(screen.queryByTestId('bring-handover')).toBeNull();
  await press('pick-handover');
  expect(screen.getByTestId('handover-told')).toHaveTextContent(/Day 3 of Tin Harbour/);
  expect(seen('2 new, 1 says something else here, 1 here already, 1 cannot come in')).toBe(true);
  expect(seen('3 files of pictures and tracks come along, 2.4 MB. 1 that its records name is neither in it nor here. 2 test solves of takes that have none here.')).toBe(true);
  expect(seen('+ 41A take 2')).toBe(true);
  expect(seen('new: without a file that is not in the handover · Odalys, 2026-11-23 18:40')).toBe(true);
  expect(seen('▲ wall.png')).toBe(true);
  expect(screen.getByTestId('bring-handover')).toHaveTextContent('Bring in 2 records');
  await press('replace-different');
  expect(screen.getByTestId('bring-handover')).toHaveTextContent('Bring in 3 records');
  await press('bring-handover');
  expect(server.broughtIn).toEqual([{ sha256: expect.stringMatching(/^[0-9a-f]{64}$/), replace: true }]);
  expect(seen('✓ 3 records came in')).toBe(true);
  expect(screen.getByTestId('solves-came')).toHaveTextContent('2 test solves came along, as they were when they were handed over.');
  expect(screen.queryByTestId('bring-handover')).toBeNull();
  await press('go-to-day');
  expect(pushed()).toContain('/floor');
});

test('one that is no handover is refused in words; a fault half-way says what stays', async () => {
  const server = new FakeServer();
  mockFile = new File([new Uint8Array(64)], 'day.zip') as unknown as File;
  await open(<HandoverInScreen />, server);
  await press('pick-handover');
  expect(seen(/no list of its files\. Nothing was changed/)).toBe(true);
  server.incoming = INCOMING;
  await press('pick-handover');
  expect(seen(/no list of its files/)).toBe(false);
  server.failing.set('/handover-in/bring', server.problem('UNAVAILABLE', 503, 'The database does not answer.'));
  await press('bring-handover');
  expect(seen(/does not answer\. What came in so far stays; bring it in again/)).toBe(true);
  server.failing.clear();
  await press('bring-handover');
  expect(seen(/2 records came in/)).toBe(true);
});

test('everything here already has nothing to bring; nobody who only reads brings anything', async () => {
  const server = new FakeServer();
  server.incoming = { ...INCOMING, lines: INCOMING.lines.filter((l) => l.what === 'same') };
  mockFile = new File([new Uint8Array(64)], 'day.zip') as unknown as File;
  await open(<HandoverInScreen />, server);
  await press('pick-handover');
  // its records are, and its solves are not
  expect(screen.getByTestId('bring-handover')).toHaveTextContent('Bring in the test solves');
  server.incoming = { ...server.incoming, solves: 0 };
  await press('pick-handover');
  expect(screen.getByTestId('bring-handover')).toBeDisabled();
  screen.unmount();
  await open(<HandoverInScreen />, server, 'guest');
  expect(screen.queryByTestId('pick-handover')).toBeNull();
  expect(seen('You read here')).toBe(true);
});

test('Wrap leads there, also where there is no day yet', async () => {
  await open(<WrapScreen />, new FakeServer());
  fireEvent.press(screen.getByTestId('open-handover-in'));
  expect(pushed()).toContain('/wrap/in');
  screen.unmount();
  await open(<WrapScreen />, new FakeServer(dayRecords().filter((r) => r.kind !== 'day')));
  expect(screen.getByTestId('open-handover-in')).toBeTruthy();
});
