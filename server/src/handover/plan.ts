import { changedFields, HIDDEN, KINDS, type HandoverPlan, type MissingThing, type RecordState, type StoredRecord } from '@mesure/contract';
import { Op } from 'sequelize';
import { writeCsv } from '@mesure/formats';
import type { Database } from '../db/connect';
import type { FileThread } from '../files/file-thread';
import { ownFiles } from '../files/own';
import { type HandoverDay, type HandoverFile, labelOf, openDay, slug, type Unanswered } from './day';
import { editFiles } from './edit-lists';
import { kitFiles } from './kit-list';
import { lensFiles } from './lenses';
import { lineUpFiles } from './line-ups';
import { pictureFiles } from './pictures';
import { logFiles } from './readings';
import { recordFile } from './record-out';
import { reportFiles } from './report';
import { setFiles } from './sets';
import { setupFiles } from './setups';
import { AS_KEPT, forReceiver, type Wishes } from './receiver';
import { lackingOfTake, lacksOf, elsewhereFiles, shotFiles, solvedTakes, trackFiles } from './shots';
import { mapsOf, takeLenses, takeLensFiles, type MapFormat } from './take-lenses';
import { takesTable } from './takes-table';
import { walkFiles } from './walks';
import { witnessFiles } from './witnesses';

export type { HandoverFile } from './day';
export interface Handover extends Omit<HandoverPlan, 'files'> {
  name: string;
  files: HandoverFile[];
}

/** Two plates, two pictures of one name: the later ones get a number, since in a zip one would hide the other. */
function apart(files: readonly HandoverFile[]): HandoverFile[] {
  const seen = new Map<string, number>();
  return files.map((f) => {
    const key = f.path.toLowerCase();
    const count = (seen.get(key) ?? 0) + 1;
    seen.set(key, count);
    return count === 1 ? f : { ...f, path: f.path.replace(/(\.[^/]*)?$/, `-${count}$1`) };
  });
}

/** Changes of records after a moment, as a person reads them. */
async function changesSince(db: Database, productionId: string, records: readonly StoredRecord[], at: Date): Promise<HandoverPlan['changedAfterClose']> {
  const byId = new Map(records.map((r) => [r.id, r]));
  const changes = await db.EntryChange.findAll({ where: { productionId, recordId: [...byId.keys()], changedAt: { [Op.gt]: at } }, order: [['changedAt', 'ASC']] });
  return changes.map((c) => {
    const record = byId.get(c.recordId)!;
    const kind = KINDS[record.kind];
    const fields = c.before ? changedFields(c.before as RecordState, c.after as RecordState).map((f) => (f === HIDDEN ? 'hidden' : ((kind.fields as Record<string, string>)[f] ?? f))) : ['new'];
    return { what: `${kind.noun} ${(kind.tell as (b: unknown) => string)(record.body)}: ${fields.join(', ')}`, who: c.userName, when: c.changedAt.toISOString() };
  });
}

/** What was said to the things that are missing: the latest answer to each holds. */
function answered(found: readonly Unanswered[], day: HandoverDay): MissingThing[] {
  const reasons = day
    .all('absence')
    .filter((a) => a.body.dayId === day.day.id)
    .sort((a, b) => (a.body.at < b.body.at ? 1 : -1));
  return found.map((m) => {
    const said = reasons.find((r) => r.body.code === m.code && r.body.takeId === m.takeId);
    return { ...m, answer: said ? { id: said.id, reason: said.body.reason, by: said.body.by, at: said.body.at } : null };
  });
}

/** What is missing and why, so that whoever receives the day need not ask. */
function missingFile(missing: readonly MissingThing[]): HandoverFile[] {
  if (missing.length === 0) return [];
  const rows = missing.map((m) => [m.take, m.what, m.answer?.reason ?? '', m.answer?.by ?? '', m.answer?.at ?? '']);
  return [{ path: 'missing.csv', what: 'what is missing, and why it cannot be had', readWith: 'CSV', make: async () => writeCsv([['of', 'what', 'reason', 'answered_by', 'answered_at'], ...rows]) }];
}

/** What solvers and supervisors asked, and what was answered. */
function remarksFile({ all, takes, setups }: HandoverDay): HandoverFile[] {
  const remarks = all('remark').filter((r) => takes.some((t) => t.id === r.body.aboutId) || setups.some((s) => s.id === r.body.aboutId));
  if (remarks.length === 0) return [];
  const rows = remarks.map(({ body: r }) => {
    const take = takes.find((t) => t.id === r.aboutId);
    return [r.about, take ? `${take.body.slate}-${take.body.take}` : '', r.field ?? '', r.text, r.by, r.at, r.answer?.text ?? '', r.answer?.by ?? '', r.answer?.at ?? ''];
  });
  const header = ['about', 'take', 'field', 'remark', 'by', 'at', 'answer', 'answered_by', 'answered_at'];
  return [{ path: 'remarks.csv', what: 'remarks and their answers', readWith: 'CSV', make: async () => writeCsv([header, ...rows]) }];
}

