import { TAKE_FIELDS, takeField, type StoredRecord, type TakeFieldKey } from '@mesure/contract';
import { radToDeg, type SolveResult, focusCell } from '@mesure/core';
import { tidy, writeCsv } from '@mesure/formats';
import { slug, type HandoverDay, type HandoverFile } from './day';
import type { SolvedTake } from './shots';

type Cell = string | number;
interface Column {
  title: string;
  /** the fields of a take that this column tells */
  of?: readonly TakeFieldKey[];
  cell(take: StoredRecord<'take'>, day: HandoverDay, solved: SolvedTake | undefined): Cell;
}

/** First or last frame of a solved zoom. */
const zoomEnd = (solve: SolveResult | undefined, at: 0 | -1): SolveResult['frames'][number] | undefined => (solve?.focalMode === 'zoom' ? solve.frames.at(at) : undefined);
/** How a file of tracks counts; as Mesure does where nobody said otherwise. */
const countingWords = (c: StoredRecord<'take'>['body']['tracksCounted']): string =>
  c
    ? `from the ${c.from === 'corner' ? 'corner' : 'middle'}, y ${c.yUp ? 'up' : 'down'}, picture of ${tidy(c.widthPx)} x ${tidy(c.heightPx)}${c.addFrames === 0 ? '' : `, frames ${c.addFrames > 0 ? 'and' : 'less'} ${Math.abs(c.addFrames)}`}`
    : 'from the corner, y down';
const some = (v: number | string | null | undefined): Cell => (v === null || v === undefined ? '' : typeof v === 'number' ? tidy(v) : v);

/** A field of a take as text; lengths and angles have columns of their own, in one unit. */
const textOf = (key: TakeFieldKey, title: string): Column => ({ title, of: [key], cell: (t, { words }) => takeField(key)!.text(t.body, words) });

