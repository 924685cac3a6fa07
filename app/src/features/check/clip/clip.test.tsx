import type { Analysis, FootageBody, StoredRecord, TracksOutcome } from '@mesure/contract';
import { outlineAt } from '@mesure/core';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, plannedBody, pushed, record, seen, settle, takeBody } from '../../test-day';
import JSZip from 'jszip';
import { FOOTAGE_BLANK } from './test-footage';
import { asOneFile } from './picture-sequence';
import { ClipScreen } from './clip-screen';
import { cornerMoved, maskFrom, maskMoved } from './masks';

const picked: { file: File | null } = { file: null };
jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => [mockPicked()].filter(Boolean) }));
const mockPicked = () => picked.file;

const FOOTAGE = '77777777-7777-4777-8777-777777777777';
const footage = (change: Partial<FootageBody> = {}): FootageBody => ({ ...FOOTAGE_BLANK, ...change });
const withClip = (change: Partial<FootageBody> = {}, take: Partial<ReturnType<typeof takeBody>> = {}): FakeServer =>
  new FakeServer([...dayRecords().map((r) => (r.kind === 'take' ? record('take', r.id, takeBody({ tracks: null, ...take })) : r)), record('footage', FOOTAGE, footage(change))]);
const bodyOf = (server: FakeServer) => (server.records.get(FOOTAGE) as StoredRecord<'footage'>).body;

const outcome = (change: Partial<TracksOutcome> = {}): TracksOutcome => ({
  kind: 'tracks',
  files: [
    { name: 'A_t1 tracks.csv', sha256: 'd'.repeat(64), mime: 'text/csv', sizeBytes: 10, what: 'tracks' },
    { name: 'A_t1 frames.mjpeg', sha256: 'e'.repeat(64), mime: 'application/octet-stream', sizeBytes: 10, what: 'strip' },
  ],
  clip: { name: 'A_t1.mp4', durationS: 2, fps: 24, timecode: '10:00:00:00', hasSound: false },
  widthPx: 2048,
  heightPx: 1080,
  firstFrame: 1001,
  everyNth: 1,
  frames: Array.from({ length: 48 }, (_, i) => ({ tracks: i < 40 ? 60 : 5, cells: 9, masked: 0.1 })),
  counts: { used: 80, moving: 7, burntIn: 3, masked: 0, byHand: 1 },
  judged: true,
  warnings: ['Fewer than 8 tracks from frame 41 to 48 of the clip: no camera can be found there.'],
  ...change,
});
const done = (o: TracksOutcome, change: Partial<Analysis> = {}): Analysis => ({
  ...{ id: 'an-9', kind: 'tracks', subjectId: FOOTAGE, status: 'done', progress: 1, stage: 'done', error: null, outcome: o, createdAt: '', finishedAt: '' },
  ...change,
});
const press = (x: number, y: number) => {
  const aim = screen.getByTestId('aim');
  const e = { clientX: x, clientY: y, pointerType: 'mouse', currentTarget: { getBoundingClientRect: () => ({ left: 0, top: 0 }) } };
  fireEvent(aim, 'pointerDown', e);
  fireEvent(aim, 'pointerUp', e);
};

test('a take without a clip is given one: its size, frames and timecode are kept with it', async () => {
  const server = new FakeServer();
  await open(<ClipScreen takeId={ID.take} />, server);
  expect(seen('No clip yet')).toBe(true);
  picked.file = new File(['....ftyp'], 'A_t1.mp4');
  fireEvent.press(screen.getByTestId('give-clip'));
  await settle();
  const made = [...server.records.values()].find((r) => r.kind === 'footage') as StoredRecord<'footage'>;
  expect(made.body).toMatchObject({ takeId: ID.take, widthPx: 2048, heightPx: 1080, frames: 48, fps: 24, timecode: '10:00:00:00', firstFrame: 1, masks: [] });
  expect(pushed()).toEqual([]);
  expect(seen(/A_t1\.mp4: 2048 × 1080, 48 frames at 24/)).toBe(true);
  expect(screen.getByTestId('start-tracks')).toBeTruthy();
});

