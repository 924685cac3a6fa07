import { rgb, type PDFPage } from 'pdf-lib';
import { openPdf, type OpenPdf, type PdfFonts } from '../pdf';
import { frameOf, type Report, type ReportSetup, type ReportTake, type TopView } from './model';

/** A4 upright, points */
const PAGE = { width: 595.28, height: 841.89, margin: 42 };
const ROOM = PAGE.width - 2 * PAGE.margin;
const ink = rgb(0.09, 0.13, 0.16),
  dim = rgb(0.33, 0.38, 0.42),
  line = rgb(0.79, 0.77, 0.71),
  tape = rgb(0.91, 0.73, 0.24),
  blue = rgb(0.13, 0.32, 0.56);

/** One page for the supervisor, then one for each setup; what does not fit goes on to the next, with the same head. */
export async function writeReportPdf(r: Report, fonts: PdfFonts): Promise<Uint8Array> {
  const open = await openPdf(`${r.day}, ${r.production}`, fonts);
  const w = new Writer(open, `${r.production}, ${r.day}, ${r.date}`);
  w.page(r.day);
  w.words(`${r.production}, ${r.date}`, 11);
  w.words(`${r.closed ? `Signed: ${r.closed}.` : 'The day is not signed yet.'} Written ${r.madeAt}.`, 9, dim);
  w.gap(10);
  w.figures(r.figures);
  for (const change of r.changedAfterClose) w.words(`Changed after it was signed: ${change}`, 9);
  w.head('What is missing');
  if (r.missing.length === 0) w.words('Nothing.', 10);
  for (const m of r.missing) {
    w.words(m.of, 9.5, ink, true);
    for (const what of m.what) w.words(what, 9, ink, false, 12);
  }
  w.head('Takes');
  for (const s of r.setups) for (const t of s.takes) w.verdict(t, 9.5);
  w.head('Lenses');
  if (r.lenses.length === 0) w.words('No lens of this day was measured.', 9, dim);
  for (const l of r.lenses) w.words(`${l.name}: ${l.detail}`, 9);
  w.head('How the numbers are meant');
  for (const c of r.conventions) w.words(c, 8.5, dim);
  for (const s of r.setups) setupPage(w, s);
  w.foot();
  return open.pdf.save();
}

function setupPage(w: Writer, s: ReportSetup): void {
  w.page(s.title);
  if (s.detail) w.words(s.detail, 9.5, dim);
  if (s.drawing) w.drawing(s.drawing);
  if (s.takes.length === 0) w.words('No take.', 10, dim);
  for (const t of s.takes) takeBlock(w, t);
}

function takeBlock(w: Writer, t: ReportTake): void {
  w.room(60);
  w.gap(6);
  w.verdict(t, 11, true);
  w.words(t.detail, 8.5, dim);
  if (t.sentence) w.words(t.sentence, 9.5);
  if (t.numbers.length > 0)
    w.table(
      ['quantity', 'recorded', 'solved', 'verdict'],
      t.numbers.map((n) => [n.what, n.recorded, n.solved, n.verdict]),
      [4, 3, 3, 2.2],
    );
  if (t.lacks.length > 0) w.words(`Missing: ${t.lacks.join('; ')}.`, 9);
  for (const remark of t.remarks) w.words(remark, 9, ink, false, 12);
}

/** Lines from the top of a page downwards; a new page begins where one is full. */
class Writer {
  private at!: PDFPage;
  private y = 0;
  private title = '';

  constructor(
    private readonly open: OpenPdf,
    private readonly running: string,
  ) {}

  page(title: string, on = false): void {
    this.title = title;
    this.at = this.open.pdf.addPage([PAGE.width, PAGE.height]);
    this.y = PAGE.height - PAGE.margin;
    this.at.drawRectangle({ x: PAGE.margin, y: this.y, width: ROOM, height: 3, color: tape });
    this.y -= 8;
    this.words(on ? `${title}, continued` : title, on ? 11 : 17, ink, true);
  }

  room(points: number): void {
    if (this.y - points < PAGE.margin) this.page(this.title, true);
  }

  gap(points: number): void {
    this.y -= points;
  }

  head(text: string): void {
    this.room(44);
    this.gap(8);
    this.words(text, 12, ink, true);
  }

  words(text: string, size: number, color = ink, strong = false, indent = 0): void {
    const font = strong ? this.open.strong : this.open.plain;
    for (const part of wrapped(this.open.printable(text), ROOM - indent, (t) => font.widthOfTextAtSize(t, size))) {
      this.room(size * 1.4);
      this.y -= size * 1.32;
      this.at.drawText(part, { x: PAGE.margin + indent, y: this.y, size, font, color });
    }
    this.y -= size * 0.2;
  }

  /** A shape and a word: it reads in grey. The shapes are drawn, since text fonts lack them. */
  verdict(t: Pick<ReportTake, 'verdict' | 'label'>, size: number, strong = false): void {
    this.words(`${t.label}: ${t.verdict}`, size, ink, strong, 14);
    const [x, y, half] = [PAGE.margin + 5, this.y + size * 0.5, size * 0.32];
    if (t.verdict === 'agrees') this.at.drawCircle({ x, y, size: half, color: ink });
    else if (t.verdict === 'not observable') this.at.drawCircle({ x, y, size: half, borderColor: ink, borderWidth: 1 });
    else if (t.verdict === 'contradicts') this.at.drawRectangle({ x: x - half, y: y - half, width: 2 * half, height: 2 * half, color: ink });
    else if (t.verdict === 'drifts') this.at.drawSvgPath(`M0 ${-half * 1.3}L${half * 1.3} 0L0 ${half * 1.3}L${-half * 1.3} 0Z`, { x, y, color: ink });
    else this.at.drawLine({ start: { x: x - half, y }, end: { x: x + half, y }, thickness: 1, color: dim });
  }

