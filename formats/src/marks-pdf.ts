import type { PlannedMark } from '@mesure/core';
import { degrees, rgb, type PDFPage } from 'pdf-lib';
import { openPdf, type OpenPdf, type PdfFonts } from './pdf';

const MM = 72 / 25.4;
/** A4 upright, mm */
const PAGE = { width: 210, height: 297, margin: 12 };
const GAP_MM = 8;
const LABEL_MM = 5;
/** Head with the title and the ruler. */
const HEAD_MM = 24;
const RULER_MM = 100;
const black = rgb(0, 0, 0);

export interface PrintedMarks {
  pdf: Uint8Array;
  pages: number;
  /** what is not on the sheets, and why; also printed on the last one */
  leftOut: { id: string; why: string }[];
}

/**
 * Flat marks at their true size, with their ids, packed row by row onto A4; a ruler of 100 mm on each sheet checks the print. Balls and lamps
 * cannot be printed, and what is larger than the sheet is not cut: both are named.
 */
export async function writeMarksPdf(title: string, marks: readonly PlannedMark[], fonts: PdfFonts): Promise<PrintedMarks> {
  const open = await openPdf(title, fonts);
  const { pdf } = open;
  const room = PAGE.width - 2 * PAGE.margin;
  const leftOut: PrintedMarks['leftOut'] = [];
  const printed = marks.filter((m) => {
    const why = m.kind === 'ball' || m.kind === 'lamp' ? `a ${m.kind} is no print` : 1000 * m.diameterM > room ? `${(1000 * m.diameterM).toFixed(0)} mm are larger than the sheet` : null;
    if (why) leftOut.push({ id: m.id, why });
    return why === null;
  });
  let page = newPage();
  let [x, y, tall] = [PAGE.margin, PAGE.margin + HEAD_MM, 0];
  // large ones first: rows of alike height waste least
  for (const m of [...printed].sort((a, b) => b.diameterM - a.diameterM)) {
    const size = 1000 * m.diameterM;
    if (x + size > PAGE.width - PAGE.margin) [x, y, tall] = [PAGE.margin, y + tall + GAP_MM, 0];
    if (y + size + LABEL_MM > PAGE.height - PAGE.margin) {
      page = newPage();
      [x, y, tall] = [PAGE.margin, PAGE.margin + HEAD_MM, 0];
    }
    drawMark(page, open, m, x, y, size);
    x += Math.max(size, 12) + GAP_MM;
    tall = Math.max(tall, size + LABEL_MM);
  }
  if (leftOut.length > 0) {
    const last = newPage();
    leftOut.forEach(({ id, why }, i) => text(last, open, `${id}: ${why}`, PAGE.margin, PAGE.margin + HEAD_MM + 6 * i, 10));
  }
  return { pdf: await pdf.save(), pages: pdf.getPageCount(), leftOut };

  function newPage(): PDFPage {
    const made = pdf.addPage([PAGE.width * MM, PAGE.height * MM]);
    text(made, open, `${title}. Print at 100 %, not fitted to the page; the ruler must measure ${RULER_MM} mm.`, PAGE.margin, PAGE.margin + 4, 9);
    const top = (PAGE.height - PAGE.margin - 14) * MM;
    made.drawLine({ start: { x: PAGE.margin * MM, y: top }, end: { x: (PAGE.margin + RULER_MM) * MM, y: top }, thickness: 0.6, color: black });
    for (let t = 0; t <= RULER_MM; t += 10)
      made.drawLine({ start: { x: (PAGE.margin + t) * MM, y: top }, end: { x: (PAGE.margin + t) * MM, y: top + (t % 50 === 0 ? 4 : 2.2) * MM }, thickness: 0.6, color: black });
    return made;
  }
}

/** mm from the upper left of the sheet */
function text(page: PDFPage, { plain, printable }: OpenPdf, words: string, xMm: number, yMm: number, size: number): void {
  page.drawText(printable(words), { x: xMm * MM, y: (PAGE.height - yMm) * MM, size, font: plain, color: black });
}

function drawMark(page: PDFPage, open: OpenPdf, m: PlannedMark, xMm: number, yMm: number, sizeMm: number): void {
  const r = (sizeMm / 2) * MM;
  const cx = xMm * MM + r;
  const cy = (PAGE.height - yMm) * MM - r;
  if (m.kind === 'cross') {
    const bar = Math.max(0.5, 0.16 * 2 * r);
    page.drawRectangle({ x: cx - r, y: cy - bar / 2, width: 2 * r, height: bar, color: black });
    page.drawRectangle({ x: cx - bar / 2, y: cy - r, width: bar, height: 2 * r, color: black });
  } else if (m.kind === 'disc') page.drawCircle({ x: cx, y: cy, size: r, color: black });
  else {
    // two black quarters that meet in the middle
    page.drawCircle({ x: cx, y: cy, size: r, borderColor: black, borderWidth: 0.4 });
    for (const turn of [0, 180]) page.drawSvgPath(`M0 0 L${r} 0 A${r} ${r} 0 0 1 0 ${r} Z`, { x: cx, y: cy, color: black, rotate: degrees(turn) });
  }
  text(page, open, m.id, xMm, yMm + sizeMm + LABEL_MM - 1, 8);
}
