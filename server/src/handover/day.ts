import { mountPackage, type Lookup, type MissingThing, type MountedPackage, type RecordKind, type StoredRecord, type TakeWords } from '@mesure/contract';
import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import { toRecord } from '../records/model';
import { AS_KEPT, takeNameOf, type Wishes } from './receiver';

export interface HandoverFile {
  path: string;
  what: string;
  readWith: string;
  make(): Promise<Uint8Array | string>;
  /** a picture as it was given: it goes as it is, read when its turn comes */
  stored?: string;
}

/** Something that is missing, as it is found: what was answered to it is looked up afterwards. */
export type Unanswered = Omit<MissingThing, 'answer'>;

export type All = <K extends RecordKind>(kind: K) => StoredRecord<K>[];

/** The records of one day, in the order in which they were shot, with the ways that all files of a handover need. */
export interface HandoverDay {
  productionId: string;
  day: StoredRecord<'day'>;
  production: StoredRecord<'production'> | null;
  setups: StoredRecord<'setup'>[];
  takes: StoredRecord<'take'>[];
  /** takes in them are in no list of the day */
  hiddenSetups: StoredRecord<'setup'>[];
  records: StoredRecord[];
  all: All;
  find: Lookup;
  words: TakeWords;
  setupOf(take: StoredRecord<'take'>): StoredRecord<'setup'>;
  /** what a take was shot with; null where a part of it is gone */
  mounted(take: StoredRecord<'take'>): MountedPackage | null;
  /** of a take alone, also where two have one slate and number */
  folderOf(take: StoredRecord<'take'>): string;
  /** of who gets it */
  wishes: Wishes;
}

/** Of the set's clock. */
export const zoneOf = (day: Pick<HandoverDay, 'production'>): string => day.production?.body.timeZone ?? 'UTC';

/** Safe in a zip on every system. */
export const slug = (text: string): string =>
  text
    .normalize('NFKD')
    .replace(/[^\w.-]+/g, '-')
    .replace(/^-+|-+$/g, '') || 'unnamed';

export const labelOf = (take: StoredRecord<'take'>): string => `${take.body.slate} take ${take.body.take}`;

/** @throws ApiProblem NOT_FOUND */
export async function openDay(db: Database, productionId: string, dayId: string, wishes: Wishes = AS_KEPT): Promise<HandoverDay> {
  const records = (await db.Entry.findAll({ where: { productionId, deleted: false } })).map(toRecord);
  const byId = new Map(records.map((r) => [`${r.kind} ${r.id}`, r]));
  const find = ((kind: RecordKind, id: string) => byId.get(`${kind} ${id}`)) as Lookup;
  const all: All = (kind) => records.filter((r) => r.kind === kind) as never;
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
  const mountedBy = (packageId: string): MountedPackage | null => {
    const pack = find('package', packageId);
    const m = pack ? mountPackage(pack.body, find) : null;
    return m && !('missing' in m) ? m : null;
  };
  const hidden = (await db.Entry.findAll({ where: { productionId, kind: 'setup', deleted: true } })).map(toRecord) as StoredRecord<'setup'>[];
  const folders = foldersOf(takes, (t) => takeNameOf(t, { day, find }, wishes));
  return {
    productionId,
    day,
    production: all('production')[0] ?? null,
    setups,
    takes,
    hiddenSetups: hidden.filter((s) => s.body.dayId === dayId),
    records,
    all,
    find,
    words: { unit: 'm', packages: all('package').map((p) => ({ id: p.id, camera: p.body.camera, focalMm: p.body.focalMm, fps: mountedBy(p.id)?.mode.fps ?? 24 })) },
    setupOf: (take) => find('setup', take.body.setupId)!,
    mounted: (take) => mountedBy(take.body.packageId),
    folderOf: (take) => folders.get(take.id)!,
    wishes,
  };
}

/** The later of two takes of one name gets a number behind it: in one folder nobody could tell whose picture is whose. */
function foldersOf(takes: readonly StoredRecord<'take'>[], nameOf: (take: StoredRecord<'take'>) => string): Map<string, string> {
  const seen = new Map<string, number>();
  return new Map(
    takes.map((t) => {
      const base = `takes/${slug(nameOf(t))}`;
      const count = (seen.get(base.toLowerCase()) ?? 0) + 1;
      seen.set(base.toLowerCase(), count);
      return [t.id, count === 1 ? base : `${base}-${count}`];
    }),
  );
}
