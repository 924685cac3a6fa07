import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, reopen, seen, settle, touchPicture } from '../../test-day';
import { NetScreen } from './net-screen';
import { nextMarkName, PhotoScreen } from './photo-screen';

const picked: { file: File | null } = { file: null };
const mockPicked = () => picked.file;
jest.mock('../../../ui/pick-file', () => ({ pickFile: async () => mockPicked(), pickFiles: async () => [] }));
jest.mock('../../pictures/picture-on-device', () => ({ notesOf: async () => null }));

const PHOTO = '00000000-0000-4000-8000-000000000031';
const W = 4096;
const H = 2160;
const photo = (marks: RecordBodies['photo']['marks'] = []) =>
  record('photo', PHOTO, { setId: ID.set, picture: { sha256: 'e'.repeat(64), name: 'wall.jpg' }, widthPx: W, heightPx: H, marks, shotAt: '2026-11-23T09:00:00.000Z' });
const now = (s: FakeServer) => s.records.get(PHOTO)!.body as RecordBodies['photo'];
const set = (s: FakeServer) => s.records.get(ID.set)!.body as RecordBodies['set'];
const touch = (x: number, y: number) => touchPicture(W, x, y);

test('a new mark is named in a photo and belongs to the set; a known one is pointed out; two are tied', async () => {
  const s = new FakeServer([...dayRecords(), photo()]);
  await open(<PhotoScreen photoId={PHOTO} setupId={ID.setup} />, s);
  touch(1000, 600);
  await settle();
  expect(screen.getByTestId('mark-name').props.value).toBe('K4');
  fireEvent.press(screen.getByTestId('keep-mark'));
  await settle(20);
  expect(set(s).marks).toEqual(['K1', 'K2', 'K3', 'K4']);
  expect(now(s).marks).toEqual([{ mark: 'K4', x: expect.closeTo(1000, 0), y: expect.closeTo(600, 0) }]);
  touch(3000, 900);
  await settle();
  fireEvent.press(screen.getByRole('radio', { name: 'K2' }));
  fireEvent.press(screen.getByTestId('keep-mark'));
  await settle(20);
  expect(set(s).marks).toHaveLength(4);
  expect(now(s).marks.map((m) => m.mark)).toEqual(['K4', 'K2']);
  fireEvent.press(screen.getByTestId('choose-K4'));
  fireEvent.press(screen.getByTestId('choose-K2'));
  fireEvent.press(screen.getByTestId('tie-of-two'));
  await settle();
  fireEvent.press(screen.getByTestId('save-tie'));
  await settle();
  expect(seen(/Enter the distance/)).toBe(true);
});

test('a name that is taken in this photo is refused; a mark is taken off, and undone with its set in one step', async () => {
  const s = new FakeServer([...dayRecords(), photo([{ mark: 'K1', x: 10, y: 10 }])]);
  await open(<PhotoScreen photoId={PHOTO} setupId={ID.setup} />, s);
  touch(500, 500);
  await settle();
  fireEvent.changeText(screen.getByTestId('mark-name'), 'K1');
  fireEvent.press(screen.getByTestId('keep-mark'));
  await settle(10);
  expect(seen(/K1 is pointed out in this photo already/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('mark-name'), ' ');
  fireEvent.press(screen.getByTestId('keep-mark'));
  await settle(10);
  expect(seen(/1 to 40 letters/)).toBe(true);
  expect(now(s).marks).toHaveLength(1);
  fireEvent.press(screen.getByLabelText('Take K1 off the photo'));
  await settle(20);
  expect(now(s).marks).toEqual([]);
  expect(set(s).marks).toContain('K1');
});

test('the tape net takes a photo and lists it; a solver looks at it only', async () => {
  const s = new FakeServer(dayRecords());
  await open(<NetScreen setupId={ID.setup} />, s);
  expect(seen(/everybody finds them again/)).toBe(true);
  picked.file = { name: 'wall.jpg', size: 3, lastModified: 1, arrayBuffer: async () => new ArrayBuffer(3) } as unknown as File;
  fireEvent.press(screen.getByTestId('add-photo'));
  await settle(40);
  expect(screen.getByTestId('photo-wall.jpg')).toHaveTextContent(/no mark pointed out yet/);
  const kept = [...s.records.values()].find((r) => r.kind === 'photo')!;
  expect(kept.body).toMatchObject({ setId: ID.set, marks: [], widthPx: W });
  await reopen(<PhotoScreen photoId="nowhere" setupId={null} />, s);
  expect(seen(/No such photo/)).toBe(true);
  screen.unmount();
  await open(<PhotoScreen photoId={PHOTO} setupId={ID.setup} />, new FakeServer([...dayRecords(), photo([{ mark: 'K1', x: 10, y: 10 }])]), 'solver');
  expect(screen.queryByLabelText('Take K1 off the photo')).toBeNull();
  expect(screen.queryByTestId('tie-of-two')).toBeNull();
});

test('names count on from the last mark', () => {
  expect(nextMarkName([])).toBe('M1');
  expect(nextMarkName(['K1', 'K9', 'door'])).toBe('K10');
  expect(nextMarkName(['K9', 'K10', 'K1'])).toBe('K2');
});
