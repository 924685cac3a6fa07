import type { Analysis, CornerRow, RecordBodies, StoredRecord } from '@mesure/contract';
import { gridReport, selectModel } from '@mesure/core';
import { fireEvent, screen } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../../test-day';
import { PlateScreen } from './plate-screen';

const W = 4096,
  H = 2160,
  F = (32 / 24) * W,
  FY = (32 / 12.66) * H,
  DOWN = (205 * FY) / F;

/** A flat chart square-on through a lens without distortion: corners where arithmetic puts them, one of them 3 px off. */
function outcome(): { report: Analysis['outcome']; corners: CornerRow[] } {
  const nodes = [];
  for (let row = 0; row < 11; row += 1)
    for (let col = 0; col < 20; col += 1)
      nodes.push({ row, col, x: 100.5 + 205 * col + 0.02 * ((row * 7 + col * 3) % 5), y: 55.5 + DOWN * row + 0.02 * ((row * 5 + col * 2) % 3), contrast: 50, plate: 0 });
  nodes[5 * 20 + 10].x += 3;
  const frame = { widthPx: W, heightPx: H, fxPx: F, fyPx: FY };
  const setup = { image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 } };
  const choice = selectModel(nodes, frame, 'radial');
  const lattice = { status: 'found' as const, nodes, rows: 11, cols: 20, coverage: 0.9, blurPx: 1, sharpness: 0.6, cellPx: 205, zones: [], uncertain: 0 };
  const report = gridReport([lattice], ['grid.jpg'], setup, { choice });
  const corners = nodes.map((n, i): CornerRow => [n.row, n.col, n.x, n.y, choice.fit.residuals[2 * i], choice.fit.residuals[2 * i + 1], choice.fit.used[i]]);
  return { report: { kind: 'grid', report, corners, widthPx: W, heightPx: H }, corners };
}

const plate: RecordBodies['plate'] = {
  lensId: ID.lens,
  packageId: ID.pack,
  picture: { sha256: 'c'.repeat(64), name: 'grid.jpg' },
  focalMm: 32,
  focusM: 2.5,
  cellM: 0.04,
  shotAt: '2026-11-23T09:00:00.000Z',
  notes: { widthPx: 4096, heightPx: 2160, shotWidthPx: null, shotHeightPx: null, focalMm: 35, focal35Mm: null, focusM: null, body: 'Tarvik H2', lens: null, digitalZoom: null, shotAt: null },
};

async function openPlate(change: Partial<RecordBodies['plate']> = {}, more: StoredRecord[] = []) {
  const server = new FakeServer([...dayRecords(), ...more]);
  // through the server's own writing, so that it knows what a change was made on
  server.memory.write('plate', ID.plate, { mutationId: 'first', baseVersion: 0, deleted: false, body: { ...plate, ...change } });
  const { report } = outcome();
  const done: Analysis = { id: 'a1', kind: 'grid', subjectId: ID.plate, status: 'done', progress: 1, stage: 'done', error: null, outcome: report, createdAt: '', finishedAt: '' };
  server.analyses.set('a1', done);
  await open(<PlateScreen plateId={ID.plate} />, server);
  return server;
}

/** The drawing is 358 px wide in these tests: a press at a place of the picture. */
function touch(x: number, y: number) {
  const target = { getBoundingClientRect: () => ({ left: 0, top: 0 }) };
  const e = { clientX: (x * 358) / W, clientY: (y * 358) / W, pointerType: 'mouse', currentTarget: target };
  const aim = screen.getAllByTestId('aim')[0];
  fireEvent(aim, 'pointerDown', e);
  fireEvent(aim, 'pointerUp', e);
}

test('a plate says where its file contradicts it', async () => {
  await openPlate();
  expect(seen(/The picture says 35 mm, the plate says 32 mm/)).toBe(true);
});

test('a corner is taken out, the fit follows, and the correction is kept with the plate and measured again', async () => {
  const server = await openPlate();
  fireEvent.press(screen.getByTestId('correct-lattice'));
  touch(100.5 + 205 * 10 + 3, 55.5 + 5 * DOWN);
  await settle(20);
  expect(seen(/219 corners in use, 1 taken out/)).toBe(true);
  expect(screen.getByTestId('refit-sentence')).toHaveTextContent(/now 0\.0\d\d px over 219 corners/);
  fireEvent.press(screen.getByTestId('keep-correction'));
  await settle(20);
  const kept = server.records.get(ID.plate)!.body as RecordBodies['plate'];
  expect(kept.dropped).toHaveLength(1);
  expect(kept.dropped![0].x).toBeCloseTo(2153.5, 0);
  expect(server.asked.filter((a) => a.startsWith('POST') && a.endsWith('/analyses'))).toHaveLength(1);
});

test('a whole row goes with one touch and comes back with one button', async () => {
  await openPlate();
  fireEvent.press(screen.getByTestId('correct-lattice'));
  fireEvent.press(screen.getByRole('radio', { name: /a row/ }));
  touch(300, 55);
  await settle(20);
  expect(seen(/200 corners in use, 20 taken out/)).toBe(true);
  fireEvent.press(screen.getByRole('button', { name: 'Take all back' }));
  await settle();
  expect(seen(/220 corners in use, 0 taken out/)).toBe(true);
});

