import type { StoredRecord, TakeBody } from '@mesure/contract';
import { connect } from '@mesure/server';
import { createHash } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import { TEXTS, type Ledger, type Phone } from './phone';

export interface Verdict {
  changes: number;
  acknowledged: number;
  /** laid onto what somebody else had changed in other fields */
  merged: number;
  /** both had changed one field, and a person decided */
  decided: number;
  /** the server said that it has them, and it has them not; or a phone kept them and nobody knows where they are */
  lost: string[];
  /** one change done twice, or a version that is there twice or missing */
  doubled: string[];
  /** a value that went without having been seen by who replaced it, and without a decision */
  overwritten: string[];
  /** phones that show something else than the server has */
  apart: string[];
  files: { given: number; lost: string[] };
  jobs: { begun: number; done: number; failed: number; stuck: string[] };
}

/** Holds the change log, the phones, the files and the jobs against what people did and were told. */
export async function judge(databaseUrl: string, addresses: readonly string[], phones: readonly Phone[], ledger: Ledger): Promise<Verdict> {
  const db = connect(databaseUrl);
  try {
    const log = await db.EntryChange.findAll({ order: [['id', 'ASC']], raw: true });
    const entries = await db.Entry.findAll({ raw: true });
    const verdict: Verdict = {
      changes: log.length,
      acknowledged: ledger.acknowledged.size,
      merged: log.filter((c) => c.sent !== null).length,
      decided: log.filter((c) => ledger.decided.has(c.mutationId)).length,
      lost: [],
      doubled: [],
      overwritten: [],
      apart: [],
      files: { given: ledger.files.size, lost: [] },
      jobs: { begun: ledger.jobs.size, done: 0, failed: 0, stuck: [] },
    };

    const seen = new Set<string>();
    for (const c of log) {
      if (seen.has(c.mutationId)) verdict.doubled.push(`change ${c.mutationId}`);
      seen.add(c.mutationId);
    }
    for (const m of ledger.acknowledged) if (!seen.has(m)) verdict.lost.push(`acknowledged ${m}`);
    for (const m of ledger.meant.keys()) if (!seen.has(m) && !ledger.replaced.has(m)) verdict.lost.push(`kept ${m}`);

    const byRecord = new Map<string, typeof log>();
    for (const c of log) byRecord.set(c.recordId, [...(byRecord.get(c.recordId) ?? []), c]);
    for (const [id, changes] of byRecord) {
      const ordered = [...changes].sort((a, b) => a.version - b.version);
      ordered.forEach((c, i) => {
        if (c.version !== i + 1) verdict.doubled.push(`record ${id} has no version ${i + 1}`);
        const was = i === 0 ? null : ordered[i - 1].after;
        if (i > 0 && !isDeepStrictEqual(c.before, was)) verdict.overwritten.push(`record ${id} version ${c.version} does not follow on the one before`);
        const meant = ledger.meant.get(c.mutationId);
        if (!was || !meant || ledger.decided.has(c.mutationId)) return;
        for (const field of TEXTS) {
          const [from, to] = [was.body, c.after.body].map((b) => (b as Partial<TakeBody>)[field] ?? null);
          if (from !== to && from !== meant.saw[field]) verdict.overwritten.push(`${field} of ${id}: “${from}” by “${to}” of ${meant.by}, who saw “${meant.saw[field]}”`);
        }
      });
      const now = entries.find((e) => e.id === id);
      if (!now || !isDeepStrictEqual({ deleted: now.deleted, body: now.body }, ordered[ordered.length - 1].after)) verdict.lost.push(`record ${id} is not what its log says`);
    }

    for (const phone of phones) {
      if (phone.waiting() > 0) verdict.apart.push(`${phone.name} still has ${phone.waiting()} waiting`);
      const here = phone.records();
      for (const e of entries) {
        const mine: StoredRecord | undefined = here[e.id];
        if (!mine || mine.version !== e.version || mine.deleted !== e.deleted || !isDeepStrictEqual(mine.body, e.body))
          verdict.apart.push(`${phone.name}: ${e.kind} ${e.id} version ${mine?.version} of ${e.version}`);
      }
      if (Object.keys(here).length !== entries.length) verdict.apart.push(`${phone.name} has ${Object.keys(here).length} records of ${entries.length}`);
    }

    for (const [sha256] of ledger.files)
      for (let i = 0; i < addresses.length; i += 1) {
        const r = await phones[i % phones.length].line.ask('GET', `/api${phones[0].of}/files/${sha256}`);
        if (r.status !== 200 || createHash('sha256').update(r.body).digest('hex') !== sha256) verdict.files.lost.push(`${sha256}: ${r.status}`);
      }

    for (const id of ledger.jobs) {
      const row = await db.AnalysisRow.findByPk(id, { raw: true });
      if (row?.status === 'done') verdict.jobs.done += 1;
      else if (row?.status === 'failed') verdict.jobs.failed += 1;
      else verdict.jobs.stuck.push(`${id}: ${row?.status ?? 'gone'}`);
    }
    return verdict;
  } finally {
    await db.sequelize.close();
  }
}
export const isClean = (v: Verdict): boolean => [v.lost, v.doubled, v.overwritten, v.apart, v.files.lost, v.jobs.stuck].every((list) => list.length === 0);
