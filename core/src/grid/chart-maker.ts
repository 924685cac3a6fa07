import { CHARTS, type ChartKind } from '../charts';
import { CoreError } from '../errors';
import { pictureGeometry, type OpticsInput } from '../optics';

/** Sheets by their ISO 216 names, and rolls by their width; mm, upright. */
export const PAPERS = {
  A4: [210, 297],
  A3: [297, 420],
  A2: [420, 594],
  A1: [594, 841],
  A0: [841, 1189],
  'roll 914 mm': [914, 1600],
  'roll 1067 mm': [1067, 1900],
} as const;
export type Paper = keyof typeof PAPERS;

/** Cells that a ruler can check. */
const CELLS_MM = [5, 8, 10, 12, 15, 20, 25, 30, 40, 50, 60, 80, 100, 120, 150, 200];
/** Cells across the frame: fewer leave too few corners, many more are too fine for the picture. */
const WANTED_ACROSS = 30;
const CELL_PX = { least: 14, most: 160 };
/** The chart must reach beyond the frame on all sides. */
const REACH = 1.06;
/** White border of a sheet that most printers leave. */
export const SHEET_MARGIN_MM = 8;
/** Room below the cells for the ruler and the words. */
export const SHEET_FOOT_MM = 14;

export interface ChartPlan {
  cellMm: number;
  /** camera to chart, from the entrance pupil, where the frame is just filled */
  distanceM: number;
  /** what the frame sees there, mm */
  fieldWidthMm: number;
  fieldHeightMm: number;
  /** the chart as it is printed, mm */
  chartWidthMm: number;
  chartHeightMm: number;
  sheetsAcross: number;
  sheetsDown: number;
  /** the sheets lie on their side */
  landscape: boolean;
  /** cells on one sheet */
  cellsAcross: number;
  cellsDown: number;
  /** a cell in the picture */
  cellPx: number;
  remarks: string[];
}

/**
 * Which chart fills the frame.
 * @param wanted.distanceM  where the camera will stand; the number of sheets follows. Without it one sheet is used and the distance follows
 * @param wanted.closeFocusM  nearest focus of the lens, for a remark
 * @throws CoreError INVALID_OPTION
 */
