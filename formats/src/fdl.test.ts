import { PDFDocument } from 'pdf-lib';
import { readFdl, writeFdl, type FdlCanvas } from './fdl';
import { nodePdfFonts } from './node-pdf-fonts';
import { wordsOf } from './test-pdf';
import { writeTablePdf } from './table-pdf';

const canvas: FdlCanvas = {
  source: 'Tarvik H2',
  label: 'open gate',
  widthPx: 4096,
  heightPx: 3432,
  photositesX: 4096,
  photositesY: 3432,
  sensorWidthMm: 24,
  sensorHeightMm: 20.11,
  squeeze: 2,
  frames: [{ label: '2.39', x: 0, y: 2, widthPx: 4096, heightPx: 3428 }],
};

test('what is written is read back, camera by camera', () => {
  const whole = { ...canvas, source: 'Pellon Dash', label: 'UHD', squeeze: 1, photositesX: null, photositesY: null, frames: [] };
  const text = writeFdl([canvas, whole], '4f1c0c8e-1111-4111-8111-111111111111');
  const list = JSON.parse(text);
  expect(list).toMatchObject({ version: { major: 1 }, fdl_creator: 'Mesure', contexts: [{ label: 'Tarvik H2' }, { label: 'Pellon Dash' }] });
  // the intent is of the desqueezed frame
  expect(list.framing_intents[0].aspect_ratio).toEqual({ width: 8192, height: 3428 });
  expect(list.contexts[0].canvases[0].framing_decisions[0].framing_intent_id).toBe(list.framing_intents[0].id);
  const [first, second] = readFdl(text, 'a.fdl');
  expect(first).toEqual(canvas);
  expect(second).toMatchObject({ photositesX: null, frames: [{ label: 'whole', widthPx: 4096, heightPx: 3432 }] });
});

test.each<[string, string, RegExp]>([
  ['no JSON', 'hello', /is not JSON/],
  ['another JSON', '{"a":1}', /contexts: is missing|no framing decision list/],
  ['a version to come', '{"version":{"major":9},"contexts":[]}', /versions 0, 1 and 2/],
  ['no canvas', '{"version":{"major":1},"contexts":[]}', /holds no canvas/],
  ['a canvas without size', '{"version":{"major":1},"contexts":[{"canvases":[{"label":"x"}]}]}', /contexts\[0\]\.canvases\[0\]\.dimensions/],
  ['a canvas of a billion', '{"version":{"major":1},"contexts":[{"canvases":[{"dimensions":{"width":1e9,"height":4}}]}]}', /dimensions/],
  ['contexts of another kind', '{"version":{"major":1},"contexts":[4]}', /contexts\[0\]/],
])('%s is refused with its place', (_name, text, message) => {
  expect(() => readFdl(text, 'b.fdl')).toThrow(message);
});

test('a printed table has its head on each page, and its letters: Latin, Greek, Cyrillic; what its font lacks is told by its number, not a question mark', async () => {
  const rows = Array.from({ length: 70 }, (_, i) => [`Łęnś ${i} Ωμέγα Жук → 漢`, `${i}`]);
  const bytes = await writeTablePdf(
    {
      title: 'Lens set',
      subtitle: 'A-cam',
      columns: [
        { title: 'Lens', align: 'left', share: 3 },
        { title: 'mm', align: 'right', share: 1 },
      ],
      rows,
    },
    nodePdfFonts(),
  );
  const pdf = await PDFDocument.load(bytes);
  expect(pdf.getPageCount()).toBe(3);
  expect(pdf.getTitle()).toBe('Lens set');
  expect(wordsOf(bytes)).toContain('Łęnś 69 Ωμέγα Жук -> [U+6F22]');
});
