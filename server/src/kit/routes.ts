import { bringKit, compareKit, type KitLine } from '@mesure/contract';
import { kitSourceSchema } from '@mesure/contract/schemas';
import { randomUUID } from 'node:crypto';
import { writeFile } from 'node:fs/promises';
import path from 'node:path';
import type { Request } from 'express';
import type { ServerConfig } from '../config';
import { NOW } from '../db/clock';
import type { Database } from '../db/connect';
import type { FileStore } from '../files/store';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { must } from '../http/validate';
import { liveRecords } from '../jobs/inputs';
import { writeRecord } from '../records/service';
import { kitOf, readKit, writeKit, type KitContents } from './contents';

type Source = { productionId: string } | { sha256: string };

/** Bodies, lenses, adapters and lens books outlive a film: out as a zip of open files, in from one, or from another of one's productions. */
export function kitRoutes(db: Database, store: FileStore, config: ServerConfig): Route[] {
  /** The kit that is asked for; of a file its pictures are kept, since they are checked by reading them. */
  async function kitFrom(req: Request, source: Source): Promise<KitContents> {
    const v = viewerOf(req);
    if ('productionId' in source) {
      const membership = await db.Membership.findOne({ where: { userId: v.userId, productionId: source.productionId } });
      if (!membership) throw new ApiProblem('NOT_FOUND', 'There is no such production.');
      return kitOf(db, source.productionId);
    }
    const file = await db.StoredFile.findOne({ where: { sha256: source.sha256, productionId: v.productionId } });
    if (!file) throw new ApiProblem('NOT_FOUND', 'There is no such file.');
    return store.withFile(file.sha256, (at) =>
      readKit(at, file.name, async (_sha256, bytes) => {
        const temporary = path.join(config.dataDir, 'incoming', `kit-${randomUUID()}`);
        await writeFile(temporary, bytes);
        await store.put(temporary);
      }),
    );
  }
  const compare = async (req: Request, kit: KitContents): Promise<KitLine[]> => compareKit(kit.records, await liveRecords(db, viewerOf(req).productionId));

  return [
    {
      method: 'get',
      path: '/kit.zip',
      access: 'read',
      what: 'Bodies, lenses, adapters and lens books with their plates, as a zip of open files.',
      async handle(req, res) {
        const { productionId } = viewerOf(req);
        const production = await db.Production.findByPk(productionId);
        res.attachment(`${(production?.name ?? 'kit').replace(/[^\p{L}\p{N}]+/gu, '-')}-kit.zip`);
        await writeKit(await kitOf(db, productionId), store, res);
      },
    },
    {
      method: 'post',
      path: '/kit/look',
      access: 'record',
      what: 'What bringing a kit in would do, part by part: from a kit file that was uploaded, or from another of one’s productions.',
      body: kitSourceSchema,
      async handle(req, res) {
        res.json({ lines: await compare(req, await kitFrom(req, must(kitSourceSchema, req.body) as Source)) });
      },
    },
    {
      method: 'post',
      path: '/kit/bring',
      access: 'record',
      what: 'Brings a kit in: what is new and what is different beside what is here. A lens that was measured stays measured.',
      body: kitSourceSchema,
      async handle(req, res) {
        const v = viewerOf(req);
        const kit = await kitFrom(req, must(kitSourceSchema, req.body) as Source);
        const here = await liveRecords(db, v.productionId);
        const lines = compareKit(kit.records, here);
        const { made, ids } = bringKit(kit.records, lines, here, () => randomUUID(), new Date().toISOString());
        await db.sequelize.transaction(async (transaction) => {
          for (const p of kit.pictures) await db.StoredFile.upsert({ productionId: v.productionId, ...p }, { transaction });
          for (const part of made) await writeRecord(db, v, part.kind, part.id, { mutationId: randomUUID(), baseVersion: 0, deleted: false, body: part.body }, transaction);
          for (const m of kit.measured) {
            const subjectId = ids.get(m.plateId);
            // a plate that is here has its own measuring
            if (!subjectId || !made.some((p) => p.id === subjectId)) continue;
            await db.AnalysisRow.create(
              {
                id: randomUUID(),
                productionId: v.productionId,
                kind: 'grid',
                subjectId,
                status: 'done',
                progress: 1,
                stage: 'done',
                input: m.input as never,
                outcome: m.outcome as never,
                error: null,
                finishedAt: NOW,
              },
              { transaction },
            );
          }
        });
        res.status(201).json({ lines });
      },
    },
  ];
}