test('a clip that cannot be sent says that nothing was changed', async () => {
  const server = new FakeServer();
  server.failing.set('/files/uploads', server.problem('UNREADABLE_FILE', 422, 'A_t1.mp4 is neither WAV nor MOV or MP4.'));
  await open(<ClipScreen takeId={ID.take} />, server);
  picked.file = new File(['x'], 'A_t1.mp4');
  fireEvent.press(screen.getByTestId('give-clip'));
  await settle();
  expect(seen(/neither WAV nor MOV.*Nothing else was changed/)).toBe(true);
  expect([...server.records.values()].some((r) => r.kind === 'footage')).toBe(false);
});

test('all pictures of a sequence become one zip, in their order; one picture alone, or a clip among them, is refused in words', async () => {
  const name = (n: number) => `41A.${n}.png`;
  const zip = await asOneFile([3, 1, 2].map((n) => new File([`picture ${n}`], name(n), { lastModified: 1_700_000_000_000 })));
  expect(zip.name).toBe('41A.zip');
  const inside = await JSZip.loadAsync(await zip.arrayBuffer());
  expect(Object.keys(inside.files)).toEqual([name(1), name(2), name(3)]);
  expect(await inside.file(name(2))!.async('string')).toBe('picture 2');
  await expect(asOneFile([new File(['x'], name(1))])).rejects.toThrow(/one picture: choose all pictures/);
  await expect(asOneFile([new File(['x'], name(1)), new File(['x'], 'a.mov')])).rejects.toThrow(/a\.mov is no picture/);
  const clip = new File(['x'], 'a.mov');
  expect(await asOneFile([clip])).toBe(clip);
});

const paint = (...places: [number, number][]) => {
  const brush = screen.getByTestId('brush');
  const at = ([clientX, clientY]: [number, number]) => ({ clientX, clientY, pointerType: 'touch', currentTarget: { getBoundingClientRect: () => ({ left: 0, top: 0 }) } });
  fireEvent(brush, 'pointerDown', at(places[0]));
  for (const q of places.slice(1)) fireEvent(brush, 'pointerMove', at(q));
  fireEvent(brush, 'pointerUp', at(places[places.length - 1]));
};

test('what moves is painted over: strokes become a mask around them, a stroke is taken back, two things are two masks', async () => {
  const server = withClip();
  await open(<ClipScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByRole('radio', { name: /paints/ }));
  expect(screen.getByTestId('keep-paint')).toBeDisabled();
  paint([100, 50], [140, 50], [180, 60]);
  paint([20, 150]);
  fireEvent.press(screen.getByTestId('paint-back'));
  fireEvent.press(screen.getByTestId('keep-paint'));
  await settle();
  const [mask] = bodyOf(server).masks;
  expect(bodyOf(server).masks).toHaveLength(1);
  const scale = 2048 / 358;
  const xs = mask.keys[0].outline.map(([x]) => x);
  // from the left end of the brush to its right end
  const radius = 0.045 * 1024;
  expect(Math.min(...xs)).toBeCloseTo(100 * scale - radius, -1);
  expect(Math.max(...xs)).toBeCloseTo(180 * scale + radius, -1);
  fireEvent.press(screen.getByRole('radio', { name: /paints/ }));
  fireEvent.press(screen.getByRole('radio', { name: /^thin$/ }));
  paint([60, 120]);
  paint([300, 20], [310, 30]);
  fireEvent.press(screen.getByTestId('keep-paint'));
  await settle();
  expect(bodyOf(server).masks.map((m) => m.name)).toEqual(['mask 1', 'mask 2', 'mask 3']);
});

