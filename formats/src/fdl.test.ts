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
  expect(first).toEqual({ ...canvas, effective: null });
  expect(second).toMatchObject({ photositesX: null, frames: [{ label: 'whole', widthPx: 4096, heightPx: 3432 }] });
});

/** a list of one canvas, as another program would write it */
const one = (canvas: object) => JSON.stringify({ version: { major: 2 }, contexts: [{ canvases: [{ label: 'x', dimensions: { width: 4096, height: 3432 }, ...canvas }] }] });

test('of a canvas that is not filled it is read what the picture fills', () => {
  const filled = one({ effective_dimensions: { width: 4000, height: 3000 }, effective_anchor_point: { x: 48, y: 216 }, anamorphic_squeeze: 1.3 });
  expect(readFdl(filled, 'a.fdl')[0]).toMatchObject({ widthPx: 4096, squeeze: 1.3, effective: { x: 48, y: 216, widthPx: 4000, heightPx: 3000 } });
  expect(readFdl(one({ effective_dimensions: { width: 4096, height: 3432 } }), 'a.fdl')[0].effective).toBeNull();
});

test.each<[string, string, RegExp]>([
  ['no JSON', 'hello', /is not JSON/],
  ['another JSON', '{"a":1}', /contexts: is missing|no framing decision list/],
  ['a version to come', '{"version":{"major":9},"contexts":[]}', /versions 0, 1 and 2/],
  ['no canvas', '{"version":{"major":1},"contexts":[]}', /holds no canvas/],
  ['a canvas without size', '{"version":{"major":1},"contexts":[{"canvases":[{"label":"x"}]}]}', /contexts\[0\]\.canvases\[0\]\.dimensions/],
  ['a canvas of a billion', '{"version":{"major":1},"contexts":[{"canvases":[{"dimensions":{"width":1e9,"height":4}}]}]}', /dimensions/],
  ['a squeeze the wrong way round', one({ anamorphic_squeeze: 0.5 }), /canvases\[0\]\.anamorphic_squeeze: is 0\.5; lenses squeeze by 1 to 2\.5/],
  ['a squeeze in words', one({ anamorphic_squeeze: 'two' }), /anamorphic_squeeze: is two/],
  ['a sensor in micrometres', one({ physical_dimensions: { width: 24000, height: 20110 } }), /physical_dimensions: is 24000 × 20110/],
  ['a picture larger than its canvas', one({ effective_dimensions: { width: 5000, height: 3000 } }), /effective_dimensions: is 5000 × 3000 at 0, 0, which is not within its canvas of 4096 × 3432/],
  ['a frame beside it', one({ framing_decisions: [{ dimensions: { width: 4000, height: 2000 }, anchor_point: { x: 200, y: 0 } }] }), /framing_decisions\[0\]: is 4000 × 2000 at 200, 0/],
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
