import fontkit from '@pdf-lib/fontkit';
import { PDFDocument, type PDFFont } from 'pdf-lib';

/** TrueType files of one family; a page's own fonts know the letters of Western Europe only, and names have others. */
export interface PdfFonts {
  plain: Uint8Array;
  strong: Uint8Array;
}
export interface OpenPdf {
  pdf: PDFDocument;
  plain: PDFFont;
  strong: PDFFont;
  /** what the fonts can print of a text: a letter that they lack is told by its nearest, or by its number, so that two names stay two */
  printable(text: string): string;
}

/** Signs of ours that text fonts lack. */
const SIGNS: Record<string, string> = { '→': '->', '∞': 'infinity', '≈': 'about ', '≤': '<=', '≥': '>=' };

/**
 * Letter for letter: a line is written as glyphs that follow each other by their own widths, so that kerning and marks would be worked out
 * for nothing (two thirds of the time of a handover), and a search finds "fi" as two letters. Texts are composed (NFC) before.
 */
const UNSHAPED = Object.fromEntries(['ccmp', 'locl', 'rlig', 'mark', 'mkmk', 'calt', 'clig', 'liga', 'rclt', 'curs', 'kern'].map((feature) => [feature, false]));

/** An empty document whose fonts go into it, the letters that are used and no others. */
export async function openPdf(title: string, fonts: PdfFonts): Promise<OpenPdf> {
  const pdf = await PDFDocument.create();
  pdf.registerFontkit(fontkit);
  pdf.setTitle(title);
  const [plain, strong] = await Promise.all([pdf.embedFont(fonts.plain, { subset: true, features: UNSHAPED }), pdf.embedFont(fonts.strong, { subset: true, features: UNSHAPED })]);
  const known = new Set(plain.getCharacterSet());
  const has = (c: string) => known.has(c.codePointAt(0)!);
  const nearest = (c: string): string => {
    if (SIGNS[c]) return SIGNS[c];
    const bare = c.normalize('NFKD').replace(/\p{M}/gu, '');
    return bare !== '' && [...bare].every(has) ? bare : `[U+${c.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')}]`;
  };
  return { pdf, plain, strong, printable: (text) => [...text.normalize('NFC').replace(/[\r\n\t]+/g, ' ')].map((c) => (has(c) ? c : nearest(c))).join('') };
}
