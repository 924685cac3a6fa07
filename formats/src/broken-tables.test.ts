import { brokenBytes, draws, uniform } from '@mesure/synthetic';
import JSZip from 'jszip';
import { readEdgesCsv } from './edges-csv';
import { readFdl, writeFdl } from './fdl';
import { FormatError } from './format-error';
import { readCoefficients, writeCoefficients } from './given-lens';
import { readLeftSolve } from './left-solve';
import { lookAtTable, mappedRows } from './mapped-table';
import { readSetupJson, solveJson } from './setup-json';
import { TEST_SETUP, TEST_SOLVE } from './solve-in/test-solve';
import { readCells } from './table';
import { LENS_TABLE, MOVE_TABLE } from './table-kinds';
import { readTiesCsv } from './ties-csv';
import { readXlsxCells } from './xlsx';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const text = (b: Uint8Array): string => new TextDecoder().decode(b);
const finite = (...values: unknown[]): boolean => values.every((v) => typeof v === 'number' && Number.isFinite(v));

async function workbook(): Promise<Uint8Array> {
  const [ns, rel, types] = ['http://schemas.openxmlformats.org/spreadsheetml/2006/main', 'http://schemas.openxmlformats.org/officeDocument/2006/relationships', 'http://schemas.openxmlformats.org/package/2006']; // prettier-ignore
  const zip = new JSZip();
  zip.file('[Content_Types].xml', `<Types xmlns="${types}/content-types"><Default Extension="xml" ContentType="application/xml"/></Types>`);
  zip.file('_rels/.rels', `<Relationships xmlns="${types}/relationships"><Relationship Id="r1" Type="${rel}/officeDocument" Target="xl/workbook.xml"/></Relationships>`);
  zip.file('xl/workbook.xml', `<workbook xmlns="${ns}" xmlns:r="${rel}"><sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>`);
  zip.file('xl/_rels/workbook.xml.rels', `<Relationships xmlns="${types}/relationships"><Relationship Id="r1" Type="${rel}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`);
  const cells = ['mark', 'x', 'y', 'z'].map((c, i) => `<c r="${'ABCD'[i]}1" t="inlineStr"><is><t>${c}</t></is></c>`).join('');
  zip.file('xl/worksheets/sheet1.xml', `<worksheet xmlns="${ns}"><sheetData><row r="1">${cells}</row><row r="2"><c r="A2" t="inlineStr"><is><t>K1</t></is></c><c r="B2"><v>1.5</v></c></row></sheetData></worksheet>`); // prettier-ignore
  // not packed, so that what is turned over is text and not only its packing
  return zip.generateAsync({ type: 'uint8array', compression: 'STORE' });
}

const canvas = { source: 'Tarvik', label: 'open gate', widthPx: 4096, heightPx: 3024, photositesX: 4096, photositesY: 3024, sensorWidthMm: 28.25, sensorHeightMm: 18.17, squeeze: 2 };
/** Each kind of file, and what of it can be no matter what: what is read must be able to be true. */
const KINDS: [string, () => Uint8Array | Promise<Uint8Array>, (b: Uint8Array) => boolean | Promise<boolean>][] = [
  [
    'framing list',
    () => bytes(writeFdl([{ ...canvas, frames: [{ label: '2.39', x: 0, y: 312, widthPx: 4096, heightPx: 1714 }] }], '3f2c0f0a-8d4e-4a0e-9c55-0a4a6e2b9d10')),
    (b) => readFdl(text(b), 'a.fdl').every((c) => c.widthPx >= 16 && c.heightPx >= 16 && c.squeeze >= 1 && c.squeeze <= 2.5 && c.frames.every((f) => f.widthPx <= c.widthPx + 1)),
  ],
  ['workbook', workbook, async (b) => (await readXlsxCells(b.slice().buffer, 'a.xlsx')).every((r) => r.every((c) => typeof c === 'string'))],
  ['pasted cells', () => bytes('mark\tx\ty\nK1\t1,5\t2\nK2\t"a ""b"""\t3\n'), (b) => readCells(text(b)).every((r) => r.every((c) => typeof c === 'string'))],
  [
    'coefficients',
    () => bytes(writeCoefficients({ formula: 'polynomial', over: 'focal length', direction: 'undistorted to distorted', k: [-0.1, 0.02], p: [0.001, 0], center: [3, -2], focalMm: 32 })),
    (b) => {
      const { k, p, center } = readCoefficients(text(b), 'a.json').coefficients;
      return k.length >= 1 && k.length <= 4 && finite(...k, ...p, ...center);
    },
  ],
  [
    'lens table',
    () => bytes('lens;focal;focus;k1;k2\nOrrinel;32;1,2 m;-0,09;0,01\nOrrinel;50;inf;-0,04;\n'),
    (b) => {
      const table = lookAtTable(text(b), 'a.csv', LENS_TABLE);
      const { wanted, rows } = mappedRows(text(b), 'a.csv', table, table.columns, LENS_TABLE);
      return rows.every((r) => Number.isFinite(Number(r[wanted.indexOf('focal_mm')])) && Number.isFinite(Number(r[wanted.indexOf('k1')])));
    },
  ],
  [
    'camera table',
    () => bytes('frame,x,y,z,rx,ry,rz\n1,0,1.4,0,0.1,1.5,0\n2,0.1,1.4,0,0.1,1.6,0\n'),
    (b) => {
      const table = lookAtTable(text(b), 'a.csv', MOVE_TABLE);
      return mappedRows(text(b), 'a.csv', table, table.columns, MOVE_TABLE).rows.every((r) => r.every((c) => c === '' || Number.isFinite(Number(c))));
    },
  ],
  ['ties', () => bytes('from,to,value,unit,tolerance\nA,B,3.5,m,0.003\nB,C,"4\' 7 1/4""",ft-in,\n'), (b) => readTiesCsv(text(b), 'a.csv').every((t) => t.valueM > 0 && Number.isFinite(t.valueM))],
  ['edges', () => bytes('edge,x,y\n1,10,20\n1,11,21.5\n2,9,8\n'), (b) => readEdgesCsv(text(b), 'a.csv').every((e) => finite(e.x, e.y))],
  ['setup', () => bytes(JSON.stringify(TEST_SETUP)), (b) => finite(readSetupJson(text(b), 'a.json').focal.mm)],
  [
    'solve of a handover',
    () => bytes(JSON.stringify({ facts: {}, ...solveJson(TEST_SOLVE), setup: TEST_SETUP, take: {}, reconcile: null })),
    (b) => readLeftSolve(text(b), 'solve.json').solve.frames.every((f) => finite(f.frame, ...f.position, ...f.rotation)),
  ],
];

test.each(KINDS)('a broken %s is read as what can be true, or refused in words, and is never a fault', async (name, make, holds) => {
  const whole = await make();
  expect(await holds(whole)).toBe(true);
  const u = uniform(name.length);
  const outcomes = { read: 0, refused: 0 };
  const faults: string[] = [];
  for (let n = draws(2000, 200); n > 0; n -= 1) {
    try {
      if (await holds(brokenBytes(whole, u, n % 5 === 0))) outcomes.read += 1;
      else faults.push(`${n}: read as what cannot be`);
    } catch (e) {
      if (e instanceof FormatError) outcomes.refused += 1;
      else faults.push(`${n}: ${(e as Error).stack?.split('\n').slice(0, 3).join(' ')}`);
    }
  }
  expect(faults).toEqual([]);
  expect(outcomes.refused).toBeGreaterThan(10);
});
