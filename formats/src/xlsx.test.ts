import JSZip from 'jszip';
import { FormatError } from './format-error';
import { readXlsxCells } from './xlsx';

/** A workbook written by hand after ECMA-376: two sheets, shared and inline text, a number, a date by its style, a hole. */
async function workbook(): Promise<ArrayBuffer> {
  const zip = new JSZip();
  const ns = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
  const rel = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
  zip.file(
    '[Content_Types].xml',
    '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/></Types>',
  );
  zip.file(
    '_rels/.rels',
    `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${rel}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
  );
  zip.file(
    'xl/workbook.xml',
    `<?xml version="1.0"?><workbook xmlns="${ns}" xmlns:r="${rel}"><sheets><sheet name="Shots" sheetId="1" r:id="r1"/><sheet name="Other" sheetId="2" r:id="r2"/></sheets></workbook>`,
  );
  zip.file(
    'xl/_rels/workbook.xml.rels',
    `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${rel}/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="${rel}/worksheet" Target="worksheets/sheet2.xml"/><Relationship Id="r3" Type="${rel}/sharedStrings" Target="sharedStrings.xml"/><Relationship Id="r4" Type="${rel}/styles" Target="styles.xml"/></Relationships>`,
  );
  zip.file('xl/sharedStrings.xml', `<?xml version="1.0"?><sst xmlns="${ns}"><si><t>Slate</t></si><si><t>Date</t></si><si><t>Lens</t></si><si><t xml:space="preserve"> 41A </t></si></sst>`);
  zip.file('xl/styles.xml', `<?xml version="1.0"?><styleSheet xmlns="${ns}"><cellXfs count="2"><xf numFmtId="0"/><xf numFmtId="14"/></cellXfs></styleSheet>`);
  // 46115 days after the 30th of December 1899 is the 3rd of April 2026
  zip.file(
    'xl/worksheets/sheet1.xml',
    `<?xml version="1.0"?><worksheet xmlns="${ns}"><sheetData><row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="s"><v>1</v></c><c r="C1" t="s"><v>2</v></c></row><row r="2"><c r="A2" t="s"><v>3</v></c><c r="B2" s="1"><v>46115</v></c><c r="C2"><v>27.5</v></c></row><row r="4"><c r="A4" t="inlineStr"><is><t>42</t></is></c></row></sheetData></worksheet>`,
  );
  zip.file('xl/worksheets/sheet2.xml', `<?xml version="1.0"?><worksheet xmlns="${ns}"><sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData></worksheet>`);
  return zip.generateAsync({ type: 'arraybuffer' });
}

test('cells of the first sheet as text: dates as dates, numbers as they are, empty rows left out', async () => {
  expect(new Date(Date.UTC(1899, 11, 30) + 46115 * 86_400_000).toISOString().slice(0, 10)).toBe('2026-04-03');
  const cells = await readXlsxCells(await workbook(), 'list.xlsx');
  expect(cells.map((r) => r.map((c) => c))).toEqual([
    ['Slate', 'Date', 'Lens'],
    ['41A', '2026-04-03', '27.5'],
    ['42', '', ''],
  ]);
});

test.each([
  ['text', new TextEncoder().encode('Slate,Date').buffer],
  ['nothing', new ArrayBuffer(0)],
])('%s is no workbook, and that is said', async (_name, bytes) => {
  await expect(readXlsxCells(bytes as ArrayBuffer, 'list.xlsx')).rejects.toThrow(FormatError);
  await expect(readXlsxCells(bytes as ArrayBuffer, 'list.xlsx')).rejects.toThrow(/list\.xlsx.*save the sheet as CSV/s);
});