test('a mask is drawn corner by corner and kept in places of the clip; a mark takes the next name of the set', async () => {
  const server = withClip();
  await open(<ClipScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByRole('radio', { name: /masks/ }));
  expect(screen.getByTestId('keep-mask').props.accessibilityState?.disabled ?? screen.getByTestId('keep-mask').props['aria-disabled']).toBe(true);
  for (const [x, y] of [
    [100, 50],
    [200, 50],
    [200, 120],
  ])
    press(x, y);
  fireEvent.press(screen.getByTestId('keep-mask'));
  await settle();
  const [mask] = bodyOf(server).masks;
  expect(mask).toMatchObject({ name: 'mask 1', keys: [{ index: 0 }], from: null, to: null });
  // the drawing is 358 px wide for 2048 px of the clip
  expect(mask.keys[0].outline[0][0]).toBeCloseTo((100 * 2048) / 358, 0);
  fireEvent.press(screen.getByRole('radio', { name: /marks/ }));
  expect(screen.getByTestId('mark-name').props.value).toBe('K1');
  press(179, 90);
  await settle();
  expect(bodyOf(server).marks).toMatchObject([{ name: 'K1', index: 0, x: 1024 }]);
  expect(screen.getByTestId('mark-name').props.value).toBe('K2');
});

test('a mask holds from one frame to another, or over the whole clip again', async () => {
  const mask = maskFrom('99999999-9999-4999-8999-999999999999', 'mask 1', 0, [[0, 0], [500, 0], [500, 500]]); // prettier-ignore
  const server = withClip({ masks: [mask] });
  await open(<ClipScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByTestId('move-mask 1'));
  fireEvent.press(screen.getByLabelText('One frame on'));
  fireEvent.press(screen.getByTestId('mask-from'));
  await settle();
  expect(bodyOf(server).masks[0]).toMatchObject({ from: 1, to: null });
  expect(screen.getByTestId('mask-mask 1')).toHaveTextContent(/holds from frame 1002 to 1048/);
  fireEvent.press(screen.getByTestId('mask-to'));
  await settle();
  expect(bodyOf(server).masks[0]).toMatchObject({ from: 1, to: 1 });
  fireEvent.press(screen.getByTestId('mask-whole'));
  await settle();
  expect(bodyOf(server).masks[0]).toMatchObject({ from: null, to: null });
});

test('marks are expected where the plan has them, and one that is set near to its ring gets its name', async () => {
  const sheet = (id: string, at: [number, number, number]) => ({ id, at, kind: 'cross' as const, diameterM: 0.05, ground: 'plain' as const, placed: true, normal: null, pieceId: null });
  const server = withClip();
  // the plan's camera stands at the origin, 1.4 m high, and looks along −Z
  server.records.set('plan', record('plan', 'plan', plannedBody()));
  server.records.set(ID.set, record('set', ID.set, { name: 'Galley', marks: ['K1', 'K2', 'K3'], sheet: [sheet('K2', [0.5, 1, -4]), sheet('K3', [0, 1, 4])] }));
  await open(<ClipScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByRole('radio', { name: /marks/ }));
  // K1 has no place, and K3 is behind the camera
  expect(screen.getByTestId('mark-hints')).toHaveTextContent('Rings: where the plan expects K2. A mark set near a ring gets its name.');
  expect(screen.getByTestId('mark-name').props.value).toBe('K1');
  // 32 mm on 24 mm: 0.125 of the depth to the right is a sixth of the width, 358 px wide on the phone
  press(179 + (358 * 32 * 0.125) / 24, 94 + (358 * 32 * 0.1) / 24);
  await settle();
  expect(bodyOf(server).marks).toMatchObject([{ name: 'K2', index: 0 }]);
  expect(screen.queryByTestId('mark-hints')).toBeNull();
  // far from every ring it is the next name
  press(30, 20);
  await settle();
  expect(bodyOf(server).marks.map((m) => m.name)).toEqual(['K2', 'K1']);
});

