import type { RecordBodies, RecordKind, StoredRecord } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, plannedBody, pushed, record, seen, settle, takeBody } from '../test-day';
import { KitScreen } from './kit-screen';
import { OtherFilmScreen } from './other-film-screen';

const SETUP2 = '00000000-0000-4000-8000-000000000030';
const [PLAN1, PLAN2] = ['00000000-0000-4000-8000-000000000041', '00000000-0000-4000-8000-000000000042'];
const kept = <K extends RecordKind>(server: FakeServer, kind: K): StoredRecord<K>[] => [...server.records.values()].filter((r) => r.kind === kind && !r.deleted) as StoredRecord<K>[];
const press = async (id: string) => {
  fireEvent.press(screen.getByTestId(id));
  await settle();
};

describe('what is on a camera has a since', () => {
  const twoSetups = () => [
    ...dayRecords(),
    record('setup', SETUP2, { dayId: ID.day, setId: ID.set, name: 'Later', scene: '42', order: 2, levelMarks: [], originMark: null, headingMarks: null }),
    record('plan', PLAN1, plannedBody()),
    record('plan', PLAN2, plannedBody({ setupId: SETUP2 })),
  ];
  test('mounted from now on: takes keep what they had, plans that were not shot take the new one', async () => {
    const server = new FakeServer(twoSetups());
    await open(<KitScreen packageId={ID.pack} />, server);
    fireEvent.press(screen.getByRole('radio', { name: /reducer ×0\.71/ }));
    await settle();
    await press('mount-from-now');
    const now = kept(server, 'package').find((p) => p.id !== ID.pack)!;
    expect(now.body).toMatchObject({ camera: 'A', adapterId: ID.reducer, until: null, since: expect.stringMatching(/^\d{4}-/) });
    expect(server.records.get(ID.pack)!.body).toMatchObject({ adapterId: null, until: now.body.since });
    expect(server.records.get(ID.take)!.body).toMatchObject({ packageId: ID.pack });
    expect([PLAN1, PLAN2].map((id) => (server.records.get(id)!.body as RecordBodies['plan']).packageId)).toEqual([ID.pack, now.id]);
    screen.unmount();
    await open(<KitScreen packageId={null} />, server);
    expect(screen.getByTestId('package-A')).toHaveTextContent(/22\.7 mm effective/);
    expect(screen.getByTestId('before-A')).toHaveTextContent(/A-cam until/);
  });
  test('the past is corrected only when that is said, and how many takes it changes', async () => {
    const server = new FakeServer([...dayRecords(), record('take', '00000000-0000-4000-8000-000000000032', takeBody({ take: 2 }))]);
    await open(<KitScreen packageId={ID.pack} />, server);
    fireEvent.press(screen.getByRole('radio', { name: /reducer ×0\.71/ }));
    await settle();
    expect(seen('It was always so: correct 2 takes')).toBe(true);
    await press('save-package');
    expect(kept(server, 'package')).toHaveLength(1);
    expect(server.records.get(ID.pack)!.body).toMatchObject({ adapterId: ID.reducer });
  });
});

test('an empty kit gets its first camera in one sheet: body, mode and lens together, checked by field', async () => {
  const server = new FakeServer([]);
  await open(<KitScreen packageId={null} />, server);
  await press('step-camera');
  const type = (id: string, text: string) => fireEvent.changeText(screen.getByTestId(id), text);
  type('mount-body', 'Body one');
  type('mount-width', '4096');
  type('mount-height', '2160');
  type('mount-sensor-width', '240');
  type('mount-sensor-height', '12.66');
  type('mount-lens', 'Lens 32');
  type('mount-focal', '32 mm');
  await press('mount');
  expect(seen(/must be less than or equal to 120/)).toBe(true);
  expect(server.records.size).toBe(0);
  type('mount-sensor-width', '24');
  await settle();
  expect(seen('= 41.1° wide')).toBe(true);
  await press('mount');
  const [pack] = kept(server, 'package');
  expect(pack.body).toMatchObject({ camera: 'A', focalMm: 32, bodyId: kept(server, 'body')[0].id, lensId: kept(server, 'lens')[0].id, modeId: kept(server, 'body')[0].body.modes[0].id });
  expect(pushed()).toContain(`/kit/${pack.id}`);
});

test('the kit of another film is compared first; what a lens measured elsewhere brings is seen before it comes in', async () => {
  const server = new FakeServer();
  const day = server.fetch;
  const asked: unknown[] = [];
  server.fetch = async (input, init = {}) => {
    const address = String(input);
    if (!address.includes('/kit/')) return day(input, init);
    asked.push([address.split('/').pop(), JSON.parse(String(init.body))]);
    const lines = [
      { kind: 'lens', id: 'a', name: 'Orrinel 32 · 0417', what: 'same', hereId: ID.lens, note: '' },
      { kind: 'plate', id: 'b', name: 'grid.jpg', what: 'new', hereId: null, note: '' },
      { kind: 'body', id: 'c', name: 'Tarvik H2', what: 'different', hereId: ID.body, note: 'its recording modes are others' },
    ];
    return { ok: true, status: 200, text: async () => JSON.stringify({ lines }) } as unknown as Response;
  };
  await open(<OtherFilmScreen />, server);
  expect(seen('You are in no other production here.')).toBe(true);
  screen.unmount();
  const other = { id: '22222222-2222-4222-8222-222222222222', name: 'Tin Harbour', role: 'owner' as const, demo: false };
  await open(<OtherFilmScreen />, server, 'wrangler', [other]);
  await press('kit-of-Tin Harbour');
  expect(screen.getByTestId('kit-line-Tarvik H2')).toHaveTextContent(/comes in beside it: its recording modes are others/);
  expect(seen('Tin Harbour: 1 new, 1 different, 1 same')).toBe(true);
  await press('bring-kit');
  expect(asked).toEqual([
    ['look', { productionId: other.id }],
    ['bring', { productionId: other.id }],
  ]);
  expect(seen('✓ 2 parts of Tin Harbour came in.')).toBe(true);
});