test('between the corners nothing is taken out, and it says so', async () => {
  await openPlate();
  fireEvent.press(screen.getByTestId('correct-lattice'));
  touch(203, 158);
  await settle();
  expect(seen(/No corner there/)).toBe(true);
});

test('two touches show the search where to begin; arrows and Enter do it without a pointer', async () => {
  const server = await openPlate();
  fireEvent.press(screen.getByTestId('correct-lattice'));
  fireEvent.press(screen.getByRole('radio', { name: /search from here/ }));
  expect(screen.getByTestId('keep-correction')).toBeDisabled();
  touch(715.5, 670.5);
  const key = (name: string) => fireEvent(screen.getAllByTestId('aim')[0], 'keyDown', { key: name, shiftKey: false, preventDefault: () => undefined });
  key('ArrowRight');
  key('Enter');
  await settle();
  expect(seen(/Both corners are touched/)).toBe(true);
  fireEvent.press(screen.getByTestId('keep-correction'));
  await settle(20);
  const { start } = server.records.get(ID.plate)!.body as RecordBodies['plate'];
  expect(start!.x).toBeCloseTo(715.5, 0);
  expect(start!.nextX).toBeGreaterThan(W / 2);
});

test('a touched start can be taken back: the search begins by itself again', async () => {
  const server = await openPlate({ start: { x: 5, y: 5, nextX: 50, nextY: 5 } });
  fireEvent.press(screen.getByTestId('correct-lattice'));
  expect(screen.getByTestId('keep-correction')).toBeDisabled();
  fireEvent.press(screen.getByRole('button', { name: 'Take all back' }));
  fireEvent.press(screen.getByRole('button', { name: 'Search by itself again' }));
  await settle(20);
  expect((server.records.get(ID.plate)!.body as RecordBodies['plate']).start).toBeNull();
});

test('a plate is removed and leads back to its package', async () => {
  const server = await openPlate();
  fireEvent.press(screen.getByTestId('remove-plate'));
  await settle();
  expect(server.records.get(ID.plate)!.deleted).toBe(true);
});

describe('what was entered for a plate', () => {
  const reducedPack = '00000000-0000-4000-8000-000000000077';
  /** The same lens on another camera, with the reducer. */
  const other = () => record('package', reducedPack, { camera: 'B', bodyId: ID.body, modeId: ID.open, lensId: ID.lens, adapterId: ID.reducer, focalMm: 32 });
  const asked = (server: FakeServer) => server.asked.filter((a) => a.startsWith('POST') && a.endsWith('/analyses')).length;

  test('moves to another package and is measured again; what somebody else changes meanwhile stays', async () => {
    const server = await openPlate({}, [other()]);
    fireEvent.press(screen.getByTestId('open-plate-entries'));
    // on another phone
    server.memory.write('plate', ID.plate, { mutationId: 'm1', baseVersion: 1, deleted: false, body: { ...plate, focusM: 4 } });
    fireEvent.press(screen.getByRole('radio', { name: /^B-cam/ }));
    fireEvent.changeText(screen.getByTestId('plate-cell'), '39.8');
    fireEvent.press(screen.getByTestId('keep-plate-entries'));
    await settle(20);
    expect(server.records.get(ID.plate)!.body).toMatchObject({ packageId: reducedPack, lensId: ID.lens, focalMm: 32, cellM: 0.0398, focusM: 4 });
    expect(asked(server)).toBe(1);
  });

  test.each([
    ['plate-focal', '85', /marked 32 mm/],
    ['plate-distance', 'far', /cannot be read|not a length|Enter/i],
    ['plate-cell', '', /cell/i],
  ])('%s of "%s" is refused at its field and nothing is kept', async (field, text, message) => {
    const server = await openPlate();
    fireEvent.press(screen.getByTestId('open-plate-entries'));
    fireEvent.changeText(screen.getByTestId(field), text);
    fireEvent.press(screen.getByTestId('keep-plate-entries'));
    await settle(20);
    expect(screen.queryAllByRole('alert').some((a) => message.test(String(a.props.children)))).toBe(true);
    expect(server.records.get(ID.plate)!.version).toBe(1);
  });

  test('what speaks against it stands first, and one tap corrects it', async () => {
    const server = new FakeServer([...dayRecords(), record('plate', ID.plate, plate), other()]);
    const report = outcome().report as Extract<Analysis['outcome'], { kind: 'grid' }>;
    const findings = [{ from: 'tilt' as const, of: 'focal length' as const, recorded: 32, found: 22.74, sigma: 0.12, words: 'The tilt of the chart fits 22.7 mm, not the recorded 32.0 mm.' }];
    const done: Analysis = {
      id: 'a1',
      kind: 'grid',
      subjectId: ID.plate,
      status: 'done',
      progress: 1,
      stage: 'done',
      error: null,
      outcome: { ...report, report: { ...report.report, findings } },
      createdAt: '',
      finishedAt: '',
    };
    server.analyses.set('a1', done);
    await open(<PlateScreen plateId={ID.plate} />, server);
    expect(screen.getByTestId('plate-findings')).toHaveTextContent(/fits 22\.7 mm.*Likely: It was shot on B-cam/);
    fireEvent.press(screen.getByTestId('plate-cause-0'));
    await settle(20);
    expect(server.records.get(ID.plate)!.body).toMatchObject({ packageId: reducedPack, focalMm: 32 });
    expect(asked(server)).toBe(1);
  });
});
