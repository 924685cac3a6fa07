import {
  changedFields,
  HIDDEN,
  KINDS,
  mountPackage,
  takeLacks,
  type HandoverPlan,
  type RecordKind,
  type RecordState,
  type SolveOutcome,
  type StoredRecord,
  type TakeBody,
  type TakeWords,
} from '@mesure/contract';
import { Op } from 'sequelize';
import { writeCameraCsv, writeCsv, writeDistortionJson, writeGltf, writePointsCsv } from '@mesure/formats';
import type { Database } from '../db/connect';
import { ownFiles } from '../files/own';
import { ApiProblem } from '../http/problem';
import { toRecord } from '../records/model';
import { gridOutcomes } from '../jobs/grid/outcomes';
import { staleOf } from '../jobs/stale';
import { pictureFiles } from './pictures';
import { logFiles } from './readings';
import { setupFiles } from './setups';

export interface HandoverFile {
  path: string;
  what: string;
  readWith: string;
  make(): Promise<Uint8Array | string>;
  /** a picture as it was given: it goes as it is, read when its turn comes */
  stored?: string;
}
export interface Handover {
  name: string;
  missing: HandoverPlan['missing'];
  closed: HandoverPlan['closed'];
  changedAfterClose: HandoverPlan['changedAfterClose'];
  files: HandoverFile[];
}

/** Safe in a zip on every system. */
const slug = (text: string): string =>
  text
    .normalize('NFKD')
    .replace(/[^\w.-]+/g, '-')
    .replace(/^-+|-+$/g, '') || 'unnamed';

/** Two takes of one slate and number, two plates of one name: the later ones get a number, since in a zip one would hide the other. */
function apart(files: readonly HandoverFile[]): HandoverFile[] {
  const seen = new Map<string, number>();
  return files.map((f) => {
    const count = (seen.get(f.path) ?? 0) + 1;
    seen.set(f.path, count);
    return count === 1 ? f : { ...f, path: f.path.replace(/(\.[^/]*)?$/, `-${count}$1`) };
  });
}

/** Changes of a day's records that were made after somebody signed it. */
async function changesAfterClose(db: Database, records: readonly StoredRecord[], at: Date): Promise<HandoverPlan['changedAfterClose']> {
  const changes = await db.EntryChange.findAll({ where: { recordId: records.map((r) => r.id), changedAt: { [Op.gt]: at } }, order: [['changedAt', 'ASC']] });
  return changes.map((c) => {
    const record = records.find((r) => r.id === c.recordId)!;
    const kind = KINDS[record.kind];
    const fields = c.before ? changedFields(c.before as RecordState, c.after as RecordState).map((f) => (f === HIDDEN ? 'hidden' : ((kind.fields as Record<string, string>)[f] ?? f))) : ['new'];
    return { what: `${kind.noun} ${(kind.tell as (b: unknown) => string)(record.body)}: ${fields.join(', ')}`, who: c.userName, when: c.changedAt.toISOString() };
  });
}

/** What solvers and supervisors asked, and what was answered. */
function remarksFile(remarks: readonly StoredRecord<'remark'>[], takeOf: (id: string) => TakeBody | null): HandoverFile {
  const rows = remarks.map(({ body: r }) => {
    const take = takeOf(r.aboutId);
    return [r.about, take ? `${take.slate}-${take.take}` : '', r.field ?? '', r.text, r.by, r.at, r.answer?.text ?? '', r.answer?.by ?? '', r.answer?.at ?? ''];
  });
  const header = ['about', 'take', 'field', 'remark', 'by', 'at', 'answer', 'answered_by', 'answered_at'];
  return { path: 'remarks.csv', what: 'remarks and their answers', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) };
}

