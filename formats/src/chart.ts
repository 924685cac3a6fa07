import type { ChartSheet } from '@mesure/core';
import { PDFDocument, rgb, StandardFonts } from 'pdf-lib';

const POINTS_PER_MM = 72 / 25.4;
const WORDS_POINTS = 8;

/** All sheets of a chart to scale, a page each. */
export async function writeChartPdf(sheets: readonly ChartSheet[]): Promise<Uint8Array> {
  const pdf = await PDFDocument.create();
  pdf.setTitle('Lens grid');
  // a viewer must not fit it to the page: the cells would lose their size
  pdf.catalog.getOrCreateViewerPreferences().setPrintScaling('None' as never);
  const font = await pdf.embedFont(StandardFonts.Helvetica);
  for (const s of sheets) {
    const page = pdf.addPage([s.widthMm * POINTS_PER_MM, s.heightMm * POINTS_PER_MM]);
    const flip = (yMm: number) => (s.heightMm - yMm) * POINTS_PER_MM;
    for (const r of s.dark) page.drawRectangle({ x: r.x * POINTS_PER_MM, y: flip(r.y + r.height), width: r.width * POINTS_PER_MM, height: r.height * POINTS_PER_MM, color: rgb(0, 0, 0) });
    for (const [x, height] of rulerTicks(s)) page.drawRectangle({ x: x * POINTS_PER_MM - 0.2, y: flip(s.ruler.y + height), width: 0.4, height: height * POINTS_PER_MM, color: rgb(0, 0, 0) });
    page.drawText(s.words, {
      x: (s.ruler.x + s.ruler.lengthMm + 4) * POINTS_PER_MM,
      y: flip(s.ruler.y + 4),
      size: WORDS_POINTS,
      font,
      maxWidth: (s.widthMm - s.ruler.x - s.ruler.lengthMm - 12) * POINTS_PER_MM,
      lineHeight: 9,
    });
  }
  return pdf.save();
}

/** One sheet as SVG, in millimetres. */
export function writeChartSvg(s: ChartSheet): string {
  const n = (v: number) => Number(v.toFixed(4));
  const dark = s.dark.map((r) => `M${n(r.x)} ${n(r.y)}h${n(r.width)}v${n(r.height)}h${n(-r.width)}z`).join('');
  const ruler = rulerTicks(s)
    .map(([x, height]) => `M${n(x)} ${n(s.ruler.y)}v${n(height)}`)
    .join('');
  return `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="${s.widthMm}mm" height="${s.heightMm}mm" viewBox="0 0 ${s.widthMm} ${s.heightMm}">
<rect width="${s.widthMm}" height="${s.heightMm}" fill="#fff"/>
<path d="${dark}" fill="#000"/>
<path d="${ruler}" stroke="#000" stroke-width="0.15" fill="none"/>
<text x="${n(s.ruler.x + s.ruler.lengthMm + 4)}" y="${n(s.ruler.y + 3.5)}" font-family="sans-serif" font-size="3">${s.words.replace(/&/g, '&amp;').replace(/</g, '&lt;')}</text>
</svg>
`;
}

/** Marks of the ruler: each millimetre, longer at five and ten. */
function rulerTicks(s: ChartSheet): [number, number][] {
  return Array.from({ length: s.ruler.lengthMm + 1 }, (_, mm): [number, number] => [s.ruler.x + mm, mm % 10 === 0 ? 4 : mm % 5 === 0 ? 3 : 2]);
}
