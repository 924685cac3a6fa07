import { stampIn, zoneWords, type HandoverPlan, type SolveOutcome, type StoredRecord } from '@mesure/contract';
import { formatLength } from '@mesure/core';
import { unitOf } from '@mesure/formats';
import { nodePdfFonts } from '@mesure/formats/node-pdf-fonts';
import { writeReportHtml, writeReportPdf, type Report, type ReportNumber, type ReportSetup, type ReportTake, type TopView } from '@mesure/formats/report';
import { labelOf, zoneOf, type HandoverDay, type HandoverFile } from './day';
import type { Lacking, SolvedTake } from './shots';

interface Told {
  day: HandoverDay;
  solved: ReadonlyMap<string, SolvedTake>;
  lacks: ReadonlyMap<string, readonly Lacking[]>;
  missing: HandoverPlan['missing'];
  closed: HandoverPlan['closed'];
  changedAfterClose: HandoverPlan['changedAfterClose'];
  files: readonly HandoverFile[];
}

/** The day as a person reads it: a page for the screen and a print of the same. */
export function reportFiles(told: Told): HandoverFile[] {
  // both are made of one, when the first of them is asked for
  let made: Report | null = null;
  const report = () => (made ??= reportOf(told));
  return [
    { path: 'report.html', what: 'the day as a person reads it', readWith: 'any browser', make: async () => writeReportHtml(report()) },
    { path: 'report.pdf', what: 'the same to print: a page for the day, one for each setup', readWith: 'PDF', make: () => writeReportPdf(report(), nodePdfFonts()) },
  ];
}

/** On the set's clock, which stands among the conventions. */
const minuteOf = (day: HandoverDay) => (iso: string) => stampIn(zoneOf(day), iso);
const count = (n: number, one: string, many: string) => ({ value: String(n), what: n === 1 ? one : many });

function reportOf({ day, solved, lacks, missing, closed, changedAfterClose, files }: Told): Report {
  const { takes, setups } = day;
  const minute = minuteOf(day);
  const now = new Date().toISOString();
  const verdicts = takes.map((t) => verdictOf(solved.get(t.id)));
  return {
    production: day.production?.body.name ?? '',
    day: day.day.body.name,
    date: day.day.body.date,
    madeAt: minute(now),
    closed: closed ? `${closed.by}, ${minute(closed.at)}` : null,
    changedAfterClose: changedAfterClose.map((c) => `${minute(c.when)} ${c.who}: ${c.what}`),
    figures: [
      count(takes.length, 'take', 'takes'),
      count(takes.filter((t) => solved.has(t.id)).length, 'with a test solve', 'with a test solve'),
      count(verdicts.filter((v) => v === 'contradicts').length, 'contradicts', 'contradict'),
      count(missing.filter((m) => !m.answer).length, 'thing missing', 'things missing'),
    ],
    setups: setups.map((s) => setupOf(s, day, solved, lacks)),
    lenses: lensesOf(files),
    missing: groupedMissing(missing),
    files: files.map(({ path, what, readWith }) => ({ path, what, readWith })),
    conventions: [
      `Times are those of the set's clock, ${zoneOf(day)} (${zoneWords(zoneOf(day), now)}). Tables write instants, in UTC with a Z at their end.`,
      'Spreads are one standard deviation (±). A tape or laser states a tolerance; it is taken as two of them.',
      'World: right-handed, Y up, metres. The camera looks along its -Z. Rotations are unit quaternions x y z w, camera to world.',
      'Pixels: origin at the top-left corner of the top-left pixel, x right, y down.',
      'Heights are those of the entrance pupil over the floor. Focal lengths of a solve are effective, after an adapter.',
      '"agrees": recorded and solved differ by no more than chance explains. "drifts": worth a look. "contradicts": not chance. "not observable": this move does not tell.',
    ],
  };
}

/** What is missing of one thing stands together. */
function groupedMissing(missing: HandoverPlan['missing']): Report['missing'] {
  const groups = new Map<string, string[]>();
  for (const m of missing) groups.set(m.take, [...(groups.get(m.take) ?? []), m.answer ? `${m.what} (cannot be had: ${m.answer.reason}, ${m.answer.by})` : m.what]);
  return [...groups].map(([of, what]) => ({ of, what }));
}

function lensesOf(files: readonly HandoverFile[]): Report['lenses'] {
  return files.filter((f) => f.path.endsWith('.distortion.json')).map((f) => ({ name: f.path.replace(/^lenses\/|\.distortion\.json$/g, '').replace(/-/g, ' '), detail: `grid plate, ${f.path}` }));
}

const verdictOf = (s: SolvedTake | undefined): ReportTake['verdict'] => s?.outcome.reconcile?.verdict ?? (s ? 'not observable' : 'not checked');

function setupOf(s: StoredRecord<'setup'>, day: HandoverDay, solved: Told['solved'], lacks: Told['lacks']): ReportSetup {
  const takes = day.takes.filter((t) => t.body.setupId === s.id);
  const set = day.find('set', s.body.setId)?.body.name ?? '';
  return {
    title: `Scene ${s.body.scene}: ${s.body.name}`,
    detail: [set && `Set ${set}`, s.body.description ?? ''].filter((w) => w !== '').join('. '),
    drawing: drawingOf(s, takes, day, solved),
    takes: takes.map((t) => takeOf(t, day, solved.get(t.id), lacks.get(t.id) ?? [])),
  };
}