/** Plates and pictures with edges of the lenses that shot on the day. */
function platesOf({ takes, find, all }: HandoverDay): { lens: string; body: StoredRecord<'plate' | 'edges'>['body'] }[] {
  const used = new Set(takes.flatMap((t) => find('package', t.body.packageId)?.body.lensId ?? []));
  return [...all('plate'), ...all('edges')].flatMap(({ body }) => (used.has(body.lensId) ? [{ lens: find('lens', body.lensId)?.body.name ?? '', body }] : []));
}

interface Asked {
  maps?: { format: MapFormat; thread: FileThread } | null;
  wishes?: Wishes;
}

/** What a day's handover holds and what it still lacks. Files are made when they are asked for. */
export async function planHandover(db: Database, productionId: string, dayId: string, { maps = null, wishes = AS_KEPT }: Asked = {}): Promise<Handover> {
  const day = await openDay(db, productionId, dayId, wishes);
  const { all, setups, takes } = day;
  const solved = await solvedTakes(db, productionId, day);
  const setupIds = setups.map((s) => s.id);
  const ofSetups = <T extends { body: { setupId: string } }>(records: readonly T[]): T[] => records.filter((r) => setupIds.includes(r.body.setupId));
  const lenses = await lensFiles(db, productionId, day);
  const bending = await takeLenses(db, productionId, day, solved);
  const lacks = new Map(takes.map((t) => [t.id, lacksOf(t, day, solved.get(t.id))]));
  const found: Unanswered[] = [...takes.flatMap((t) => lackingOfTake(t, lacks.get(t.id)!)), ...lenses.missing];
  const lights = ofSetups(all('light'));
  const files: HandoverFile[] = [
    ...takes.flatMap((t) => (solved.has(t.id) && t.body.tracks ? shotFiles(t, day, solved.get(t.id)!) : [])),
    ...trackFiles(day),
    ...elsewhereFiles(day),
    ...lenses.files,
    ...takeLensFiles(bending, maps),
    ...setupFiles(setups, all, day.find),
    ...setFiles(day),
    ...takesTable(day, solved),
    ...editFiles(day),
    ...kitFiles(day),
    ...logFiles({ setups, takes, sets: all('set'), ties: all('tie'), lights }),
    ...(await witnessFiles(db, productionId, day)),
    ...pictureFiles({
      setups,
      takes,
      plans: all('plan'),
      sets: all('set'),
      stills: ofSetups(all('still')),
      lights,
      photos: all('photo'),
      plates: platesOf(day),
      recces: ofSetups(all('recce')),
      folderOf: day.folderOf,
    }),
    ...(await walkFiles(db, productionId, day)),
    ...(await lineUpFiles(db, productionId, day)),
    ...remarksFile(day),
  ];
  // a picture that an entry names and that was never given, here or to another production, cannot leave
  const own = await ownFiles(
    db,
    productionId,
    files.flatMap((f) => f.stored ?? []),
  );
  const leaving = files.filter((f) => !f.stored || own.has(f.stored));
  for (const f of files) if (f.stored && !own.has(f.stored)) found.push({ code: `file ${f.path}`, until: 'gone', takeId: null, take: f.path, what: `the file itself: ${f.what}` });
  // logged on a phone without a line while somebody else hid the setup
  for (const setup of day.hiddenSetups)
    for (const take of all('take').filter((t) => t.body.setupId === setup.id))
      found.push({ code: `hidden ${take.id}`, until: 'set', takeId: take.id, take: labelOf(take), what: `a setup that is shown: ${setup.body.name} is hidden, so this take does not leave` });
  const missing = answered(found, day);
  const closed = day.day.body.closed ?? null;
  const ofDay = day.records.filter((r) => takes.some((t) => t.id === r.id) || setupIds.includes(r.id) || ('setupId' in r.body && setupIds.includes(r.body.setupId)));
  const changedAfterClose = closed ? await changesSince(db, productionId, ofDay, new Date(closed.at)) : [];
  const handedOver = all('handover')
    .filter((h) => h.body.dayId === dayId)
    .sort((a, b) => (a.body.at < b.body.at ? 1 : -1));
  // what the takes were measured with is shared by days, and leaves with each of them
  const shared = day.records.filter((r) => ['package', 'body', 'lens', 'adapter', 'plate', 'edges', 'set', 'tie', 'fact', 'photo'].includes(r.kind));
  const changedSince = handedOver[0] ? await changesSince(db, productionId, [...ofDay, ...shared], new Date(handedOver[0].body.at)) : [];
  const { files: taken, leftOut } = forReceiver(apart([...missingFile(missing), ...leaving]), wishes);
  return {
    name: `${slug(day.day.body.date)}-${slug(day.day.body.name)}`,
    missing,
    files: leaving.length === 0 ? [] : [...reportFiles({ day, solved, lacks, missing, closed, changedAfterClose, files: taken }), recordFile(db, day, taken, solved), ...taken],
    leftOut,
    maps: mapsOf(bending),
    closed,
    changedAfterClose,
    handedOver: handedOver.map(({ id, body: { to, receiverId = null, by, at, supplementTo, files: count, sizeBytes, zip = null, missing: lacking } }) => ({
      id,
      to,
      receiverId,
      by,
      at,
      supplementTo,
      files: count,
      sizeBytes,
      zip,
      missing: lacking,
    })),
    changedSince,
  };
}
