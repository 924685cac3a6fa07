import { countedStills, walkOf, type StoredRecord, type WalkOutcome } from '@mesure/contract';
import { stationNames } from '@mesure/core';
import { writePlacedStillsCsv, writeStillMarksCsv, writeWalkPlacesCsv, writeWalkPlacesPly } from '@mesure/formats';
import type { Database } from '../db/connect';
import { staleOf } from '../jobs/stale';
import { slug, type HandoverDay, type HandoverFile } from './day';
import { stillPath } from './pictures';
import { spaceOf } from './receiver';
import { beforeWords } from './shots';

/** Where the stills of each walk were taken, by the pictures themselves, and the marks that are pointed out in them. */
export async function walkFiles(db: Database, productionId: string, day: HandoverDay): Promise<HandoverFile[]> {
  const { setups, all } = day;
  const rows = await db.AnalysisRow.findAll({ where: { productionId, kind: 'walk', status: 'done', subjectId: setups.map((s) => s.id) }, order: [['createdAt', 'DESC']] });
  const newest = rows.filter((r, i) => rows.findIndex((q) => q.subjectId === r.subjectId) === i);
  const stale = await staleOf(db, productionId, newest);
  return setups.flatMap((setup): HandoverFile[] => {
    const row = newest.find((r) => r.subjectId === setup.id);
    const old = row && stale.get(row.id);
    return [...marksFile(setup, all('still')), ...(row?.outcome?.kind === 'walk' ? placedFiles(row.outcome, setup, day, old ? `; ${beforeWords(old, day)}` : '') : [])];
  });
}

function marksFile(setup: StoredRecord<'setup'>, stills: StoredRecord<'still'>[]): HandoverFile[] {
  const marks = countedStills(stills.flatMap((s) => (s.body.setupId === setup.id ? [s.body] : []))).flatMap((s) =>
    (s.marks ?? []).map((m) => ({ file: stillPath(setup, s), id: m.mark, xPx: m.x, yPx: m.y })),
  );
  if (marks.length === 0) return [];
  return [{ path: `stills/${slug(setup.body.name)}/marks.csv`, what: 'marks pointed out in the stills, pixels', readWith: 'CSV', make: async () => writeStillMarksCsv(marks) }];
}

function placedFiles({ placed, stills }: WalkOutcome, setup: StoredRecord<'setup'>, { all, wishes }: HandoverDay, old: string): HandoverFile[] {
  if (placed.status === 'failed') return [];
  const walk = walkOf(all('plan').find((p) => p.body.setupId === setup.id)?.body ?? null);
  const names = walk ? stationNames(walk.stations) : [];
  const pictures = stills.map((s) => ({
    file: stillPath(setup, { station: s.station, picture: s }),
    station: names[s.station] ?? String(s.station + 1),
    widthPx: s.widthPx,
    heightPx: s.heightPx,
  }));
  const file = { name: `the stills of ${setup.body.name}`, walk: placed, pictures, space: spaceOf(wishes) };
  const folder = `stills/${slug(setup.body.name)}`;
  return [
    { path: `${folder}/placed.csv`, what: `where each still was taken, by the pictures together${old}`, readWith: 'CSV', make: async () => writePlacedStillsCsv(file) },
    ...(placed.turnsOnly
      ? []
      : [
          { path: `${folder}/places.csv`, what: `places that the stills have in common${old}`, readWith: 'CSV', make: async () => writeWalkPlacesCsv(file) },
          { path: `${folder}/places.ply`, what: `places that the stills have in common${old}`, readWith: 'PLY', make: async () => writeWalkPlacesPly(file) },
        ]),
  ];
}
