import type { Analysis } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { KitScreen } from './kit-screen';
import { PlateScreen } from './lensbook/plate-screen';
import { FakeServer, ID, open, pushed, record, seen, settle } from '../test-day';

const shows = (value: string) => expect(screen.getByTestId('effective-focal')).toHaveTextContent(new RegExp(value.replace('.', '\\.')));

describe('the list', () => {
  test('a package reads like a sentence that ends in its numbers', async () => {
    await open(<KitScreen packageId={null} />, new FakeServer());
    // 2·atan(24 / 64) = 41.1°; 36×24 has a diagonal of 43.27, 24×12.66 of 27.13
    expect(screen.getByTestId('package-A')).toHaveTextContent(/Tarvik H2.*open gate.*Orrinel 32.*41\.1°.*1\.59/);
    fireEvent.press(screen.getByTestId('package-A'));
    expect(pushed()).toEqual([`/kit/${ID.pack}`]);
  });
  test('an empty kit says what a package is', async () => {
    await open(<KitScreen packageId={null} />, new FakeServer([]));
    expect(seen('No camera is mounted yet')).toBe(true);
    expect(seen(/body with its recording mode/)).toBe(true);
  });
  test('without network and copy it fails, says what is safe, and tries again', async () => {
    const server = new FakeServer();
    server.cut = true;
    await open(<KitScreen packageId={null} />, server);
    expect(seen('The kit could not be loaded')).toBe(true);
    expect(seen(/this device is safe/)).toBe(true);
    server.cut = false;
    fireEvent.press(screen.getByText('Try again'));
    await settle();
    expect(screen.getByTestId('package-A')).toBeTruthy();
  });
  test('a package that is gone is said', async () => {
    await open(<KitScreen packageId="gone" />, new FakeServer());
    expect(seen('No such package')).toBe(true);
  });
});

describe('the editor', () => {
  test('numbers follow every part while it is edited; nothing is sent before it is saved', async () => {
    const server = new FakeServer();
    await open(<KitScreen packageId={ID.pack} />, server);
    shows('32.00');
    fireEvent.press(screen.getByRole('radio', { name: /reducer/ }));
    shows('22.72');
    fireEvent.press(screen.getByRole('radio', { name: /windowed/ }));
    // the windowed mode sees half the width: 2·atan(12 / 45.44) = 29.6°
    expect(seen(/29\.6°/)).toBe(true);
    expect(server.records.get(ID.pack)!.version).toBe(1);
    fireEvent.press(screen.getByTestId('save-package'));
    await settle();
    expect(server.records.get(ID.pack)).toMatchObject({ version: 2, body: { adapterId: ID.reducer, modeId: ID.windowed, focalMm: 32 } });
    expect(screen.queryByTestId('save-package')).toBeNull();
  });
  test('a focal length that the lens does not have is said at the field and not saved', async () => {
    const server = new FakeServer();
    await open(<KitScreen packageId={ID.pack} />, server);
    fireEvent.changeText(screen.getByTestId('package-focal'), '50');
    expect(seen('▲ Orrinel 32 is marked 32 mm')).toBe(true);
    fireEvent.press(screen.getByTestId('save-package'));
    await settle();
    expect(server.records.get(ID.pack)!.version).toBe(1);
    fireEvent.changeText(screen.getByTestId('package-focal'), 'abc');
    expect(seen(/Enter a focal length in mm/)).toBe(true);
    fireEvent.press(screen.getByText('Revert'));
    shows('32.00');
  });
  test('a zoom takes its marked range; the focal length follows into it', async () => {
    const server = new FakeServer();
    server.records.set(ID.pack, record('package', ID.pack, { camera: 'A', bodyId: ID.body, modeId: ID.open, lensId: ID.zoom, adapterId: null, focalMm: 60 }));
    await open(<KitScreen packageId={ID.pack} />, server);
    shows('60.00');
    fireEvent.press(screen.getByRole('radio', { name: /Orrinel 32, / }));
    shows('32.00');
  });
  test('a part that is missing is named', async () => {
    const server = new FakeServer();
    server.records.delete(ID.lens);
    await open(<KitScreen packageId={ID.pack} />, server);
    expect(seen('This package is not complete')).toBe(true);
    expect(screen.queryByTestId('effective-focal')).toBeNull();
  });
});

describe('a plate', () => {
  const plate = record('plate', ID.plate, {
    lensId: ID.lens,
    packageId: ID.pack,
    picture: { sha256: 'c'.repeat(64), name: 'grid.jpg' },
    focalMm: 32,
    focusM: 2.5,
    cellM: 0.04,
    shotAt: '2026-11-23T08:00:00.000Z',
  });
  const analysis = (change: Partial<Analysis>): Analysis => ({
    id: 'an-1',
    kind: 'grid',
    subjectId: ID.plate,
    status: 'running',
    progress: 0.4,
    stage: 'measuring corners',
    error: null,
    outcome: null,
    createdAt: '',
    finishedAt: null,
    ...change,
  });
  async function withAnalysis(change: Partial<Analysis> | null) {
    const server = new FakeServer();
    server.records.set(ID.plate, plate);
    if (change) server.analyses.set('an-1', analysis(change));
    await open(<PlateScreen plateId={ID.plate} />, server);
    return server;
  }
  test('running: what is done, how far, and it can be stopped', async () => {
    const server = await withAnalysis({});
    expect(seen(/measuring corners, 40 %/)).toBe(true);
    fireEvent.press(screen.getByText(/^Stop/));
    await settle();
    expect(server.asked.some((a) => a.endsWith('/analyses/an-1/stop'))).toBe(true);
  });
  test('refused: the reason in words', async () => {
    await withAnalysis({ status: 'failed', error: 'The picture is 5760 × 3240, the recording mode says 4096 × 2160.' });
    expect(seen(/5760 × 3240/)).toBe(true);
  });
  test('a plate that is gone is said', async () => {
    await open(<PlateScreen plateId="gone" />, new FakeServer());
    expect(seen(/No such plate/)).toBe(true);
  });
});
