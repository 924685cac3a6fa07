import { act, fireEvent, screen } from '@testing-library/react-native';
import type { RecordBodies } from '@mesure/contract';
import { simulateCameraFrame, type CameraFrame } from '@mesure/core';
import { devicesStore } from '../../devices/devices-store';
import type { FeedParts } from '../../devices/camera-feed';
import { FakeServer, ID, open, record, seen, settle, takeBody } from '../../test-day';
import { FloorScreen } from '../floor-screen';
import { NetScreen } from '../net/net-screen';
import { TakeScreen } from './take-screen';

let mockCamera: FeedParts | null = null;
jest.mock('../../devices/camera-feed', () => ({
  listenToCamera: (parts: FeedParts) => {
    mockCamera = parts;
    return () => undefined;
  },
}));
const stored = (server: FakeServer) => server.records.get(ID.take)!.body as RecordBodies['take'];
const frames = (change: Partial<Parameters<typeof simulateCameraFrame>[0]> = {}): CameraFrame[] =>
  Array.from({ length: 120 }, (_, i) =>
    simulateCameraFrame({ fps: 24, startFrame: 864_000, frames: 120, focalMm: 24, focalEndMm: 70, focusM: 3, focusEndM: 2, stop: 4, iso: 1600, shutterDeg: 180, ...change }, i, 2),
  );

test('the camera fills the take: start, end, the zoom by frame; what the slate says otherwise is shown', async () => {
  const server = new FakeServer();
  server.records.set(ID.take, record('take', ID.take, takeBody({ iso: 800, carried: ['focalMm', 'focusM'] })));
  await open(<TakeScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByTestId('feed-roll'));
  expect(mockCamera!.url).toMatch(/devices\/camera-feed\?fps=24&focalMm=32/);
  act(() => mockCamera!.onFrames(frames()));
  expect(screen.getByTestId('feed-live')).toHaveTextContent(/10:00:04:23.*120 frames/);
  fireEvent.press(screen.getByTestId('feed-cut'));
  expect(screen.getByTestId('slate-differs-focal length')).toHaveTextContent(/The slate says focal length 32\.00, the camera 2[34]\.\d/);
  expect(screen.getByTestId('slate-differs-ISO')).toHaveTextContent(/800\.00, the camera 1600\.00/);
  fireEvent.press(screen.getByTestId('feed-fill'));
  await settle();
  expect(stored(server)).toMatchObject({ timecodeIn: '10:00:00:00', timecodeOut: '10:00:04:23', iso: 1600, stop: 4, shutter: { by: 'angle', deg: 180 }, carried: [] });
  expect(stored(server).focalByFrame!.length).toBeGreaterThan(5);
  expect(stored(server).focalEndMm).toBeCloseTo(70, 0);
  expect(seen('The take has it')).toBe(true);
  expect(seen('Slate and camera agree.')).toBe(true);
});

test('a camera that cannot be heard says so, and what is typed stays', async () => {
  const server = new FakeServer();
  await open(<TakeScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByTestId('feed-roll'));
  act(() => mockCamera!.onLost());
  expect(seen(/The camera cannot be heard/)).toBe(true);
  expect(server.records.get(ID.take)!.version).toBe(1);
});

test('timecode comes from the clock, places from the total station, each marked as simulated', async () => {
  act(() => {
    devicesStore.getState().choose('timecode', 'timecode-clock');
    devicesStore.getState().choose('point', 'total-station');
  });
  const server = new FakeServer();
  server.records.set('11111111-1111-4111-8111-111111111111', record('floor', '11111111-1111-4111-8111-111111111111', { shown: ['timecodeIn'], clips: [] }));
  await open(<TakeScreen takeId={ID.take} />, server);
  for (let shot = 0; shot < 5 && !stored(server).timecodeIn; shot += 1) {
    fireEvent.press(screen.getByTestId('pull-timecode'));
    await settle(80);
  }
  expect(stored(server).timecodeIn).toMatch(/^\d\d:\d\d:\d\d:\d\d$/);
  screen.unmount();
  await open(<NetScreen setupId={ID.setup} />, server);
  fireEvent.press(screen.getByTestId('add-fact'));
  fireEvent.press(screen.getByRole('radio', { name: /a place/ }));
  fireEvent.changeText(screen.getByTestId('fact-mark-1'), 'K1');
  fireEvent.press(screen.getByTestId('save-fact'));
  expect(seen(/Enter all three distances/)).toBe(true);
  for (let shot = 0; shot < 5 && screen.getByTestId('fact-at-0').props.value === ''; shot += 1) {
    fireEvent.press(screen.getByTestId('pull-point'));
    await settle(120);
  }
  fireEvent.press(screen.getByTestId('save-fact'));
  await settle();
  const place = [...server.records.values()].find((r) => r.kind === 'fact')!.body as RecordBodies['fact'];
  expect(place).toMatchObject({ what: 'point', marks: ['K1'], length: null, instrument: 'total station, simulated', toleranceM: 0.005 });
  for (const v of place.at!) expect(Math.abs(v)).toBeLessThan(0.01);
  act(() => {
    devicesStore.getState().choose('timecode', null);
    devicesStore.getState().choose('point', null);
  });
});

test('the board chooses instruments; each stand-in says that it is one', async () => {
  await open(<FloorScreen setupId={null} />, new FakeServer());
  fireEvent.press(screen.getByLabelText('Instruments'));
  expect(screen.getAllByText(/simulated: for trying out/).length).toBe(5);
  fireEvent.press(screen.getByRole('radio', { name: /Inclinometer/ }));
  expect(devicesStore.getState().chosen.angle).toBe('inclinometer');
  act(() => devicesStore.getState().choose('angle', null));
});
