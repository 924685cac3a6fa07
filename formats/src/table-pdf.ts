import { rgb } from 'pdf-lib';
import { openPdf, type PdfFonts } from './pdf';

export interface PrintedTable {
  title: string;
  subtitle: string;
  columns: { title: string; align: 'left' | 'right'; share: number }[];
  rows: string[][];
}

const PAGE = { width: 841.89, height: 595.28, margin: 36 };
const TEXT = 9;
const LINE = 15;

/** A table on A4 pages on their side, its head on each page; nothing is cut off: a word that is too wide for its column is set smaller. */
export async function writeTablePdf(table: PrintedTable, fonts: PdfFonts): Promise<Uint8Array> {
  const { pdf, plain, strong, printable } = await openPdf(table.title, fonts);
  const width = PAGE.width - 2 * PAGE.margin;
  const total = table.columns.reduce((sum, c) => sum + c.share, 0);
  const perPage = Math.floor((PAGE.height - 2 * PAGE.margin - 60) / LINE);
  const pages = Math.max(1, Math.ceil(table.rows.length / perPage));
  for (let n = 0; n < pages; n += 1) {
    const page = pdf.addPage([PAGE.width, PAGE.height]);
    let y = PAGE.height - PAGE.margin - 14;
    page.drawText(printable(table.title), { x: PAGE.margin, y, size: 14, font: strong });
    page.drawText(printable(`${table.subtitle}${pages > 1 ? `, page ${n + 1} of ${pages}` : ''}`), { x: PAGE.margin, y: y - 16, size: TEXT, font: plain, color: rgb(0.3, 0.3, 0.3) });
    y -= 40;
    const line = (cells: readonly string[], font: typeof plain) => {
      let x = PAGE.margin;
      cells.forEach((cell, i) => {
        const column = table.columns[i];
        const room = (width * column.share) / total;
        const text = printable(cell);
        const size = Math.min(TEXT, (TEXT * (room - 6)) / Math.max(1, font.widthOfTextAtSize(text, TEXT)));
        page.drawText(text, { x: column.align === 'right' ? x + room - 6 - font.widthOfTextAtSize(text, size) : x, y, size, font });
        x += room;
      });
    };
    line(
      table.columns.map((c) => c.title),
      strong,
    );
    page.drawLine({ start: { x: PAGE.margin, y: y - 4 }, end: { x: PAGE.width - PAGE.margin, y: y - 4 }, thickness: 0.8 });
    for (const row of table.rows.slice(n * perPage, (n + 1) * perPage)) {
      y -= LINE;
      line(row, plain);
    }
  }
  return pdf.save();
}
