import type { Analysis, RecordBodies, StoredRecord } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { CheckScreen } from '../check/check-screen';
import { TakesScreen } from '../floor/day/takes-screen';
import { HiddenScreen } from '../hidden/hidden-screen';
import { PlanScreen } from '../plan/plan-screen';
import { dayRecords, FakeServer, ID, open, plannedBody, record, seen, settle } from '../test-day';

/** A set in Tokyo, nine hours ahead, whatever this machine's clock says. */
const inTokyo = (...more: StoredRecord[]) => [
  ...dayRecords().map((r) => (r.kind === 'take' ? { ...r, body: { ...(r.body as RecordBodies['take']), loggedAt: '2026-11-23T16:30:00.000Z' } } : r)),
  record('production', '00000000-0000-4000-8000-000000000028', { name: 'The Salt Ferry', fps: 24, lengthUnit: 'm', timeZone: 'Asia/Tokyo', slating: 'scene' }),
  ...more,
];

test('a take’s time is that of the set', async () => {
  await open(<TakesScreen />, new FakeServer(inTokyo()));
  expect(seen('01:30')).toBe(true);
  expect(seen('16:30')).toBe(false);
});

test('what was hidden stands under the set’s date', async () => {
  const gone = { ...record('edges', '00000000-0000-4000-8000-000000000077', {} as never), kind: 'setup' as const };
  const setup = { ...gone, deleted: true, updatedAt: '2026-11-23T23:10:00.000Z', body: (dayRecords().find((r) => r.kind === 'setup') as StoredRecord<'setup'>).body };
  await open(<HiddenScreen />, new FakeServer(inTokyo(setup as StoredRecord)));
  expect(seen(/by wrangler, 08:10/)).toBe(true);
  expect(seen('2026-11-24')).toBe(true);
});

test('the sun is planned on the set’s clock, which is named, and kept as an instant', async () => {
  const server = new FakeServer(
    inTokyo(
      record(
        'plan',
        '00000000-0000-4000-8000-000000000090',
        plannedBody({ light: { latitudeDeg: 35.7, longitudeDeg: 139.7, northDeg: 0, from: '2026-11-23T00:00:00.000Z', to: '2026-11-23T03:00:00.000Z' } }),
      ),
    ),
  );
  await open(<PlanScreen setupId={ID.setup} />, server);
  fireEvent.press(screen.getByRole('radio', { name: 'light' }));
  expect(screen.getByTestId('light-Shot from').props.value).toBe('2026-11-23 09:00');
  expect(seen(/GMT\+9/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('light-until'), '2026-11-23 13:30');
  fireEvent(screen.getByTestId('light-until'), 'blur');
  await settle(20);
  const plan = [...server.records.values()].find((r) => r.kind === 'plan') as StoredRecord<'plan'>;
  expect(plan.body.light!.to).toBe('2026-11-23T04:30:00.000Z');
});

test('a verdict of before a change names the time of the set', async () => {
  const server = new FakeServer(inTokyo());
  const solved = { kind: 'solve', solve: { status: 'solved', frames: [] }, reconcile: { verdict: 'agrees', sentence: 'The record holds.', items: [] } } as unknown as Analysis['outcome'];
  server.analyses.set('a', {
    id: 'a',
    kind: 'solve',
    subjectId: ID.take,
    status: 'done',
    progress: 1,
    stage: '',
    error: null,
    outcome: solved,
    createdAt: '2026-11-23T10:00:00.000Z',
    finishedAt: '2026-11-23T10:00:10.000Z',
    stale: { when: '2026-11-23T12:10:00.000Z', who: 'Ada', what: 'take 41A 1' },
  });
  await open(<CheckScreen takeId={null} />, server);
  expect(screen.getByTestId('check-41A-1')).toHaveTextContent(/before the change of 21:10/);
});
