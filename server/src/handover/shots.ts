import { stampIn, takeLacks, type FileRef, type LackTime, type MissingThing, type SolveOutcome, type Stale, type StoredRecord } from '@mesure/contract';
import { leansWhole, witnessSolve } from '@mesure/core';
import { fileName, filesOfSolve, jsonText, renumbered, shotFacts, solveJson, unitOf, type Shot } from '@mesure/formats';
import type { Database } from '../db/connect';
import { staleOf } from '../jobs/stale';
import { labelOf, slug, zoneOf, type HandoverDay, type HandoverFile } from './day';
import { spaceOf } from './receiver';

/** The newest solve of a take, and of which change it knows nothing. */
export interface SolvedTake {
  outcome: SolveOutcome;
  staleWords: string | null;
  /** what it was computed from, and when */
  input: object;
  at: string;
}

export async function solvedTakes(db: Database, productionId: string, day: HandoverDay): Promise<Map<string, SolvedTake>> {
  const rows = await db.AnalysisRow.findAll({ where: { productionId, kind: 'solve', status: 'done', subjectId: day.takes.map((t) => t.id) }, order: [['createdAt', 'DESC']] });
  const newest = rows.filter((r, i) => rows.findIndex((q) => q.subjectId === r.subjectId) === i);
  const stale = await staleOf(db, productionId, newest);
  return new Map(
    newest.flatMap((row): [string, SolvedTake][] => {
      if (row.outcome?.kind !== 'solve' || row.outcome.solve.status === 'failed' || row.outcome.solve.frames.length === 0) return [];
      const old = stale.get(row.id);
      return [[row.subjectId, { outcome: row.outcome, staleWords: old ? beforeWords(old, day) : null, input: row.input, at: row.createdAt.toISOString() }]];
    }),
  );
}

/** Which change an answer knows nothing of. */
export const beforeWords = (old: Stale, day: HandoverDay): string => `this one is from before the change of ${old.what}, ${stampIn(zoneOf(day), old.when)}`;

/** One thing that is missing, before anybody answered it. */
export type Lacking = Pick<MissingThing, 'code' | 'until' | 'what'>;

/** Readings go when the set is struck or the camera is built otherwise; the rest can be found in notes. */
const UNTIL: Partial<Record<string, LackTime>> = { height: 'set', heightEnd: 'set', tilt: 'set', roll: 'set', distance: 'set', witnesses: 'set' };

/** What a take still lacks, each thing once, in the order in which one would do something about it. */
export function lacksOf(take: StoredRecord<'take'>, day: HandoverDay, solved: SolvedTake | undefined): Lacking[] {
  const plan = day.all('plan').find((p) => p.body.setupId === take.body.setupId)?.body ?? null;
  const floor = day.find('floor', day.productionId)?.body ?? null;
  const lacks = takeLacks(take.body, plan, floor).map((l): Lacking => ({ code: l.field ?? l.what, until: UNTIL[l.field ?? ''] ?? 'notes', what: l.what }));
  const desk = (code: string, what: string, until: LackTime = 'desk') => lacks.push({ code, until, what });
  if (!take.body.tracks) {
    desk('tracks', 'tracks for a test solve');
    return lacks;
  }
  if (!solved) {
    desk('solve', 'a test solve');
    return lacks;
  }
  const { solve, reconcile } = solved.outcome;
  if (solved.staleWords) desk('stale', `a test solve of the record as it is: ${solved.staleWords}`);
  const leans = leansWhole(solve);
  if (leans) desk('leans', `a test solve that can be built on: ${reconcile?.sentence ?? solve.reason ?? 'this one leans'}`, 'set');
  else if (solve.status === 'partial' && solve.motion !== 'pan')
    desk('rest', `the rest of the take: the solve holds frames ${solve.frames[0].frame} to ${solve.frames[solve.frames.length - 1].frame} only`);
  // a turn has no scale to lack
  if (solve.motion !== 'pan' && unitOf(solve) !== 'm') desk('scale', 'a scale: no length, height or surveyed place ties the solve to metres, and it leaves in a unit of its own', 'set');
  if (reconcile?.verdict === 'contradicts') desk('contradiction', 'an answer to the contradiction found by the test solve', 'set');
  return lacks;
}

export const lackingOfTake = (take: StoredRecord<'take'>, lacks: readonly Lacking[]) => lacks.map((l) => ({ ...l, takeId: take.id, take: labelOf(take) }));

