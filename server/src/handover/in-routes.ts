import { compareDay, filesNamed, type HandoverInAnswer, type LeftFile, type StoredRecord } from '@mesure/contract';
import { handoverInSchema } from '@mesure/contract/schemas';
import { randomUUID } from 'node:crypto';
import { rm, stat } from 'node:fs/promises';
import path from 'node:path';
import type { ServerConfig } from '../config';
import { NOW } from '../db/clock';
import type { Database } from '../db/connect';
import { acceptAs, safeName } from '../files/accept';
import type { FileThread } from '../files/file-thread';
import { ownFiles } from '../files/own';
import { spaceOf } from '../files/space';
import type { FileStore } from '../files/store';
import { viewerOf, type Viewer } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { must } from '../http/validate';
import { toRecord } from '../records/model';
import { writeRecord } from '../records/service';
import { withHandover, type OpenHandover } from './record-in';

/** Records that go into one transaction: others write to the production meanwhile, and wait no longer than for these. */
const AT_ONCE = 100;

interface Asked {
  sha256: string;
  replace: boolean;
}

/** A handover of another Mesure comes into a production: seen before it is done, with who said what and when. */
export function handoverInRoutes(db: Database, store: FileStore, fileThread: FileThread, config: ServerConfig): Route[] {
  const space = spaceOf(db, path.join(config.dataDir, 'incoming'), config.space, async () => undefined);

  async function opened<T>(v: Viewer, { sha256 }: Asked, work: (open: OpenHandover) => Promise<T>): Promise<T> {
    const file = await db.StoredFile.findOne({ where: { sha256, productionId: v.productionId } });
    if (!file) throw new ApiProblem('NOT_FOUND', 'There is no such file.');
    // whatever it was given as: what comes in has been looked at
    return store.withFile(sha256, async (at) => {
      await fileThread.handover(at, file.name);
      return withHandover(at, file.name, work);
    });
  }

  async function compared(v: Viewer, open: OpenHandover, replace: boolean, inZip: ReadonlyMap<string, LeftFile>) {
    const named = [...new Set(open.left.records.flatMap((r) => filesNamed(r.body).map((f) => f.sha256)))];
    const own = await ownFiles(db, v.productionId, named);
    const here: StoredRecord[] = (await db.Entry.findAll({ where: { productionId: v.productionId } })).map(toRecord);
    const told = compareDay(open.left.records, here, (sha256) => own.has(sha256) || inZip.has(sha256), { newId: randomUUID, now: new Date().toISOString(), replace });
    const coming = named.flatMap((n) => (own.has(n) || !inZip.has(n) ? [] : [inZip.get(n)!]));
    // a take that is here and says something else stays, and another record's solve would be no answer to it
    const whole = new Set([...told.brought.map((b) => b.id), ...told.lines.flatMap((l) => (l.what === 'same' ? [l.id] : []))]);
    const solved = new Set(
      (await db.AnalysisRow.findAll({ attributes: ['subjectId'], where: { productionId: v.productionId, kind: 'solve', status: 'done', subjectId: open.solves.map((s) => s.takeId) } })).map(
        (a) => a.subjectId,
      ),
    );
    const solves = open.solves.filter((s) => whole.has(s.takeId) && !solved.has(s.takeId));
    return { ...told, here, coming, solves, missing: named.filter((n) => !own.has(n) && !inZip.has(n)).length };
  }
  const zipped = (open: OpenHandover): Map<string, LeftFile> => new Map(open.left.files.filter((f) => open.holds(f)).map((f) => [f.sha256, f]));
  const answer = (open: OpenHandover, told: Awaited<ReturnType<typeof compared>>, brought: number | null): HandoverInAnswer => ({
    production: String(open.left.production).slice(0, 200),
    day: open.left.day,
    lines: told.lines,
    files: { coming: told.coming.length, comingBytes: told.coming.reduce((sum, f) => sum + f.sizeBytes, 0), missing: told.missing },
    solves: told.solves.length,
    brought,
  });

  /** Pictures and tracks that are not here, each checked by its checksum and looked at as if it was given alone. */
  async function take(v: Viewer, open: OpenHandover, coming: readonly LeftFile[]): Promise<void> {
    const id = randomUUID();
    await space.begin(
      id,
      v,
      coming.reduce((sum, f) => sum + f.sizeBytes, 0),
    );
    try {
      for (const f of coming) {
        const temporary = path.join(config.dataDir, 'incoming', `handover-${randomUUID()}`);
        try {
          await open.extract(f, temporary);
          const { clip: _clip, ...kept } = await acceptAs(f.mime, temporary, safeName(f.name), fileThread);
          const { size: sizeBytes } = await stat(temporary);
          const sha256 = await store.put(temporary);
          await db.StoredFile.upsert({ productionId: v.productionId, sha256, sizeBytes, ...kept });
        } finally {
          // what was not taken leaves nothing behind
          await rm(temporary, { force: true });
        }
      }
    } finally {
      await space.end(id);
    }
  }

  return [
    {
      method: 'post',
      path: '/handover-in/look',
      access: 'record',
      what: 'What bringing an uploaded handover in would do, record by record, with who said it and when.',
      body: handoverInSchema,
      async handle(req, res) {
        const v = viewerOf(req);
        const asked = must(handoverInSchema, req.body) as Asked;
        res.json(await opened(v, asked, async (open) => answer(open, await compared(v, open, asked.replace, zipped(open)), null)));
      },
    },
    {
      method: 'post',
      path: '/handover-in/bring',
      access: 'record',
      what: 'Brings an uploaded handover in: what is new, and with `replace` what differs. Stopped half-way, it goes on when it is asked again.',
      body: handoverInSchema,
      async handle(req, res) {
        const v = viewerOf(req);
        const asked = must(handoverInSchema, req.body) as Asked;
        const told = await opened(v, asked, async (open) => {
          const inZip = zipped(open);
          const before = await compared(v, open, asked.replace, inZip);
          await take(v, open, before.coming);
          // somebody may have written meanwhile
          const now = await compared(v, open, asked.replace, new Map());
          for (let i = 0; i < now.brought.length; i += AT_ONCE)
            await db.sequelize.transaction(async (transaction) => {
              for (const r of now.brought.slice(i, i + AT_ONCE))
                await writeRecord(db, { ...v, instead: r.by }, r.kind, r.id, { mutationId: randomUUID(), baseVersion: r.version, deleted: false, body: r.body }, transaction);
            });
          for (const m of open.left.measured) {
            const subjectId = now.ids.get(m.plateId);
            // a plate that is here has its own measuring
            if (!subjectId || !now.brought.some((b) => b.id === subjectId)) continue;
            const done = { kind: 'grid', status: 'done', progress: 1, stage: 'done', error: null, finishedAt: NOW } as const;
            await db.AnalysisRow.create({ id: randomUUID(), productionId: v.productionId, subjectId, ...done, input: m.input as never, outcome: m.outcome as never });
          }
          for (const { takeId, path: at, input, at: solvedAt } of now.solves) {
            const left = await open.solve(at);
            // solved before it came here; a clock that runs ahead elsewhere makes it no newer than what is solved here from now on
            const createdAt = new Date(Math.min(Date.parse(solvedAt), Date.now()));
            const done = { kind: 'solve', status: 'done', progress: 1, stage: 'done', error: null, finishedAt: createdAt } as const;
            await db.AnalysisRow.create({ id: randomUUID(), productionId: v.productionId, subjectId: takeId, ...done, createdAt, input: input as never, outcome: { kind: 'solve', ...left } });
          }
          return { ...answer(open, before, now.brought.length), lines: now.lines, solves: now.solves.length };
        });
        res.status(201).json(told);
      },
    },
  ];
}
