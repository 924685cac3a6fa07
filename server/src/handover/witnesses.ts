import { takeSync, type StoredRecord, type SyncOutcome, type TakeSync } from '@mesure/contract';
import { radToDeg } from '@mesure/core';
import { jsonText, tidy, writeCsv } from '@mesure/formats';
import type { Database } from '../db/connect';
import { labelOf, type HandoverDay, type HandoverFile } from './day';

type Cell = string | number;
const angle = (rad: number): number => Number(radToDeg(rad).toFixed(6));

/** How each witness camera was mounted since when, and how its clip of each take ran against the main camera's. */
export async function witnessFiles(db: Database, productionId: string, day: HandoverDay): Promise<HandoverFile[]> {
  const rigs = day
    .all('rig')
    .filter((r) => day.setups.some((s) => s.id === r.body.setupId))
    .sort((a, b) => (a.body.since < b.body.since ? -1 : 1));
  const pairs = pairsOf(day, rigs);
  const files: HandoverFile[] = [];
  if (rigs.length > 0)
    files.push(
      {
        path: 'witness-cameras.csv',
        what: 'how each witness camera was mounted, since when, metres and degrees',
        readWith: 'CSV',
        make: async () => writeCsv([RIG_HEADER, ...rigs.map((r) => rigRow(r, day))]),
      },
      { path: 'witness-cameras.json', what: 'the same', readWith: 'JSON', make: async () => jsonText({ states: rigs.map((r) => rigState(r, day)) }) },
    );
  if (pairs.length > 0)
    files.push({
      path: 'syncs.csv',
      what: 'by how much the same moment comes later in the witness camera’s clip than in the main one, each counted from its own first frame',
      readWith: 'CSV',
      make: async () => {
        const outcomes = await soundsOf(db, productionId, pairs);
        return writeCsv([SYNC_HEADER, ...pairs.map((p) => syncRow(p, day, outcomes))]);
      },
    });
  return files;
}

interface Pair {
  take: StoredRecord<'take'>;
  packageId: string;
  sync: StoredRecord<'sync'> | null;
  /** the mounting that held when the take was logged */
  rig: StoredRecord<'rig'> | null;
}

/** Every take with each of the witness cameras that ran with it. */
function pairsOf(day: HandoverDay, rigs: readonly StoredRecord<'rig'>[]): Pair[] {
  const syncs = day.all('sync');
  return day.takes.flatMap((take) => {
    const ids = [...new Set([...(take.body.witnesses ?? []).map((w) => w.packageId), ...syncs.filter((s) => s.body.takeId === take.id).map((s) => s.body.packageId)])];
    return ids.map((packageId) => ({
      take,
      packageId,
      sync: syncs.find((s) => s.body.takeId === take.id && s.body.packageId === packageId) ?? null,
      rig: rigs.filter((r) => r.body.setupId === take.body.setupId && r.body.packageId === packageId && r.body.since <= take.body.loggedAt).at(-1) ?? null,
    }));
  });
}

async function soundsOf(db: Database, productionId: string, pairs: readonly Pair[]): Promise<Map<string, SyncOutcome>> {
  const rows = await db.AnalysisRow.findAll({
    where: { productionId, kind: 'sync', status: 'done', subjectId: pairs.flatMap((p) => p.sync?.id ?? []) },
    order: [['createdAt', 'ASC']],
  });
  // the latest of each holds
  return new Map(rows.map((r) => [r.subjectId, r.outcome as SyncOutcome]));
}

const cameraOf = (packageId: string, { words }: HandoverDay): string => words.packages.find((p) => p.id === packageId)?.camera ?? '?';
const setupName = (id: string, { setups }: HandoverDay): string => setups.find((s) => s.id === id)?.body.name ?? '';

const RIG_HEADER = [
  ...['setup', 'camera', 'since', 'way'],
  // in the main camera's axes
  ...['right_m', 'up_m', 'forward_m', 'turn_to_left_deg', 'tilt_up_deg'],
  // on the set
  ...['x_m', 'z_m', 'height_m', 'heading_deg', 'own_tilt_deg'],
  ...['tolerance_m', 'why', 'by'],
];

function rigRow({ body: r, updatedBy }: StoredRecord<'rig'>, day: HandoverDay): Cell[] {
  const p = r.placement;
  const place: Cell[] =
    p.way === 'rigid'
      ? [tidy(p.rightM), tidy(p.upM), tidy(p.forwardM), angle(p.turnRad), angle(p.tiltRad), '', '', '', '', '']
      : ['', '', '', '', '', tidy(p.xM), tidy(p.zM), tidy(p.heightM), angle(p.headingRad), angle(p.tiltRad)];
  return [setupName(r.setupId, day), cameraOf(r.packageId, day), r.since, p.way === 'rigid' ? 'on the main camera' : 'on the set', ...place, r.toleranceM, r.why, updatedBy];
}

const rigState = ({ body: r }: StoredRecord<'rig'>, day: HandoverDay) => ({
  setup: setupName(r.setupId, day),
  camera: cameraOf(r.packageId, day),
  since: r.since,
  placement: r.placement,
  toleranceM: r.toleranceM,
  why: r.why,
});

const WAYS = ['timecode', 'sound', 'clap'] as const;
const SYNC_HEADER = [
  ...['take', 'camera', 'mounted_since', 'clip', 'later_by_s', 'sigma_s', 'later_by_frames_of_main', 'by', 'agreeing', 'contradictions'],
  ...WAYS.map((w) => `${w}_s`),
  ...['sound_confidence', 'sound_drift_ppm', 'fps_of_main', 'fps_of_witness'],
];

function syncRow({ take, packageId, sync, rig }: Pair, day: HandoverDay, outcomes: ReadonlyMap<string, SyncOutcome>): Cell[] {
  const rate = (id: string): number => day.words.packages.find((p) => p.id === id)?.fps ?? 24;
  const outcome = sync ? (outcomes.get(sync.id) ?? null) : null;
  const s: TakeSync = takeSync({ take: take.body, packageId, sync: sync?.body ?? null, outcome, mainFps: rate(take.body.packageId), witnessFps: rate(packageId) });
  const contradictions = [...s.contradictions.map((c) => `${c.a} and ${c.b} differ by ${Math.abs(c.differenceS).toFixed(3)} s${c.likely ? `: ${c.likely}` : ''}`), ...s.problems];
  return [
    labelOf(take),
    cameraOf(packageId, day),
    rig?.body.since ?? '',
    take.body.witnesses?.find((w) => w.packageId === packageId)?.clip ?? '',
    ...(s.offsetS === null ? ['', '', ''] : [tidy(s.offsetS), tidy(s.sigmaS!), tidy(s.offsetS * s.mainFps)]),
    s.by ?? 'not known',
    s.agreeing.join(', '),
    contradictions.join('; '),
    ...WAYS.map((w) => {
      const e = s.evidence.find((q) => q.by === w);
      return e ? tidy(e.offsetS) : '';
    }),
    outcome ? tidy(outcome.sound.confidence) : '',
    outcome?.sound.driftPpm ?? '',
    s.mainFps,
    s.witnessFps,
  ];
}
