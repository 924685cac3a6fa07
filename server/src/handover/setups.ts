import { followPlan, type Lookup, type StoredRecord } from '@mesure/contract';
import { CoreError, findCautions, studySetup, type Caution } from '@mesure/core';
import { jsonText, writeMarksCsv } from '@mesure/formats';
import { slug, type HandoverFile } from './day';

type All = <K extends 'plan' | 'set' | 'plate' | 'setup' | 'recce'>(kind: K) => StoredRecord<K>[];

/** What was planned for the day's setups: the mark sheet, and the cautions with what was said to them. Found out when the files are asked for. */
export function setupFiles(setups: readonly StoredRecord<'setup'>[], all: All, find: Lookup): HandoverFile[] {
  return setups.flatMap((setup): HandoverFile[] => {
    const base = `setups/${slug(setup.body.scene)}-${slug(setup.body.name)}`;
    const set = all('set').find((s) => s.id === setup.body.setId);
    const plan = all('plan')
      .filter((p) => p.body.setupId === setup.id)
      .sort((a, b) => (a.id < b.id ? -1 : 1))[0];
    const files: HandoverFile[] = [];
    const sheet = set?.body.sheet ?? [];
    if (sheet.length > 0) files.push({ path: `${base}/marks.csv`, what: 'mark sheet, metres', readWith: 'CSV', make: async () => writeMarksCsv(sheet) });
    if (plan && set)
      files.push({
        path: `${base}/plan.json`,
        what: 'planned move, measurements, cautions and what was said to them',
        readWith: 'JSON',
        make: async () => jsonText({ setup: setup.body.name, plan: plan.body, set: { pieces: set.body.pieces ?? [] }, cautions: cautionsOf(plan, set, all, find) }),
      });
    return files;
  });
}

function cautionsOf(plan: StoredRecord<'plan'>, set: StoredRecord<'set'>, all: All, find: Lookup): (Caution & { answer: { reason: string; by: string; at: string } | null })[] | { problem: string } {
  const followed = followPlan(
    plan.body,
    set.body,
    all('plate').map((p) => p.body),
    find,
    all('recce').find((r) => r.body.setupId === plan.body.setupId)?.body ?? null,
  );
  if ('problem' in followed) return followed;
  try {
    return findCautions(studySetup(followed.setup), followed.facts).map((c) => ({ ...c, answer: plan.body.answered.find((a) => a.rule === c.rule) ?? null }));
  } catch (error) {
    if (error instanceof CoreError) return { problem: error.message };
    throw error;
  }
}