/** A solved take as the writers of files take it. */
export function shotOf(take: StoredRecord<'take'>, day: HandoverDay, { outcome }: SolvedTake): Shot {
  const m = day.mounted(take);
  const playFps = day.production?.body.fps ?? m?.mode.fps ?? outcome.setup.fps ?? 24;
  return {
    name: labelOf(take),
    solve: outcome.solve,
    setup: outcome.setup,
    fps: playFps,
    shotAtFps: take.body.fps ?? m?.mode.fps ?? null,
    clip: take.body.clip ?? null,
    timecodeIn: take.body.timecodeIn ?? null,
    ...(m ? { body: `${m.body.name}, ${m.mode.name}`, lens: m.lens.name, lensSerial: m.lens.serial } : {}),
    markedFocalMm: take.body.focalMm,
    focusM: take.body.focusM,
  };
}

/** The files of a take that was solved, in a folder of its own. */
export function shotFiles(take: StoredRecord<'take'>, day: HandoverDay, solved: SolvedTake): HandoverFile[] {
  const shot = shotOf(take, day, solved);
  const { wishes } = day;
  const leaving = renumbered({ ...shot, space: spaceOf(wishes), addFrames: wishes.addFrames });
  const folder = day.folderOf(take);
  const { outcome } = solved;
  const m = day.mounted(take);
  const files: HandoverFile[] = filesOfSolve(shot.solve).map((f) => ({ path: `${folder}/${fileName(f, shot.solve)}`, what: f.what, readWith: f.readWith, make: async () => f.write(leaving) }));
  return [
    ...files,
    ...witnessShotFiles(folder, leaving, outcome),
    {
      path: `${folder}/solve.json`,
      what: 'solve with residuals, verdict and what was recorded',
      readWith: 'JSON',
      // the solve itself stands on top, as the command line writes and reads it
      make: async () =>
        jsonText({
          facts: shotFacts(shot),
          ...solveJson(outcome.solve),
          setup: outcome.setup,
          take: { ...take.body, package: m ? { camera: m.pack.camera, body: m.body.name, mode: m.mode.name, lens: m.lens.name, adapter: m.adapter?.name ?? null } : null },
          reconcile: outcome.reconcile,
          before: solved.staleWords,
          // how the files beside this one count, which itself stays as it was solved
          ...(wishes.unit !== 'm' || wishes.up !== 'Y' || wishes.addFrames !== 0 ? { filesBeside: { ...spaceOf(wishes), addFrames: wishes.addFrames } } : {}),
        }),
    },
  ];
}

/** Solves that other programs made of the day's takes, as they were given. */
export const elsewhereFiles = ({ takes, all, folderOf }: HandoverDay): HandoverFile[] =>
  all('elsewhere').flatMap(({ body: e }) => {
    const take = takes.find((t) => t.id === e.takeId);
    return take
      ? [e.file, ...(e.points ? [e.points] : [])].map((f) => ({
          path: `${folderOf(take)}/elsewhere/${slug(f.name)}`,
          what: `solve of ${take.body.slate} take ${take.body.take} that another program made`,
          readWith: 'as it was given',
          make: async () => '',
          stored: f.sha256,
        }))
      : [];
  });

/** The camera of a witness that was solved with the main one, in a folder of its own, written as any other. */
function witnessShotFiles(folder: string, leaving: Shot, { solve, witnessSetup }: SolveOutcome): HandoverFile[] {
  if (!solve.witness || !witnessSetup) return [];
  const own = witnessSolve(leaving.solve, witnessSetup);
  const { body: _body, lens: _lens, lensSerial: _serial, timecodeIn: _timecode, clip: _clip, ...rest } = leaving;
  const shot: Shot = { ...rest, name: `${leaving.name} ${solve.witness.name}`, solve: own, setup: witnessSetup, clip: null, timecodeIn: null, markedFocalMm: witnessSetup.focal.mm, focusM: null };
  return filesOfSolve(own).map((f) => ({
    path: `${folder}/${slug(solve.witness!.name)}/${fileName(f, own)}`,
    what: `${f.what}; of the witness camera ${solve.witness!.name}`,
    readWith: f.readWith,
    make: async () => f.write(shot),
  }));
}

/** The tracks of every take that has some, as they were given; how they count stands in takes.csv. */
export const trackFiles = ({ takes, folderOf }: HandoverDay): HandoverFile[] =>
  takes.flatMap(({ body: t }, i) => {
    const file = (f: FileRef, of: string, folder = ''): HandoverFile => ({
      path: `${folderOf(takes[i])}/tracks/${folder}${slug(f.name)}`,
      what: `tracks of ${of}${t.slate} take ${t.take}`,
      readWith: 'CSV, as it was given',
      make: async () => '',
      stored: f.sha256,
    });
    const witness = (t.witnesses ?? []).flatMap((w, n) => (w.tracks ? [file(w.tracks, `a witness camera in `, `witness-${n + 1}/`)] : []));
    return [...(t.tracks ? [file(t.tracks, '')] : []), ...witness];
  });
