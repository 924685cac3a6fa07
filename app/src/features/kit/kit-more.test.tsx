import type { RecordBodies, RecordChange } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { PDFDocument } from 'pdf-lib';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../test-day';
import { KitScreen } from './kit-screen';
import { LensSetScreen } from './lens-set-screen';
import { PartScreen } from './part-screen';

const saved: { name: string; bytes: Uint8Array | string }[] = [];
const mockSave = (name: string, bytes: Uint8Array | string) => saved.push({ name, bytes });
jest.mock('../../ui/save-file', () => ({ saveFile: (name: string, bytes: string) => mockSave(name, bytes) }));
jest.mock('../../printing', () => ({ sheetWriters: async () => require('../../printing/writers') }));
jest.mock('../../ui/pdf-fonts', () => ({ pdfFonts: async () => require('@mesure/formats/node-pdf-fonts').nodePdfFonts() }));
const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../ui/pick-file', () => ({ pickFiles: async () => mockPicked() }));
beforeEach(() => {
  saved.length = 0;
});

test('two adapters in a row multiply, and go together when the first goes', async () => {
  const extender = '00000000-0000-4000-8000-000000000040';
  const server = new FakeServer([...dayRecords(), record('adapter', extender, { name: 'extender ×1.4', factor: 1.4 })]);
  await open(<KitScreen packageId={ID.pack} />, server);
  expect(screen.queryByText('A second adapter behind it')).toBeNull();
  fireEvent.press(screen.getByRole('radio', { name: /reducer ×0\.71, focal length/ }));
  fireEvent.press(screen.getByRole('radio', { name: /extender ×1\.4, × 1\.4 more/ }));
  // 32 · 0.71 · 1.4
  expect(screen.getByTestId('effective-focal')).toHaveTextContent(/31\.81/);
  fireEvent.press(screen.getByTestId('save-package'));
  await settle();
  expect(server.records.get(ID.pack)!.body).toMatchObject({ adapterId: ID.reducer, secondAdapterId: extender });
  fireEvent.press(screen.getAllByRole('radio', { name: 'none' })[0]);
  expect(screen.getByTestId('effective-focal')).toHaveTextContent(/32\.00/);
  fireEvent.press(screen.getByTestId('save-package'));
  await settle();
  expect(server.records.get(ID.pack)!.body).toMatchObject({ adapterId: null, secondAdapterId: null });
});

describe('what was on when', () => {
  const pack = (change: Partial<RecordBodies['package']> = {}): RecordBodies['package'] => ({
    camera: 'A',
    bodyId: ID.body,
    modeId: ID.open,
    lensId: ID.lens,
    adapterId: null,
    focalMm: 32,
    ...change,
  });
  const at = (h: number, m: number) => new Date(2026, 10, 23, h, m).toISOString();
  const changes: RecordChange[] = [
    { version: 1, who: 'wrangler', when: at(8, 12), before: null, after: { deleted: false, body: pack() } },
    { version: 2, who: 'supervisor', when: at(13, 5), before: { deleted: false, body: pack() }, after: { deleted: false, body: pack({ adapterId: ID.reducer }) } },
    { version: 3, who: 'wrangler', when: at(15, 40), before: { deleted: false, body: pack({ adapterId: ID.reducer }) }, after: { deleted: false, body: pack({ lensId: ID.zoom, focalMm: 50 }) } },
  ];
  async function openHistory() {
    const server = new FakeServer();
    server.changes.set(ID.pack, changes);
    await open(<KitScreen packageId={ID.pack} />, server);
    fireEvent.press(screen.getByTestId('open-history'));
    await settle();
    return server;
  }

  test.each([
    ['14:10', /14:10: Tarvik H2 · open gate · Orrinel 32 · reducer ×0\.71, at 32 mm \(since 2026-11-23 13:05, by supervisor\)/],
    ['13.04', /13:04: Tarvik H2 · open gate · Orrinel 32 · no adapter/],
    ['2026-11-23 16:00', /Orrinel 24–70.*at 50 mm/],
    ['07:00', /07:00: not mounted yet/],
  ])('at %s', async (time, answer) => {
    await openHistory();
    fireEvent.changeText(screen.getByTestId('history-time'), time);
    expect(screen.getByTestId('history-answer')).toHaveTextContent(answer);
  });

  test('each change says what it was about; a time that is none is asked about', async () => {
    await openHistory();
    expect(screen.getByTestId('change-2')).toHaveTextContent(/13:05, supervisor.*adapter changed/);
    expect(screen.getByTestId('change-3')).toHaveTextContent(/lens Orrinel 32 taken off, adapter changed/);
    fireEvent.changeText(screen.getByTestId('history-time'), '25:10');
    expect(seen(/Enter a time such as 14:10/)).toBe(true);
  });

  test('without a network it says where the changes are, and tries again', async () => {
    const server = new FakeServer();
    server.changes.set(ID.pack, changes);
    await open(<KitScreen packageId={ID.pack} />, server);
    server.cut = true;
    fireEvent.press(screen.getByTestId('open-history'));
    await settle();
    expect(seen('The changes are not here')).toBe(true);
    server.cut = false;
    fireEvent.press(screen.getByRole('button', { name: 'Try again' }));
    await settle();
    expect(screen.getByTestId('change-1')).toBeTruthy();
  });
});

