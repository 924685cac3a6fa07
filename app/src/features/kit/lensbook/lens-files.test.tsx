import type { Analysis } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import { Linking } from 'react-native';
import { FakeServer, dayRecords, ID, open, record, seen, settle } from '../../test-day';
import { PlateScreen } from './plate-screen';

const saved: { name: string; text: string }[] = [];
const mockSave = (name: string, text: string) => saved.push({ name, text });
jest.mock('../../../ui/save-file', () => ({ saveFile: (name: string, text: string) => mockSave(name, text) }));

const report = {
  status: 'usable',
  reason: null,
  sentence: 'Good to use: 0.02 px, whole frame.',
  plates: [
    {
      file: 'g.jpg',
      status: 'used',
      corners: 0,
      rows: 0,
      cols: 0,
      coverage: 0.97,
      rmsPx: 0.02,
      maxPx: 0.06,
      tiltDeg: 0.4,
      distanceCells: null,
      sharpness: 0.6,
      blurPx: 1,
      cellPx: 90,
      zones: [],
      warnings: [],
    },
  ],
  distortion: { model: 'radial', k: [-0.08, 0.01, 0], p: [0, 0], center: [2050, 1079], aspect: 1, focalMm: 32, sigma: { k: [0.001] }, terms: ['k1'] },
  fitted: [{ name: 'k1', value: -0.08, sigma: 0.001 }],
  candidates: [],
  why: null,
  squeeze: null,
  focalFromTilt: null,
  focalFromDistance: { mm: 31.42, sigmaMm: 0.11 },
  rmsPx: 0.02,
  maxPx: 0.06,
  cornerDisplacementPct: -1.9,
  overscan: { left: 40, right: 40, top: 21, bottom: 21, width: 4176, height: 2202 },
  warnings: [],
};
const analysis = (change: Partial<Analysis>): Analysis => ({
  id: 'g',
  kind: 'grid',
  subjectId: ID.plate,
  status: 'done',
  progress: 1,
  stage: '',
  error: null,
  outcome: null,
  createdAt: '',
  finishedAt: '',
  ...change,
});

async function openMeasured() {
  saved.length = 0;
  const plate = record('plate', ID.plate, {
    lensId: ID.lens,
    packageId: ID.pack,
    picture: { sha256: 'c'.repeat(64), name: 'g.jpg' },
    focalMm: 32,
    focusM: 2.5,
    cellM: 0.04,
    shotAt: '2026-11-23T09:00:00.000Z',
  });
  const server = new FakeServer([...dayRecords(), plate]);
  server.analyses.set('g', analysis({ outcome: { kind: 'grid', report: report as never, corners: [], widthPx: 4096, heightPx: 2160 } }));
  await open(<PlateScreen plateId={ID.plate} />, server);
  return server;
}

test('the numbers leave at once: JSON, CSV, lens metadata', async () => {
  await openMeasured();
  for (const id of ['save-json', 'save-csv', 'save-metadata']) fireEvent.press(screen.getByTestId(id));
  expect(saved.map((s) => s.name)).toEqual(['Orrinel_32_32mm.json', 'Orrinel_32_32mm.csv', 'Orrinel_32_32mm.lens.json']);
  expect(JSON.parse(saved[0].text).distortion.k[0]).toBe(-0.08);
  expect(saved[1].text.split('\n')[1]).toMatch(/^Orrinel 32,0417,"Tarvik H2, open gate",32,2\.5,32,.*,4096,2160,24,12\.66,1,radial,undistorted to distorted,.*,-0\.08,/);
  expect(JSON.parse(saved[2].text).lens.pinholeFocalLength).toBe(31.42);
});

test('a measured chart distance stands beside the plate as the focal length it gives', async () => {
  await openMeasured();
  expect(screen.getByTestId('measured-focal')).toHaveTextContent(/31\.42 ± 0\.11 mm/);
});

test('maps are made on the server, shown with their error, and opened from there', async () => {
  const server = await openMeasured();
  server.answer = (a) => ({
    ...a,
    status: 'done',
    outcome: { kind: 'lens-files', roundTripPx: 0.0002, files: [{ name: 'Orrinel_32_32mm_undistort.tif', sha256: 'f'.repeat(64), mime: 'image/tiff', sizeBytes: 70_000_000, what: 'ST map' }] },
  });
  fireEvent.press(screen.getByRole('radio', { name: /TIFF/ }));
  fireEvent.press(screen.getByTestId('make-files'));
  for (let i = 0; i < 12 && !seen(/below 0\.001 px at worst/); i += 1) await settle(20);
  expect(seen(/There and back again through both maps: below 0\.001 px at worst/)).toBe(true);
  const opened = jest.spyOn(Linking, 'openURL').mockResolvedValue(true);
  fireEvent.press(screen.getByTestId('file-Orrinel_32_32mm_undistort.tif'));
  expect(opened).toHaveBeenCalledWith(expect.stringMatching(/\/files\/f{64}$/));
  // the plate's own result is still there
  expect(screen.getByTestId('plate-sentence')).toHaveTextContent(/Good to use/);
});

test('a refusal says why and what is safe', async () => {
  const server = await openMeasured();
  server.failing.set('POST /productions/11111111-1111-4111-8111-111111111111/analyses', server.problem('NOT_READY', 409, 'The plate has no distortion yet; measure it first.'));
  fireEvent.press(screen.getByTestId('make-files'));
  await settle(20);
  expect(seen(/measure it first/)).toBe(true);
});
