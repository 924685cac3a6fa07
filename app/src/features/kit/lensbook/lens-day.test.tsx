import type { RecordBodies } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { PDFDocument } from 'pdf-lib';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../../test-day';
import { ChartScreen } from './chart-screen';
import { LensDayScreen } from './lens-day-screen';

const picked: { files: File[] } = { files: [] };
const mockPicked = () => picked.files;
jest.mock('../../../ui/pick-file', () => ({ pickFiles: async () => mockPicked() }));
const saved: { name: string; bytes: Uint8Array | string }[] = [];
const mockSave = (name: string, bytes: Uint8Array | string) => saved.push({ name, bytes });
jest.mock('../../../ui/save-file', () => ({ saveFile: (name: string, bytes: Uint8Array) => mockSave(name, bytes) }));
// the tests' engine has no import that comes later
jest.mock('../../../printing', () => ({ sheetWriters: async () => require('../../../printing/writers') }));
const file = (name: string) => ({ name, size: 3, lastModified: 1, arrayBuffer: async () => new ArrayBuffer(3) }) as unknown as File;

describe('lens day', () => {
  const ZOOMED = '00000000-0000-4000-8000-000000000030';
  const kit = () => [...dayRecords(), record('package', ZOOMED, { camera: 'C', bodyId: ID.body, modeId: ID.windowed, lensId: ID.zoom, adapterId: null, focalMm: 35 })];

  test('the list comes from the kit, and the next plate is one tap away with its setting filled in', async () => {
    const server = new FakeServer(kit());
    await open(<LensDayScreen />, server);
    // a prime near and far; 24–70 in four steps, each near and far
    expect(screen.getByTestId('day-left')).toHaveTextContent(/10 plates left/);
    expect(screen.getByTestId('next-shot')).toHaveTextContent(/^Orrinel 24–70, 24 mm at 0\.80 m, on C-cam/);
    picked.files = [file('24near.jpg')];
    fireEvent.press(screen.getByTestId('shoot-next'));
    await settle();
    expect(screen.getByTestId('focal-24near.jpg').props.value).toBe('24');
    expect(screen.getByTestId('focus-24near.jpg').props.value).toBe('0.80 m');
    fireEvent.press(screen.getByTestId('measure-plate'));
    await settle(30);
    const plate = [...server.records.values()].find((r) => r.kind === 'plate')!.body as RecordBodies['plate'];
    expect(plate).toMatchObject({ packageId: ZOOMED, lensId: ID.zoom, focalMm: 24, focusM: 0.8 });
    expect(screen.getByTestId('day-left')).toHaveTextContent(/9 plates left/);
    expect(seen(/1 of 10 shot, about 27 min left at 3\.0 min a plate \(assumed/)).toBe(true);
  });

  test('without a network a picture counts as shot and waits', async () => {
    const server = new FakeServer(kit());
    await open(<LensDayScreen />, server);
    server.cut = true;
    picked.files = [file('24near.jpg')];
    fireEvent.press(screen.getByTestId('shoot-next'));
    await settle();
    fireEvent.press(screen.getByTestId('measure-plate'));
    await settle(30);
    expect(screen.getByTestId('waiting-24near.jpg')).toBeTruthy();
    expect(screen.getByTestId('day-left')).toHaveTextContent(/9 plates left/);
  });

  test('a plate that cannot be used is to be shot again', async () => {
    const server = new FakeServer(kit());
    server.answer = (a) => ({ ...a, status: 'failed', error: 'Blurred.' });
    await open(<LensDayScreen />, server);
    picked.files = [file('24near.jpg')];
    fireEvent.press(screen.getByTestId('shoot-next'));
    await settle();
    fireEvent.press(screen.getByTestId('measure-plate'));
    await settle(30);
    expect([...server.records.values()].filter((r) => r.kind === 'plate')).toHaveLength(1);
    // the answer comes with the next question
    for (let i = 0; i < 20 && screen.queryAllByText(/0 of 10 shot/).length === 0; i += 1) await settle(12);
    expect(screen.getByTestId('day-left')).toHaveTextContent(/10 plates left/);
  });

  test('one can be left for later, and any can be shot out of turn', async () => {
    await open(<LensDayScreen />, new FakeServer(kit()));
    fireEvent.press(screen.getByTestId('later'));
    expect(screen.getByTestId('next-shot')).toHaveTextContent(/24 mm at 5\.0 m/);
    picked.files = [file('x.jpg')];
    fireEvent.press(screen.getByTestId('shot-Orrinel 32-32-5-A'));
    await settle();
    expect(screen.getByTestId('focus-x.jpg').props.value).toBe('5.00 m');
  });

  test('a lens that is not mounted is named, not listed; an empty kit says what is needed', async () => {
    await open(<LensDayScreen />, new FakeServer());
    expect(seen(/Not mounted, and so not in the list: Orrinel 24–70/)).toBe(true);
    screen.unmount();
    await open(<LensDayScreen />, new FakeServer(dayRecords().filter((r) => r.kind !== 'package')));
    expect(seen('Nothing to shoot')).toBe(true);
  });

  test('a solver reads the list and shoots nothing', async () => {
    await open(<LensDayScreen />, new FakeServer(kit()), 'solver');
    expect(screen.queryByTestId('shoot-next')).toBeNull();
  });
});

describe('chart maker', () => {
  beforeEach(() => {
    saved.length = 0;
  });

  test('one sheet decides the distance; a distance decides the sheets', async () => {
    await open(<ChartScreen packageId={ID.pack} />, new FakeServer());
    // A2 on its side: 578 mm usable across, 32 mm on 24 mm sees 0.75 m a metre
    const alone = Number(
      /(\d+\.\d+)/.exec(
        screen
          .getByTestId('chart-distance')
          .findAllByType('Text' as never)
          .map((t) => t.props.accessibilityLabel ?? '')
          .join(' '),
      )![1],
    );
    expect(alone).toBeGreaterThan(0.6);
    expect(alone).toBeLessThan(0.78);
    fireEvent.changeText(screen.getByTestId('maker-distance'), '2 m');
    expect(screen.getByTestId('chart-sentence')).toHaveTextContent(/There the frame is 1\.50 × 0\.79 m; 3 × 3 of A2|There the frame is 1\.50 × 0\.79 m; 3 × 2 of A2/);
  });

  test('the PDF has a page a sheet of the paper chosen; the SVGs are as many', async () => {
    await open(<ChartScreen packageId={ID.pack} />, new FakeServer());
    fireEvent.press(screen.getByRole('radio', { name: 'A4' }));
    fireEvent.changeText(screen.getByTestId('maker-distance'), '0.6 m');
    fireEvent.press(screen.getByTestId('save-pdf'));
    await settle(60);
    expect(saved[0].name).toMatch(/^chart_chequer_\d+mm_A4\.pdf$/);
    const pdf = await PDFDocument.load(saved[0].bytes as Uint8Array);
    const pages = pdf.getPageCount();
    expect(pages).toBeGreaterThan(1);
    expect(pdf.getPage(0).getSize().width).toBeCloseTo((297 * 72) / 25.4, 1);
    fireEvent.press(screen.getByTestId('save-svg'));
    await settle(20);
    expect(saved).toHaveLength(1 + pages);
    expect(saved[1].bytes).toMatch(/^<\?xml/);
  });

  test('what is no length, or does not fit the paper, is said at its field', async () => {
    await open(<ChartScreen packageId={ID.pack} />, new FakeServer());
    fireEvent.changeText(screen.getByTestId('maker-distance'), 'near');
    expect(screen.getAllByText(/▲/).length).toBeGreaterThan(0);
    expect(screen.queryByTestId('save-pdf')).toBeNull();
    fireEvent.changeText(screen.getByTestId('maker-distance'), '');
    fireEvent.changeText(screen.getByTestId('maker-cell'), '400 mm');
    expect(seen(/does not go twice onto A2/)).toBe(true);
  });
});
