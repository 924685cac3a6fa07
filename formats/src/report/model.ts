/** A shooting day as a person reads it; the page and the print are made from the same words and numbers. */
export interface Report {
  production: string;
  day: string;
  date: string;
  madeAt: string;
  /** who signed the day; null while it is open */
  closed: string | null;
  changedAfterClose: readonly string[];
  figures: readonly { value: string; what: string }[];
  setups: readonly ReportSetup[];
  lenses: readonly ReportLens[];
  /** by take, or by file where one is lost */
  missing: readonly { of: string; what: readonly string[] }[];
  files: readonly { path: string; what: string; readWith: string }[];
  conventions: readonly string[];
}
export interface ReportSetup {
  title: string;
  detail: string;
  drawing: TopView | null;
  takes: readonly ReportTake[];
}
export interface ReportTake {
  label: string;
  detail: string;
  verdict: 'agrees' | 'drifts' | 'contradicts' | 'not observable' | 'not checked';
  sentence: string;
  numbers: readonly ReportNumber[];
  lacks: readonly string[];
  remarks: readonly string[];
  folder: string | null;
}
/** Recorded beside solved, each with its spread, as text with its unit. */
export interface ReportNumber {
  what: string;
  recorded: string;
  solved: string;
  verdict: string;
}
export interface ReportLens {
  name: string;
  detail: string;
}
/** Seen from above, metres: x to the right, z towards the reader. */
export interface TopView {
  pieces: readonly { name: string; corners: readonly [number, number][] }[];
  marks: readonly { id: string; at: readonly [number, number] }[];
  planned: readonly (readonly [number, number])[];
  paths: readonly { label: string; at: readonly (readonly [number, number])[] }[];
}

/** A shape and a word: it reads in grey. */
export const VERDICT_SIGN: Record<ReportTake['verdict'], string> = { agrees: '●', drifts: '◆', contradicts: '■', 'not observable': '○', 'not checked': '–' };

export interface ViewFrame {
  /** metres to units of the drawing, and where metre 0 lies in it */
  scale: number;
  originX: number;
  originY: number;
  width: number;
  height: number;
  /** length of the bar, m, a round one of about a fifth of the width */
  barM: number;
}

/** How a drawing lies on paper: all of it in sight, one scale both ways. Null where there is nothing to draw. */
export function frameOf(view: TopView, width: number, mostHeight: number, margin: number): ViewFrame | null {
  const all = [...view.pieces.flatMap((p) => p.corners), ...view.marks.map((m) => m.at), ...view.planned, ...view.paths.flatMap((p) => p.at)].filter(
    ([x, z]) => Number.isFinite(x) && Number.isFinite(z),
  );
  if (all.length === 0) return null;
  const [xs, zs] = [all.map((p) => p[0]), all.map((p) => p[1])];
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...zs), Math.max(...zs)];
  const wide = Math.max(right - left, 0.5),
    deep = Math.max(bottom - top, 0.5);
  const scale = Math.min((width - 2 * margin) / wide, (mostHeight - 2 * margin) / deep);
  const height = deep * scale + 2 * margin;
  const wanted = width / scale / 5;
  const power = 10 ** Math.floor(Math.log10(wanted));
  const barM = [5, 2, 1].map((n) => n * power).find((m) => m <= wanted) ?? power;
  return { scale, originX: width / 2 - (scale * (left + right)) / 2, originY: height / 2 - (scale * (top + bottom)) / 2, width, height, barM };
}