test('tracks that were followed say what they hold on to and become the take’s, counted in the clip’s own pixels', async () => {
  const server = withClip();
  server.analyses.set('an-9', done(outcome()));
  await open(<ClipScreen takeId={ID.take} />, server);
  expect(screen.getByTestId('tracks-sentence')).toHaveTextContent('80 tracks, never fewer than 5 in a frame; left out: 7 that do not stand still, 3 burnt in.');
  expect(screen.getByTestId('clip-frame')).toHaveTextContent('frame 1001: 60 tracks in 9 of 12 parts of the picture, 10 % masked');
  expect(seen(/Fewer than 8 tracks from frame 41/)).toBe(true);
  fireEvent.press(screen.getByTestId('use-tracks'));
  await settle();
  expect(server.records.get(ID.take)!.body).toMatchObject({
    tracks: { sha256: 'd'.repeat(64), name: 'A_t1 tracks.csv' },
    tracksCounted: { from: 'corner', yUp: false, widthPx: 2048, heightPx: 1080, addFrames: 0 },
  });
  expect([...server.analyses.values()].map((a) => a.kind)).toContain('solve');
});

test('a clip of another shape than the recorded picture is told, and its tracks are not laid onto it', async () => {
  const server = withClip({ widthPx: 1920, heightPx: 1080, fps: 25 }, { timecodeIn: '11:00:00:00', fps: 24 });
  server.analyses.set('an-9', done(outcome({ widthPx: 1920 })));
  await open(<ClipScreen takeId={ID.take} />, server);
  expect(seen(/runs at 25 frames a second, the take was noted at 24/)).toBe(true);
  expect(seen(/begins at 10:00:00:00, the take was noted from 11:00:00:00/)).toBe(true);
  expect(seen(/another shape than the 4096 × 2160/)).toBe(true);
  fireEvent.press(screen.getByTestId('use-tracks'));
  await settle();
  expect(server.records.get(ID.take)!.body).toMatchObject({ tracks: null });
});

test('while features are followed it says how far, and can be stopped; what failed says why; what is old asks to be done again', async () => {
  const server = withClip();
  server.answer = (a) => ({ ...a, status: 'running', progress: 0.4, stage: 'following, frame 12 of 96' });
  await open(<ClipScreen takeId={ID.take} />, server);
  fireEvent.press(screen.getByTestId('start-tracks'));
  await settle();
  expect(screen.getByTestId('stop-tracks')).toBeTruthy();
  fireEvent.press(screen.getByTestId('stop-tracks'));
  await settle();
  expect(seen(/Stopped/)).toBe(true);
  const old = withClip();
  old.analyses.set('an-9', done(outcome(), { stale: { when: '2026-11-23T14:10:00.000Z', who: 'solver', what: 'clip A_t1.mp4' } }));
  await open(<ClipScreen takeId={ID.take} />, old);
  expect(screen.getByTestId('tracks-stale')).toBeTruthy();
  expect(screen.getByTestId('start-tracks')).toBeTruthy();
});

test('a guest looks and is offered nothing else', async () => {
  const server = withClip();
  server.analyses.set('an-9', done(outcome()));
  await open(<ClipScreen takeId={ID.take} />, server, 'guest');
  for (const id of ['use-tracks', 'start-tracks', 'give-clip', 'fold-clip']) expect(screen.queryByTestId(id)).toBeNull();
});

describe('a mask over time', () => {
  const square = maskFrom('m', 'mask 1', 4, [
    [0, 0],
    [10, 0],
    [10, 10],
  ]);
  test('a corner moved on another frame is set there, and moves evenly between', () => {
    const moved = cornerMoved(square, 8, 1, 30, 4);
    expect(moved.keys.map((k) => k.index)).toEqual([4, 8]);
    expect(outlineAt(moved, 6)).toEqual([
      [0, 0],
      [20, 2],
      [10, 10],
    ]);
    // set again on a frame that has it: no second one
    expect(cornerMoved(moved, 8, 1, 12, 0).keys).toHaveLength(2);
  });
  test('moved as a whole', () => {
    expect(maskMoved(square, 0, 5, -1).keys[0]).toEqual({
      index: 0,
      outline: [
        [5, -1],
        [15, -1],
        [15, 9],
      ],
    });
  });
});