/** What a day's handover holds and what it still lacks. Files are made when they are asked for. */
export async function planHandover(db: Database, productionId: string, dayId: string): Promise<Handover> {
  const records = (await db.Entry.findAll({ where: { productionId, deleted: false } })).map(toRecord);
  const find = <K extends RecordKind>(k: K, id: string) => records.find((r) => r.kind === k && r.id === id) as StoredRecord<K> | undefined;
  const all = <K extends RecordKind>(k: K) => records.filter((r) => r.kind === k) as StoredRecord<K>[];
  const day = find('day', dayId);
  if (!day) throw new ApiProblem('NOT_FOUND', 'There is no such day.');
  const setups = all('setup')
    .filter((s) => s.body.dayId === dayId)
    .sort((a, b) => a.body.order - b.body.order);
  const takes = setups.flatMap((s) =>
    all('take')
      .filter((t) => t.body.setupId === s.id)
      .sort((a, b) => a.body.take - b.body.take),
  );
  const rows = await db.AnalysisRow.findAll({ where: { productionId, kind: 'solve', status: 'done', subjectId: takes.map((t) => t.id) }, order: [['createdAt', 'DESC']] });
  const newest = rows.filter((r, i) => rows.findIndex((q) => q.subjectId === r.subjectId) === i);
  const stale = await staleOf(db, productionId, newest);
  const missing: HandoverPlan['missing'] = [];
  const floor = find('floor', productionId)?.body ?? null;
  const files: HandoverFile[] = [];
  const lensIds = new Set<string>();

  for (const take of takes) {
    const label = `${take.body.slate} take ${take.body.take}`;
    const lack = (what: string) => missing.push({ takeId: take.id, take: label, what });
    const plan = all('plan').find((p) => p.body.setupId === take.body.setupId)?.body ?? null;
    for (const missed of takeLacks(take.body, plan, floor)) lack(missed.what);
    const pack = find('package', take.body.packageId);
    const mounted = pack ? mountPackage(pack.body, find) : null;
    if (pack) lensIds.add(pack.body.lensId);
    const row = rows.find((r) => r.subjectId === take.id);
    if (!take.body.tracks) {
      lack('tracks for a test solve');
      continue;
    }
    if (row?.outcome?.kind !== 'solve' || row.outcome.solve.status === 'failed') {
      lack('a test solve');
      continue;
    }
    const outcome: SolveOutcome = row.outcome;
    const old = stale.get(row.id);
    if (old) lack(`a test solve of the record as it is: this one is from before the change of ${old.what}, ${old.when.slice(11, 16)}`);
    if (outcome.reconcile?.verdict === 'contradicts') lack('an answer to the contradiction found by the test solve');
    const base = `takes/${slug(take.body.slate)}-take-${take.body.take}`;
    const { setup, solve } = outcome;
    files.push(
      {
        path: `${base}/camera.glb`,
        what: 'camera move and points',
        readWith: 'glTF 2.0',
        make: () => writeGltf(solve, { name: label, fps: setup.fps ?? 24, sensorHeightMm: setup.sensor.heightMm, aspect: (setup.sensor.widthMm * (setup.squeeze ?? 1)) / setup.sensor.heightMm }),
      },
      { path: `${base}/camera.csv`, what: 'camera move, full precision', readWith: 'CSV', make: async () => writeCameraCsv(solve) },
      { path: `${base}/points.csv`, what: 'points with standard deviations', readWith: 'CSV', make: async () => writePointsCsv(solve) },
      {
        path: `${base}/solve.json`,
        what: 'solve with residuals, verdict and what was recorded',
        readWith: 'JSON',
        make: async () =>
          `${JSON.stringify({ take: { ...take.body, package: mounted && !('missing' in mounted) ? { camera: mounted.pack.camera, body: mounted.body.name, mode: mounted.mode.name, lens: mounted.lens.name, adapter: mounted.adapter?.name ?? null } : null }, setup, solve, reconcile: outcome.reconcile }, null, 2)}\n`,
      },
    );
  }

  const plates = await gridOutcomes(
    db,
    productionId,
    all('plate').filter((p) => lensIds.has(p.body.lensId)),
  );
  for (const lensId of lensIds) {
    const lens = find('lens', lensId);
    const mine = plates.filter((p) => p.plate.lensId === lensId && p.report.distortion);
    if (lens && mine.length === 0)
      takes
        .filter((t) => find('package', t.body.packageId)?.body.lensId === lensId)
        .slice(0, 1)
        .forEach((t) => missing.push({ takeId: t.id, take: `${t.body.slate} take ${t.body.take}`, what: `a grid plate of ${lens.body.name}` }));
    for (const { plate, report } of mine) {
      const mode = find('package', plate.packageId);
      const mounted = mode ? mountPackage(mode.body, find) : null;
      const image = mounted && !('missing' in mounted) ? { width: mounted.mode.widthPx, height: mounted.mode.heightPx } : { width: 0, height: 0 };
      files.push({
        path: `lenses/${slug(lens!.body.name)}-${plate.focalMm}mm-${slug(plate.picture.name)}.distortion.json`,
        what: 'distortion of a grid plate',
        readWith: 'JSON',
        make: async () => writeDistortionJson(lens!.body.name, report, image),
      });
    }
  }

  files.push(...setupFiles(setups, all, find, slug));
  const words: TakeWords = {
    unit: 'm',
    packages: all('package').map((p) => {
      const mounted = mountPackage(p.body, find);
      return { id: p.id, camera: p.body.camera, focalMm: p.body.focalMm, fps: 'missing' in mounted ? 24 : mounted.mode.fps };
    }),
  };
  const setupIds = setups.map((s) => s.id);
  files.push(
    ...logFiles({
      setups,
      takes,
      words,
      sets: all('set'),
      ties: all('tie'),
      rigs: all('rig').filter((r) => setupIds.includes(r.body.setupId)),
      lights: all('light').filter((l) => setupIds.includes(l.body.setupId)),
    }),
  );
  files.push(
    ...pictureFiles({
      setups,
      takes,
      plans: all('plan'),
      sets: all('set'),
      stills: all('still').filter((s) => setupIds.includes(s.body.setupId)),
      lights: all('light').filter((l) => setupIds.includes(l.body.setupId)),
      photos: all('photo'),
      slug,
    }),
  );
  const remarks = all('remark').filter((r) => takes.some((t) => t.id === r.body.aboutId) || setupIds.includes(r.body.aboutId));
  if (remarks.length > 0) files.push(remarksFile(remarks, (id) => takes.find((t) => t.id === id)?.body ?? null));
  // a picture that an entry names and that was never given, here or to another production, cannot leave
  const own = await ownFiles(
    db,
    productionId,
    files.flatMap((f) => f.stored ?? []),
  );
  const leaving = files.filter((f) => !f.stored || own.has(f.stored));
  for (const f of files) if (!leaving.includes(f)) missing.push({ takeId: null, take: f.path, what: `the picture itself: ${f.what}` });
  const closed = day.body.closed ?? null;
  const ofDay = records.filter((r) => takes.some((t) => t.id === r.id) || setupIds.includes(r.id) || ('setupId' in r.body && setupIds.includes(r.body.setupId)));
  const changedAfterClose = closed ? await changesAfterClose(db, ofDay, new Date(closed.at)) : [];
  return { name: `${slug(day.body.date)}-${slug(day.body.name)}`, missing, files: apart(leaving), closed, changedAfterClose };
}
