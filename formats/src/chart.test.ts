import { chartSheets, planChart, quickLook } from '@mesure/core';
import { PDFDocument } from 'pdf-lib';
import sharp from 'sharp';
import { writeChartPdf, writeChartSvg } from './chart';
import { readGray } from './picture';

const setup = { image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mm: 35 } };
const plan = planChart(setup, { paper: 'A3', cellMm: 20 });
const sheets = chartSheets(plan, 'A3', 'chequer');

test('the PDF has a page a sheet, to scale, and asks not to be fitted', async () => {
  const pdf = await PDFDocument.load(await writeChartPdf([...sheets, ...sheets]));
  expect(pdf.getPageCount()).toBe(2);
  const { width, height } = pdf.getPage(0).getSize();
  expect(width).toBeCloseTo((420 * 72) / 25.4, 3);
  expect(height).toBeCloseTo((297 * 72) / 25.4, 3);
  expect(pdf.catalog.getViewerPreferences()!.getPrintScaling()).toBe('None');
});

test('the SVG drawn by another program is a chart that is found, with cells of their size', async () => {
  const svg = writeChartSvg(sheets[0]);
  expect(svg).toMatch(/width="420mm" height="297mm" viewBox="0 0 420 297"/);
  const { data, info } = await sharp(Buffer.from(svg), { density: 96 }).greyscale().raw().toBuffer({ resolveWithObject: true });
  const perMm = info.width / 420;
  const at = (xMm: number, yMm: number) => data[Math.floor(yMm * perMm) * info.width * info.channels + Math.floor(xMm * perMm) * info.channels];
  const left = (420 - plan.cellsAcross * 20) / 2;
  for (let i = 0; i < plan.cellsAcross; i += 1) expect(at(left + (i + 0.5) * 20, 8 + 10)).toBe(i % 2 === 0 ? 0 : 255);
  const png = await sharp(Buffer.from(svg), { density: 96 }).png().toBuffer();
  const look = quickLook(await readGray(png, 'chart.png'));
  expect(look.corners).toBe((plan.cellsAcross - 1) * (plan.cellsDown - 1));
});
