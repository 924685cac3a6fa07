import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { FakeServer, ID, open, plannedBody, record, seen, settle } from '../test-day';
import { FloorScreen } from '../floor/floor-screen';
import { TakeScreen } from '../floor/take/take-screen';

const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../ui/pick-file', () => ({ pickFiles: async () => mockPicked(), pickFile: async () => null }));
const exposures: Record<string, number | null> = {};
const mockExposure = (name: string) => exposures[name] ?? null;
jest.mock('./picture-on-device', () => ({
  openPicture: async () => ({ image: null, notes: null }),
  notesOf: async (file: File) => ({ exposureS: mockExposure(file.name), fNumber: 8, iso: 100 }),
}));
const file = (name: string) => ({ name, size: name.length, lastModified: 1, arrayBuffer: async () => new TextEncoder().encode(name).buffer }) as unknown as File;
const take = (s: FakeServer) => s.records.get(ID.take)!.body as RecordBodies['take'];

test('pictures of a take go the way of all pictures, stand in the take once, are opened and removed', async () => {
  const s = new FakeServer();
  await open(<TakeScreen takeId={ID.take} />, s);
  picked.files = [file('slate.jpg'), file('mark.jpg')];
  fireEvent.press(screen.getByTestId('take-pictures-add'));
  await settle(40);
  expect(take(s).pictures!.map((q) => q.name)).toEqual(['slate.jpg', 'mark.jpg']);
  // the same file again is the same picture
  picked.files = [file('slate.jpg')];
  fireEvent.press(screen.getByTestId('take-pictures-add'));
  await settle(40);
  expect(take(s).pictures).toHaveLength(2);
  expect(screen.queryByTestId('waiting-slate.jpg')).toBeNull();
  fireEvent.press(screen.getByLabelText('Open slate.jpg'));
  await settle();
  fireEvent.press(screen.getByTestId('remove-picture'));
  await settle(20);
  expect(take(s).pictures!.map((q) => q.name)).toEqual(['mark.jpg']);
  // what else the take says is as it was
  expect(take(s)).toMatchObject({ focalMm: 32, height: { valueM: 1.4 } });
});

test('without a network a picture waits at its take; a take that is gone refuses it in words', async () => {
  const s = new FakeServer();
  await open(<TakeScreen takeId={ID.take} />, s);
  s.cut = true;
  picked.files = [file('slate.jpg')];
  fireEvent.press(screen.getByTestId('take-pictures-add'));
  await settle(20);
  expect(take(s).pictures).toBeUndefined();
  expect(screen.getByTestId('waiting-slate.jpg')).toHaveTextContent(/waits to be sent/);
});

test('a panorama is told by its exposures whether it will do', async () => {
  const s = new FakeServer();
  s.records.set('plan', record('plan', 'plan', plannedBody({ lightPlanned: true })));
  s.records.set('l1', record('light', 'l1', { setupId: ID.setup, what: 'panorama', place: null, shotAt: '2026-11-23T10:00:00.000Z', sun: null, note: '' }));
  await open(<FloorScreen setupId={ID.setup} />, s);
  Object.assign(exposures, { 'a.jpg': 1 / 1000, 'b.jpg': 1 / 60, 'c.jpg': 1 / 4, 'd.jpg': null });
  picked.files = [file('a.jpg'), file('b.jpg')];
  fireEvent.press(screen.getByTestId('light-pictures-panorama-add'));
  await settle(40);
  expect(seen(/2 exposures over 4\.1 stops\. ▲ 4\.1 stops from the darkest.*▲ one step is 4\.1 stops wide/)).toBe(true);
  picked.files = [file('c.jpg'), file('d.jpg')];
  fireEvent.press(screen.getByTestId('light-pictures-panorama-add'));
  await settle(40);
  expect(seen(/3 exposures over 8\.0 stops\. ▲ one step is 4\.1 stops wide.*1 more say nothing of theirs/)).toBe(true);
  const kept = s.records.get('l1')!.body as RecordBodies['light'];
  expect(kept.pictures!.map((q) => q.exposure?.seconds ?? null)).toEqual([1 / 1000, 1 / 60, 1 / 4, null]);
});
