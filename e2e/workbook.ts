import JSZip from 'jszip';

const NS = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const REL = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const escaped = (text: string) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;');
const cell = (text: string, at: string) => (/^\d+$/.test(text) ? `<c r="${at}"><v>${text}</v></c>` : `<c r="${at}" t="inlineStr"><is><t>${escaped(text)}</t></is></c>`);

/** A workbook of one sheet after ECMA-376, as a production office sends one: whole numbers as numbers, the rest as text. */
export async function workbook(rows: readonly (readonly string[])[]): Promise<Buffer> {
  const zip = new JSZip();
  const part = (name: string, xml: string) => zip.file(name, `<?xml version="1.0"?>${xml}`);
  part(
    '[Content_Types].xml',
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/></Types>',
  );
  const relations = (id: string, type: string, target: string) =>
    `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="${id}" Type="${REL}/${type}" Target="${target}"/></Relationships>`;
  part('_rels/.rels', relations('r1', 'officeDocument', 'xl/workbook.xml'));
  part('xl/workbook.xml', `<workbook xmlns="${NS}" xmlns:r="${REL}"><sheets><sheet name="Shots" sheetId="1" r:id="r1"/></sheets></workbook>`);
  part('xl/_rels/workbook.xml.rels', relations('r1', 'worksheet', 'worksheets/sheet1.xml'));
  part(
    'xl/worksheets/sheet1.xml',
    `<worksheet xmlns="${NS}"><sheetData>${rows.map((r, i) => `<row r="${i + 1}">${r.map((text, k) => cell(text, `${'ABCDEFGHIJKL'[k]}${i + 1}`)).join('')}</row>`).join('')}</sheetData></worksheet>`,
  );
  return zip.generateAsync({ type: 'nodebuffer' });
}