export function planChart(setup: OpticsInput, wanted: { paper: Paper; distanceM?: number | null; cellMm?: number | null; closeFocusM?: number | null }): ChartPlan {
  const g = pictureGeometry(setup);
  const paper = PAPERS[wanted.paper];
  if (!paper) throw new CoreError('INVALID_OPTION', `${wanted.paper} is not known; it must be one of ${Object.keys(PAPERS).join(', ')}`, 'paper');
  if (wanted.distanceM !== undefined && wanted.distanceM !== null && !(wanted.distanceM > 0.02 && wanted.distanceM < 1000))
    throw new CoreError('INVALID_OPTION', `distanceM is ${wanted.distanceM}; it must lie between 0.02 and 1000`, 'distanceM');
  const perMetre = { width: g.widthPx / (g.effectiveFocalMm * g.pxPerMmX), height: g.heightPx / (g.effectiveFocalMm * g.pxPerMmY) };
  const landscape = perMetre.width >= perMetre.height;
  const [sheetW, sheetH] = landscape ? [paper[1], paper[0]] : [paper[0], paper[1]];
  const usable = { width: sheetW - 2 * SHEET_MARGIN_MM, height: sheetH - 2 * SHEET_MARGIN_MM - SHEET_FOOT_MM };
  const field = (distanceM: number) => ({ width: 1000 * distanceM * perMetre.width, height: 1000 * distanceM * perMetre.height });
  // with one sheet the tighter of its two sides decides
  const oneSheetM = Math.min(usable.width / REACH / (1000 * perMetre.width), usable.height / REACH / (1000 * perMetre.height));
  const askedM = wanted.distanceM ?? null;
  const seen = field(askedM ?? oneSheetM);
  const most = Math.min(usable.width, usable.height) / 2;
  const cellMm = wanted.cellMm ?? nearestCell(seen.width / WANTED_ACROSS, most);
  if (!(cellMm > 1 && cellMm <= most)) throw new CoreError('INVALID_OPTION', `A cell of ${cellMm} mm does not go twice onto ${wanted.paper}.`, 'cellMm');
  // whole cells on each sheet, so that sheets are laid edge to edge without cutting a cell
  const cellsAcross = Math.floor(usable.width / cellMm);
  const cellsDown = Math.floor(usable.height / cellMm);
  const sheetsAcross = askedM === null ? 1 : Math.ceil((REACH * seen.width) / (cellsAcross * cellMm));
  const sheetsDown = askedM === null ? 1 : Math.ceil((REACH * seen.height) / (cellsDown * cellMm));
  const distanceM = askedM ?? Math.min((cellsAcross * cellMm) / REACH / (1000 * perMetre.width), (cellsDown * cellMm) / REACH / (1000 * perMetre.height));
  const there = field(distanceM);
  const cellPx = (cellMm * g.widthPx) / there.width;
  const remarks: string[] = [];
  if (wanted.closeFocusM && distanceM < wanted.closeFocusM) remarks.push(`The lens focuses to ${wanted.closeFocusM} m; at ${distanceM.toFixed(2)} m the chart is out of focus. Use a larger chart.`);
  if (cellPx < CELL_PX.least) remarks.push(`A cell is only ${cellPx.toFixed(0)} px in the picture; use cells of at least ${Math.ceil((cellMm * CELL_PX.least) / cellPx)} mm.`);
  if (cellPx > CELL_PX.most) remarks.push(`A cell is ${cellPx.toFixed(0)} px in the picture: few corners. Smaller cells show the border better.`);
  if (sheetsAcross * sheetsDown > 12)
    remarks.push(`${sheetsAcross * sheetsDown} sheets must be laid flat and edge to edge; a step of a tenth of a millimetre shows. A larger print, or a shorter distance, is better.`);
  return {
    cellMm,
    distanceM,
    fieldWidthMm: there.width,
    fieldHeightMm: there.height,
    chartWidthMm: sheetsAcross * cellsAcross * cellMm,
    chartHeightMm: sheetsDown * cellsDown * cellMm,
    sheetsAcross,
    sheetsDown,
    landscape,
    cellsAcross,
    cellsDown,
    cellPx,
    remarks,
  };
}

const nearestCell = (mm: number, most: number): number => CELLS_MM.filter((c) => c <= most).reduce((best, c) => (Math.abs(Math.log(c / mm)) < Math.abs(Math.log(best / mm)) ? c : best));

export interface ChartSheet {
  widthMm: number;
  heightMm: number;
  /** dark rectangles, mm from the sheet's upper left corner */
  dark: { x: number; y: number; width: number; height: number }[];
  /** where the ruler begins, and its length */
  ruler: { x: number; y: number; lengthMm: number };
  /** for the person who lays the sheets */
  words: string;
}

/** The sheets of a chart, row by row; on neighbouring sheets the pattern runs on. */
export function chartSheets(plan: ChartPlan, paper: Paper, chart: ChartKind): ChartSheet[] {
  const [widthMm, heightMm] = plan.landscape ? [PAPERS[paper][1], PAPERS[paper][0]] : [PAPERS[paper][0], PAPERS[paper][1]];
  const { cellMm: c, cellsAcross, cellsDown } = plan;
  const left = (widthMm - cellsAcross * c) / 2;
  const top = SHEET_MARGIN_MM;
  const sheets: ChartSheet[] = [];
  for (let row = 0; row < plan.sheetsDown; row += 1) {
    for (let col = 0; col < plan.sheetsAcross; col += 1) {
      const cells = CHARTS[chart].dark(cellsAcross, cellsDown, row * cellsDown + col * cellsAcross);
      const dark = cells.map((d) => ({ x: left + d.x * c, y: top + d.y * c, width: d.width * c, height: d.height * c }));
      const many = plan.sheetsAcross * plan.sheetsDown > 1;
      sheets.push({
        widthMm,
        heightMm,
        dark,
        ruler: { x: left, y: top + cellsDown * c + 5, lengthMm: 100 },
        words: `Cell ${c} mm. Print at 100 %; this ruler must measure 100 mm.${many ? ` Sheet ${row + 1}.${col + 1} of ${plan.sheetsDown} x ${plan.sheetsAcross}: cut along the cells and lay edge to edge.` : ''}`,
      });
    }
  }
  return sheets;
}