function takeOf(t: StoredRecord<'take'>, day: HandoverDay, solved: SolvedTake | undefined, lacks: readonly Lacking[]): ReportTake {
  const m = day.mounted(t);
  const { body } = t;
  const height = body.height
    ? `height ${body.height.typed} (${formatLength(body.height.valueM + body.height.offsetM, 'm')} at the entrance pupil${body.carried.includes('height') ? ', carried over' : ''})`
    : 'no height';
  const detail = [
    `${body.camera ?? m?.pack.camera ?? ''}-cam`,
    m ? `${m.body.name}, ${m.mode.name}` : '',
    m ? `${m.lens.name}${m.lens.serial ? ` no. ${m.lens.serial}` : ''}` : '',
    `${body.focalMm} mm${m?.adapter ? ` with ${m.adapter.name}` : ''}`,
    height,
    body.clip ? `clip ${body.clip}` : '',
    body.circled ? 'circled' : '',
    `logged ${minuteOf(day)(body.loggedAt)} by ${t.updatedBy}`,
  ].filter((w) => w !== '');
  return {
    label: labelOf(t),
    detail: detail.join(' · '),
    verdict: verdictOf(solved),
    sentence: [solved?.outcome.reconcile?.sentence ?? '', solved?.staleWords ? `Before a change: ${solved.staleWords}.` : '', body.notes].filter((w) => w !== '').join(' '),
    numbers: solved ? numbersOf(solved.outcome) : [],
    lacks: lacks.map((l) => l.what),
    remarks: day
      .all('remark')
      .filter((r) => r.body.aboutId === t.id)
      .map(({ body: r }) => `${r.by}: ${r.text}${r.answer ? ` (${r.answer.by}: ${r.answer.text})` : ' (not answered)'}`),
    folder: solved && body.tracks ? day.folderOf(t) : null,
  };
}

const WHAT = {
  focalLength: 'focal length',
  cameraHeight: 'camera height',
  length: 'length',
  distance: 'distance',
  tilt: 'tilt',
  roll: 'roll',
  squeeze: 'squeeze',
  principalX: 'principal point across',
  principalY: 'principal point down',
  witnessOffset: 'witness camera',
  witnessAngle: 'witness camera',
} as const;
const DIGITS = { mm: 2, m: 3, '°': 2, '×': 3, px: 1 } as const;

function numbersOf({ solve, reconcile }: SolveOutcome): ReportNumber[] {
  const items = (reconcile?.items ?? []).map((i): ReportNumber => {
    // as many digits as the spread has something to say about, at least the usual ones
    const digits = (sigma: number | null) => DIGITS[i.unit] + (sigma !== null && sigma > 0 && sigma < 0.5 * 10 ** -DIGITS[i.unit] ? 1 : 0);
    const text = (v: number | null, sigma: number | null) => (v === null ? 'not seen' : `${v.toFixed(digits(sigma))}${sigma === null ? '' : ` ± ${sigma.toFixed(digits(sigma))}`} ${i.unit}`);
    return {
      what: `${WHAT[i.quantity]}${i.about && i.about !== WHAT[i.quantity] ? `, ${i.about}` : ''}`,
      recorded: text(i.recorded, i.recordedSigma),
      solved: text(i.solved, i.sigma),
      verdict: i.verdict,
    };
  });
  const rms: ReportNumber = {
    what: 'distance of tracks from the solve',
    recorded: '',
    solved: solve.rmsPx === null ? '' : `${solve.rmsPx.toFixed(2)} px`,
    verdict: `${solve.frames.length} frames, ${solve.points.length} points`,
  };
  return [...items, rms];
}

/** The set with its marks, the move as planned, and the camera as solved, where the solve stands in metres. */
function drawingOf(s: StoredRecord<'setup'>, takes: readonly StoredRecord<'take'>[], day: HandoverDay, solved: Told['solved']): TopView | null {
  const set = day.find('set', s.body.setId)?.body;
  const plan = day.all('plan').find((p) => p.body.setupId === s.id)?.body;
  const pieces = (set?.pieces ?? [])
    .filter((p) => p.widthM > 0 && p.depthM > 0 && p.widthM < 100 && p.depthM < 100)
    .map((p) => {
      const [c, n] = [Math.cos(p.turnRad), Math.sin(p.turnRad)];
      // turned from +X towards −Z, seen from above
      const corner = (x: number, z: number): [number, number] => [p.xM + c * x + n * z, p.zM - n * x + c * z];
      const [w, d] = [p.widthM / 2, p.depthM / 2];
      return { name: p.name, corners: [corner(-w, -d), corner(w, -d), corner(w, d), corner(-w, d)] };
    });
  const marks = (set?.sheet ?? []).map((m) => ({ id: m.id, at: [m.at[0], m.at[2]] as [number, number] }));
  const planned = (plan?.move.stations ?? []).map((p): [number, number] => [p.xM, p.zM]);
  const paths = takes.flatMap((t) => {
    const outcome = solved.get(t.id)?.outcome;
    // only a solve that stands in the set's own axes can be laid over its drawing
    if (!outcome || unitOf(outcome.solve) !== 'm' || !standsInSet(outcome)) return [];
    return [{ label: labelOf(t), at: outcome.solve.frames.map((f): [number, number] => [f.position[0], f.position[2]]) }];
  });
  return pieces.length + marks.length + planned.length + paths.length === 0 ? null : { pieces, marks, planned, paths };
}

/** Its anchors were places of the set; others have an origin and a heading of their own. */
const standsInSet = ({ setup }: SolveOutcome): boolean => (setup.anchors?.points?.length ?? 0) >= 3;