describe('framing decision lists', () => {
  const list = (canvases: object[]) => ({ name: 'set.fdl', text: async () => JSON.stringify({ version: { major: 1, minor: 0 }, contexts: [{ label: 'Tarvik H2', canvases }] }) }) as unknown as File;

  test('modes come in with their sizes, what has none is named, and the body is saved with them', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.body} />, server);
    picked.files = [
      list([
        { label: '6K 3:2', dimensions: { width: 6144, height: 4096 }, physical_dimensions: { width: 36, height: 24 }, anamorphic_squeeze: 1 },
        { label: 'proxy', dimensions: { width: 1920, height: 1080 } },
      ]),
    ];
    fireEvent.press(screen.getByTestId('fdl-in'));
    await settle();
    expect(seen(/In it: 6K 3:2\. It does not say how many frames a second.*Without a size in mm, and so left out: proxy/)).toBe(true);
    // nothing is taken before it is said how fast it runs
    expect(screen.queryByTestId('save-part')).toBeNull();
    fireEvent.press(screen.getByRole('radio', { name: '48' }));
    fireEvent.press(screen.getByTestId('take-modes'));
    await settle();
    expect(seen(/Taken: 6K 3:2, at 48 frames a second/)).toBe(true);
    fireEvent.press(screen.getByTestId('save-part'));
    await settle();
    expect((server.records.get(ID.body)!.body as RecordBodies['body']).modes.at(-1)).toMatchObject({ name: '6K 3:2', widthPx: 6144, sensorWidthMm: 36, sensorHeightMm: 24, fps: 48 });
  });

  test('what is none is refused and changes nothing', async () => {
    await open(<PartScreen partId={ID.body} />, new FakeServer());
    picked.files = [{ name: 'notes.json', text: async () => '{"a":1}' } as unknown as File];
    fireEvent.press(screen.getByTestId('fdl-in'));
    await settle();
    expect(seen(/no framing decision list Nothing was changed|this is no framing decision list.*Nothing was changed/)).toBe(true);
    expect(screen.queryByTestId('save-part')).toBeNull();
  });

  test('a body goes out with each of its modes', async () => {
    await open(<PartScreen partId={ID.body} />, new FakeServer());
    fireEvent.press(screen.getByTestId('fdl-out'));
    expect(saved[0].name).toBe('Tarvik_H2.fdl');
    const out = JSON.parse(saved[0].bytes as string);
    expect(out.contexts[0].canvases.map((c: { label: string }) => c.label)).toEqual(['open gate', 'windowed']);
    expect(out.contexts[0].canvases[1]).toMatchObject({ dimensions: { width: 2048, height: 1080 }, physical_dimensions: { width: 12, height: 6.33 } });
  });
});

describe('the lens set', () => {
  test('each lens as the chosen camera sees it, a zoom with both ends', async () => {
    await open(<LensSetScreen />, new FakeServer());
    // 24 mm wide at 32 mm: 2 atan(12 / 32) = 41.1°
    expect(screen.getByTestId('set-Orrinel 32-32')).toHaveTextContent(/32\.0\D*41\.1/);
    expect(screen.getByTestId('set-Orrinel 24–70-24')).toHaveTextContent(/53\.1/);
    expect(screen.getByTestId('set-Orrinel 24–70-70')).toHaveTextContent(/19\.5/);
  });

  test('it is saved as a PDF with every row', async () => {
    await open(<LensSetScreen />, new FakeServer());
    fireEvent.press(screen.getByTestId('print-table'));
    await settle(30);
    expect(saved[0].name).toBe('lens_set_A-cam.pdf');
    expect((await PDFDocument.load(saved[0].bytes as Uint8Array)).getPageCount()).toBe(1);
  });

  test('without a package it says what is needed', async () => {
    await open(<LensSetScreen />, new FakeServer(dayRecords().filter((r) => r.kind !== 'package')));
    expect(seen('No package yet')).toBe(true);
  });
});
