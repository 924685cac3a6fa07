import type { PlannedMark } from '@mesure/core';
import { PDFDocument } from 'pdf-lib';
import { writeMarksPdf } from './marks-pdf';
import { nodePdfFonts } from './node-pdf-fonts';
import { streamsOf, wordsOf } from './test-pdf';

const mark = (id: string, kind: PlannedMark['kind'], diameterM: number): PlannedMark => ({ id, kind, diameterM, at: [0, 0, 0], normal: null, pieceId: null, ground: 'plain', placed: false });
const PT = 72 / 25.4;

test('a cross of 20 mm is 20 mm on paper, and the ruler 100 mm', async () => {
  const { pdf, pages, leftOut } = await writeMarksPdf('Galley', [mark('K1', 'cross', 0.02)], nodePdfFonts());
  expect([pages, leftOut]).toEqual([1, []]);
  const text = streamsOf(pdf).join('\n');
  // pdf-lib writes a rectangle as its corners about the point that it was moved to
  const lengths = [...text.matchAll(/([\d.]+) ([\d.]+) l/g)].flatMap(([, x, y]) => [Number(x), Number(y)]);
  const near = (mm: number) => lengths.some((v) => Math.abs(v - mm * PT) < 0.01);
  expect(near(20)).toBe(true);
  // from the margin of 12 mm to 112 mm
  expect(near(112)).toBe(true);
});
test('many marks go over pages; none is lost', async () => {
  const marks = Array.from({ length: 60 }, (_, i) => mark(`M${i + 1}`, i % 2 ? 'disc' : 'quartered disc', 0.04));
  const { pdf, pages } = await writeMarksPdf('Galley', marks, nodePdfFonts());
  // 4 in a row of 186 mm (40 + 8), 5 rows of 53 mm in 249 mm less a head
  expect(pages).toBeGreaterThanOrEqual(3);
  const words = wordsOf(pdf);
  for (const m of marks) expect(words).toContain(m.id);
  expect((await PDFDocument.load(pdf)).getPageCount()).toBe(pages);
});
test('balls, lamps and what is larger than a sheet are named, not cut', async () => {
  const { leftOut, pages } = await writeMarksPdf('Galley', [mark('B1', 'ball', 0.05), mark('L1', 'lamp', 0.02), mark('K9', 'cross', 0.3)], nodePdfFonts());
  expect(leftOut).toEqual([
    { id: 'B1', why: 'a ball is no print' },
    { id: 'L1', why: 'a lamp is no print' },
    { id: 'K9', why: '300 mm are larger than the sheet' },
  ]);
  expect(pages).toBe(2);
});
