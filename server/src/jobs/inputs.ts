import {
  bookPlates,
  measuredChart,
  mountPackage,
  netInputOf,
  opticsOf,
  recordedSetup,
  type AnalysisKind,
  type GridOutcome,
  type MountedPackage,
  type PlateBody,
  type RecordBodies,
  type RecordKind,
  type SetupBody,
  type StoredRecord,
  type TakeBody,
  type TieBody,
} from '@mesure/contract';
import { frameLens } from '@mesure/core';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import { toRecord } from '../records/model';
import type { ComputeInput } from './compute-types';

export interface AnalysisChoice {
  focalMode?: 'held' | 'guided' | 'free';
  trim?: boolean;
  mapFormat?: 'exr' | 'tiff';
}

/** The snapshot that a computation works on, or a NOT_READY problem that says what is missing first. */
export async function buildInput(db: Database, productionId: string, kind: AnalysisKind, subjectId: string, choice: AnalysisChoice, known?: readonly StoredRecord[]): Promise<ComputeInput> {
  const records = known ?? (await liveRecords(db, productionId));
  const find = <K extends RecordKind>(k: K, id: string) => records.find((r) => r.kind === k && r.id === id) as StoredRecord<K> | undefined;
  const all = <K extends RecordKind>(k: K) => records.filter((r) => r.kind === k) as StoredRecord<K>[];
  const mounted = (packageId: string): MountedPackage => {
    const pack = find('package', packageId);
    if (!pack) throw new ApiProblem('NOT_READY', 'The package is gone; choose another one first.');
    const m = mountPackage(pack.body, find);
    if ('missing' in m) throw new ApiProblem('NOT_READY', `The package lacks its ${m.missing}; complete it in Kit first.`);
    return m;
  };
  if (kind === 'grid') {
    const plate = find('plate', subjectId)?.body as PlateBody | undefined;
    if (!plate) throw new ApiProblem('NOT_FOUND', 'There is no such plate.');
    const m = mounted(plate.packageId);
    return {
      kind,
      file: plate.picture,
      setup: opticsOf(m, plate.focalMm),
      chart: plate.chart ?? 'chequer',
      start: plate.start ?? null,
      dropped: plate.dropped ?? [],
      measured: measuredChart(plate, m.lens),
    };
  }
  if (kind === 'lens-files') {
    const plate = find('plate', subjectId);
    if (!plate) throw new ApiProblem('NOT_FOUND', 'There is no such plate.');
    const [measured] = await gridOutcomes(db, productionId, [plate]);
    const { distortion, overscan } = measured?.report ?? {};
    if (!distortion || !overscan) throw new ApiProblem('NOT_READY', 'The plate has no distortion yet; measure it first.');
    const m = mounted(plate.body.packageId);
    const name = `${m.lens.name} ${plate.body.focalMm}mm${plate.body.focusM ? ` ${plate.body.focusM}m` : ''}`.replace(/[^\p{L}\p{N}.]+/gu, '_');
    return { kind, file: plate.body.picture, name, lens: frameLens(distortion, opticsOf(m, plate.body.focalMm)), overscan, mapFormat: choice.mapFormat ?? 'exr' };
  }
  if (kind === 'sync') {
    const sync = find('sync', subjectId)?.body;
    if (!sync) throw new ApiProblem('NOT_FOUND', 'There is no such sync.');
    if (!sync.main || !sync.witness) throw new ApiProblem('NOT_READY', 'Give the sound of both cameras first.');
    return { kind, file: sync.main, witness: sync.witness };
  }
  const take = find('take', subjectId)?.body as TakeBody | undefined;
  if (!take) throw new ApiProblem('NOT_FOUND', 'There is no such take.');
  if (!take.tracks) throw new ApiProblem('NOT_READY', 'The take has no tracks yet. Give it a tracks file first.');
  const setup = find('setup', take.setupId)?.body as SetupBody;
  const m = mounted(take.packageId);
  const plates = await gridOutcomes(
    db,
    productionId,
    all('plate').filter((p) => p.body.lensId === m.pack.lensId),
  );
  const measured = plates.flatMap(({ id, plate, report }) => {
    const pack = find('package', plate.packageId);
    const mountedThen = pack ? mountPackage(pack.body, find) : null;
    return mountedThen && !('missing' in mountedThen) ? [{ id, plate, report, mounted: mountedThen }] : [];
  });
  const book = bookPlates(measured, m);
  const edges = all('edges')
    .map((e) => e.body)
    .filter((e) => e.lensId === m.pack.lensId);
  const ties = all('tie')
    .map((t) => t.body as TieBody)
    .filter((t) => t.setId === setup.setId);
  const set = find('set', setup.setId)?.body;
  const facts = all('fact')
    .map((f) => f.body)
    .filter((f) => f.setId === setup.setId);
  // without a height the net does not know the floor, and its places say no more than its ties
  const net = set && facts.some((f) => f.what === 'height' || f.what === 'point') ? netInputOf(set, ties, facts) : null;
  return {
    kind,
    net: net && { ...net, near: [...(net.near ?? [])] },
    file: take.tracks,
    trim: choice.trim ?? false,
    setup: recordedSetup({ mounted: m, take, setup, ties, plates, book, edges, focalMode: choice.focalMode ?? 'free' }),
  };
}

/** All records of a production that are not hidden. */
export const liveRecords = async (db: Database, productionId: string): Promise<StoredRecord[]> => (await db.Entry.findAll({ where: { productionId, deleted: false } })).map(toRecord);

/** The newest finished analysis of each plate. */
export async function gridOutcomes(
  db: Database,
  productionId: string,
  plates: readonly StoredRecord<'plate'>[],
): Promise<{ id: string; plate: RecordBodies['plate']; report: GridOutcome['report'] }[]> {
  const rows = await db.AnalysisRow.findAll({ where: { productionId, kind: 'grid', status: 'done', subjectId: plates.map((p) => p.id) }, order: [['createdAt', 'DESC']] });
  return plates.flatMap((p) => {
    const row = rows.find((r) => r.subjectId === p.id);
    return row?.outcome?.kind === 'grid' ? [{ id: p.id, plate: p.body, report: row.outcome.report }] : [];
  });
}
