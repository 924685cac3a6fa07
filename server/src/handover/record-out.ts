import { BROUGHT, filesNamed, inOrderOfReference, RECORD_FORMAT, type LeftDay, type RecordKind, type StoredRecord } from '@mesure/contract';
import { jsonText } from '@mesure/formats';
import { Op } from 'sequelize';
import type { Database } from '../db/connect';
import { referencesOf } from '../records/references';
import type { HandoverDay, HandoverFile } from './day';
import type { SolvedTake } from './shots';

/** What hangs on a set or a lens and goes with it, though it is not of the day. */
const GOES_WITH: Partial<Record<RecordKind, readonly RecordKind[]>> = { set: ['tie', 'fact', 'photo'], lens: ['plate', 'edges'] };
const OF_THE_DAY: readonly RecordKind[] = ['day', 'setup', 'take'];

/** The records of a day: its setups and takes, what was said of them, the sets and the kit that they name, and what hangs on those. */
export function recordsOfDay({ day, setups, takes, records }: Pick<HandoverDay, 'day' | 'setups' | 'takes' | 'records'>): StoredRecord[] {
  const usable = records.filter((r) => BROUGHT.includes(r.kind));
  const byId = new Map(usable.map((r) => [r.id, r]));
  const named = new Map(usable.map((r) => [r.id, referencesOf(r.kind, r.body).map((n) => n.id)]));
  const hanging = new Map<string, StoredRecord[]>();
  for (const r of usable)
    for (const id of new Set(named.get(r.id))) {
      const those = hanging.get(id);
      if (those) those.push(r);
      else hanging.set(id, [r]);
    }
  const held = new Map<string, StoredRecord>();
  const waiting: StoredRecord[] = [day, ...setups, ...takes];
  for (let r = waiting.pop(); r; r = waiting.pop()) {
    if (held.has(r.id)) continue;
    held.set(r.id, r);
    for (const id of named.get(r.id) ?? []) if (byId.has(id)) waiting.push(byId.get(id)!);
    const { kind, id } = r;
    for (const other of hanging.get(id) ?? []) {
      // a setup of another day hangs on the same set, and its takes on the same packages
      if (OF_THE_DAY.includes(kind) ? !OF_THE_DAY.includes(other.kind) : GOES_WITH[kind]?.includes(other.kind)) waiting.push(other);
    }
  }
  return inOrderOfReference([...held.values()]);
}

/** A receiver may want the take's name before that of each file. */
const isSolveOf = (path: string, folder: string): boolean => path.startsWith(`${folder}/`) && /^([^/]+_)?solve\.json$/.test(path.slice(folder.length + 1));

/** The day as another Mesure can take it in: every record with who said it and when, and which file of the zip is which. */
export function recordFile(db: Database, day: HandoverDay, leaving: readonly HandoverFile[], solved: ReadonlyMap<string, SolvedTake>): HandoverFile {
  return {
    path: 'record.json',
    what: 'every record of the day with who said it and when: another Mesure takes it in',
    readWith: 'JSON',
    async make() {
      const records = recordsOfDay(day);
      const pathOf = new Map(leaving.flatMap((f) => (f.stored ? [[f.stored, f.path] as const] : [])));
      const rows = await db.StoredFile.findAll({ where: { productionId: day.productionId, sha256: { [Op.in]: [...new Set(records.flatMap((r) => filesNamed(r.body).map((f) => f.sha256)))] } } });
      const grids = await db.AnalysisRow.findAll({
        where: { productionId: day.productionId, kind: 'grid', status: 'done', subjectId: records.filter((r) => r.kind === 'plate').map((r) => r.id) },
        order: [['createdAt', 'DESC']],
      });
      const left: LeftDay = {
        format: RECORD_FORMAT,
        production: day.production?.body.name ?? '',
        day: { id: day.day.id, name: day.day.body.name, date: day.day.body.date },
        records: records.map((r) => ({ kind: r.kind, id: r.id, body: r.body, by: r.updatedBy, at: r.updatedAt })),
        measured: grids.filter((g, i) => grids.findIndex((o) => o.subjectId === g.subjectId) === i).map((g) => ({ plateId: g.subjectId, input: g.input, outcome: g.outcome as object })),
        files: rows.flatMap((f) => {
          const path = pathOf.get(f.sha256);
          return path === undefined ? [] : [{ sha256: f.sha256, name: f.name, mime: f.mime, sizeBytes: Number(f.sizeBytes), widthPx: f.widthPx, heightPx: f.heightPx, path }];
        }),
        solved: [...solved].flatMap(([takeId, { input, at }]) => {
          const take = day.takes.find((t) => t.id === takeId);
          const path = take && leaving.find((f) => isSolveOf(f.path, day.folderOf(take)))?.path;
          return path ? [{ takeId, path, input, at }] : [];
        }),
      };
      return jsonText(left);
    },
  };
}