const COLUMNS: readonly Column[] = [
  { title: 'setup', cell: (t, d) => d.setupOf(t).body.name },
  // a take that names none is one of its setup's scene
  { title: 'scene', of: ['scene'], cell: (t, d) => t.body.scene ?? d.setupOf(t).body.scene },
  textOf('slate', 'slate'),
  { title: 'take', of: ['take'], cell: (t) => t.body.take },
  { title: 'camera', of: ['camera', 'packageId'], cell: (t, d) => t.body.camera ?? d.find('package', t.body.packageId)?.body.camera ?? '' },
  textOf('clip', 'clip'),
  textOf('circled', 'circled'),
  { title: 'body', cell: (t, d) => d.mounted(t)?.body.name ?? '' },
  { title: 'mode', cell: (t, d) => d.mounted(t)?.mode.name ?? '' },
  { title: 'width_px', cell: (t, d) => some(d.mounted(t)?.mode.widthPx) },
  { title: 'height_px', cell: (t, d) => some(d.mounted(t)?.mode.heightPx) },
  { title: 'sensor_width_mm', cell: (t, d) => some(d.mounted(t)?.mode.sensorWidthMm) },
  { title: 'sensor_height_mm', cell: (t, d) => some(d.mounted(t)?.mode.sensorHeightMm) },
  { title: 'lens', cell: (t, d) => d.mounted(t)?.lens.name ?? '' },
  { title: 'lens_serial', cell: (t, d) => d.mounted(t)?.lens.serial ?? '' },
  { title: 'squeeze', cell: (t, d) => some(d.mounted(t)?.lens.squeeze) },
  { title: 'adapter', cell: (t, d) => d.mounted(t)?.adapter?.name ?? '' },
  { title: 'adapter_factor', cell: (t, d) => (d.mounted(t) ? some(d.mounted(t)?.adapter?.factor ?? 1) : '') },
  { title: 'focal_marked_mm', of: ['focalMm'], cell: (t) => tidy(t.body.focalMm) },
  { title: 'focal_effective_mm', cell: (t, d) => (d.mounted(t) ? tidy(t.body.focalMm * (d.mounted(t)?.adapter?.factor ?? 1)) : '') },
  // of a zoom where it begins, and in the next one where it ends
  { title: 'focal_solved_mm', cell: (_t, _d, s) => some(zoomEnd(s?.outcome.solve, 0)?.focalMm ?? s?.outcome.solve.focalMm) },
  { title: 'focal_solved_sigma_mm', cell: (_t, _d, s) => some(zoomEnd(s?.outcome.solve, 0)?.sigmaFocalMm ?? s?.outcome.solve.sigmaFocalMm) },
  { title: 'focal_solved_end_mm', cell: (_t, _d, s) => some(zoomEnd(s?.outcome.solve, -1)?.focalMm) },
  { title: 'verdict', cell: (_t, _d, s) => (s?.outcome.reconcile ? `${s.outcome.reconcile.verdict}${s.staleWords ? ' (before a later change)' : ''}` : '') },
  { title: 'focal_end_marked_mm', of: ['focalEndMm'], cell: (t) => some(t.body.focalEndMm) },
  { title: 'zoom_from_frame', of: ['zoomFrom'], cell: (t) => some(t.body.zoomFrom) },
  { title: 'zoom_to_frame', of: ['zoomTo'], cell: (t) => some(t.body.zoomTo) },
  { title: 'focus_m', of: ['focusM'], cell: (t) => focusCell(t.body.focusM) },
  { title: 'focus_end_m', of: ['focusEndM'], cell: (t) => focusCell(t.body.focusEndM) },
  { title: 't_stop', of: ['stop'], cell: (t) => some(t.body.stop) },
  { title: 'iso', of: ['iso'], cell: (t) => some(t.body.iso) },
  textOf('shutter', 'shutter'),
  { title: 'fps', of: ['fps'], cell: (t, d) => some(t.body.fps ?? d.mounted(t)?.mode.fps) },
  textOf('filter', 'filter'),
  textOf('stabiliser', 'stabiliser'),
  textOf('timecodeIn', 'timecode_in'),
  textOf('timecodeOut', 'timecode_out'),
  // over the floor, of the entrance pupil: the reading and its offset stand in readings.csv as they were typed
  { title: 'pupil_height_m', of: ['height'], cell: (t) => (t.body.height ? tidy(t.body.height.valueM + t.body.height.offsetM) : '') },
  { title: 'height_at_frame', cell: (t) => (t.body.height ? t.body.heightFrame : '') },
  { title: 'pupil_height_end_m', of: ['heightEnd'], cell: (t) => (t.body.heightEnd ? tidy(t.body.heightEnd.valueM + t.body.heightEnd.offsetM) : '') },
  { title: 'tilt_deg', of: ['tilt'], cell: (t) => (t.body.tilt ? tidy(radToDeg(t.body.tilt.valueRad)) : '') },
  { title: 'roll_deg', of: ['roll'], cell: (t) => (t.body.roll ? tidy(radToDeg(t.body.roll.valueRad)) : '') },
  { title: 'distance_to', of: ['distance'], cell: (t) => t.body.distance?.to ?? '' },
  { title: 'distance_m', cell: (t) => some(t.body.distance?.valueM) },
  textOf('asPlanned', 'as_planned'),
  textOf('moveNote', 'what_differed'),
  textOf('movers', 'moving_things'),
  { title: 'witness_clips', cell: (t, { words }) => (t.body.witnesses ?? []).map((w) => `${words.packages.find((p) => p.id === w.packageId)?.camera ?? '?'}: ${w.clip}`).join(', ') },
  textOf('notes', 'notes'),
  // nobody has looked at these since the take before: they are not measurements of this take
  {
    title: 'carried_over',
    cell: (t) =>
      TAKE_FIELDS.filter((f) => t.body.carried.includes(f.key))
        .map((f) => f.title)
        .join(', '),
  },
  { title: 'logged_at', cell: (t) => t.body.loggedAt },
  { title: 'by', cell: (t) => t.updatedBy },
  { title: 'tracks', cell: (t, d) => (t.body.tracks ? `${d.folderOf(t)}/tracks/${slug(t.body.tracks.name)}` : '') },
  { title: 'tracks_count', cell: (t) => (t.body.tracks ? countingWords(t.body.tracksCounted ?? null) : '') },
  { title: 'folder', cell: (t, d) => d.folderOf(t) },
];

/** The fields of a take that the table does not tell; a test keeps it empty. */
export const UNTOLD = TAKE_FIELDS.filter((f) => !COLUMNS.some((c) => c.of?.includes(f.key))).map((f) => f.key);

/** Every take with all its fields, with what was mounted and what a solve said. Lengths are metres and angles degrees: one unit a column. */
export function takesTable(day: HandoverDay, solved: ReadonlyMap<string, SolvedTake>): HandoverFile[] {
  if (day.takes.length === 0) return [];
  const rows = day.takes.map((t) => COLUMNS.map((c) => c.cell(t, day, solved.get(t.id))));
  return [
    { path: 'takes.csv', what: 'every take with all its fields, what was mounted, and what its solve said', readWith: 'CSV', make: async () => writeCsv([COLUMNS.map((c) => c.title), ...rows]) },
  ];
}