  figures(list: Report['figures']): void {
    const each = ROOM / Math.max(1, list.length);
    this.room(50);
    list.forEach((f, i) => {
      this.at.drawText(this.open.printable(f.value), { x: PAGE.margin + i * each, y: this.y - 22, size: 22, font: this.open.strong, color: ink });
      this.at.drawText(this.open.printable(f.what), { x: PAGE.margin + i * each, y: this.y - 34, size: 8.5, font: this.open.plain, color: dim });
    });
    this.y -= 46;
  }

  table(header: readonly string[], rows: readonly (readonly string[])[], shares: readonly number[]): void {
    const total = shares.reduce((a, b) => a + b, 0);
    const size = 8.5;
    const row = (cells: readonly string[], strong: boolean) => {
      const font = strong ? this.open.strong : this.open.plain;
      const parts = cells.map((c, i) => wrapped(this.open.printable(c), (ROOM * shares[i]) / total - 8, (t) => font.widthOfTextAtSize(t, size)));
      const lines = Math.max(...parts.map((p) => p.length));
      this.room(lines * size * 1.3 + 4);
      let x = PAGE.margin;
      parts.forEach((p, i) => {
        p.forEach((t, k) => this.at.drawText(t, { x, y: this.y - size * 1.3 * (k + 1), size, font, color: strong ? dim : ink }));
        x += (ROOM * shares[i]) / total;
      });
      this.y -= lines * size * 1.3 + 3;
      this.at.drawLine({ start: { x: PAGE.margin, y: this.y }, end: { x: PAGE.width - PAGE.margin, y: this.y }, thickness: 0.5, color: line });
    };
    row(header, true);
    for (const r of rows) row(r, false);
    this.gap(4);
  }

  drawing(view: TopView): void {
    const f = frameOf(view, ROOM, 300, 26);
    if (!f) return;
    this.room(f.height + 30);
    this.gap(6);
    const top = this.y;
    const place = ([x, z]: readonly [number, number]) => ({ x: PAGE.margin + f.originX + f.scale * x, y: top - (f.originY + f.scale * z) });
    const { at, open } = this;
    const polyline = (points: readonly (readonly [number, number])[], color = blue, thickness = 1.2, dashArray?: number[]) =>
      points.slice(1).forEach((p, i) => at.drawLine({ start: place(points[i]), end: place(p), thickness, color, ...(dashArray ? { dashArray } : {}) }));
    const label = (p: readonly [number, number], text: string, dx: number, dy: number, color = ink) =>
      at.drawText(open.printable(text), { x: place(p).x + dx, y: place(p).y + dy, size: 7, font: open.plain, color });
    at.drawRectangle({ x: PAGE.margin, y: top - f.height, width: ROOM, height: f.height, borderColor: line, borderWidth: 0.6 });
    for (const p of view.pieces) {
      polyline([...p.corners, p.corners[0]], line, 0.8);
      label(p.corners[0], p.name, 2, 2, dim);
    }
    polyline(view.planned, dim, 1, [5, 4]);
    view.paths.forEach((p, i) => {
      polyline(p.at);
      at.drawCircle({ ...place(p.at[0]), size: 2.4, color: blue });
      label(p.at[p.at.length - 1], p.label, 5, -2 - 8 * i, blue);
    });
    for (const m of view.marks) {
      const { x, y } = place(m.at);
      at.drawLine({ start: { x: x - 3, y }, end: { x: x + 3, y }, thickness: 0.9, color: ink });
      at.drawLine({ start: { x, y: y - 3 }, end: { x, y: y + 3 }, thickness: 0.9, color: ink });
      label(m.at, m.id, 4, 3);
    }
    this.y = top - f.height - 12;
    at.drawLine({ start: { x: PAGE.margin, y: this.y + 4 }, end: { x: PAGE.margin + f.barM * f.scale, y: this.y + 4 }, thickness: 1.4, color: ink });
    at.drawText(open.printable(`${f.barM} m, from above${view.planned.length > 1 ? '; broken line: planned' : ''}${view.paths.length > 0 ? '; full line: solved' : ''}`), {
      x: PAGE.margin + f.barM * f.scale + 6,
      y: this.y + 1,
      size: 7.5,
      font: open.plain,
      color: dim,
    });
    this.gap(8);
  }

  foot(): void {
    const pages = this.open.pdf.getPages();
    pages.forEach((page, i) => page.drawText(this.open.printable(`${this.running}   ${i + 1} of ${pages.length}`), { x: PAGE.margin, y: 22, size: 7.5, font: this.open.plain, color: dim }));
  }
}

/** Broken between words; a word that is wider than the line is broken anywhere, so that nothing is cut off. */
function wrapped(text: string, width: number, measure: (text: string) => number): string[] {
  const out: string[] = [];
  let now = '';
  for (const word of text.split(' ')) {
    const next = now === '' ? word : `${now} ${word}`;
    if (measure(next) <= width) {
      now = next;
      continue;
    }
    if (now !== '') out.push(now);
    now = word;
    while (measure(now) > width && [...now].length > 1) {
      let keep = [...now].length - 1;
      while (keep > 1 && measure([...now].slice(0, keep).join('')) > width) keep -= 1;
      out.push([...now].slice(0, keep).join(''));
      now = [...now].slice(keep).join('');
    }
  }
  return [...out, now];
}
