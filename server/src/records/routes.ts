import { idSchema, kindSchema, writeSchema, type RecordKind, type RecordWrite } from '@mesure/contract';
import { Router } from 'express';
import type { Database } from '../db/connect';
import { viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import { must } from '../http/validate';
import { toRecord } from './model';
import { writeRecord } from './service';

export function recordRoutes(db: Database): Router {
  const router = Router({ mergeParams: true });

  router.get('/', async (req, res) => {
    const entries = await db.Entry.findAll({
      where: { productionId: viewerOf(req).productionId },
      order: [
        ['updatedAt', 'ASC'],
        ['id', 'ASC'],
      ],
    });
    res.json({ records: entries.map(toRecord) });
  });

  router.put('/:kind/:id', async (req, res) => {
    const v = viewerOf(req);
    const kind = must(kindSchema, req.params.kind) as RecordKind;
    const id = must(idSchema, req.params.id) as string;
    const write = must(writeSchema, req.body) as RecordWrite;
    // a solver reads and judges; what was recorded on the day is the wrangler's and supervisor's to change
    if (v.role === 'solver') throw new ApiProblem('FORBIDDEN', 'A solver reads the record. Ask the wrangler or the supervisor for a change.');
    const { record, created } = await writeRecord(db, v, kind, id, write);
    res.status(created ? 201 : 200).json({ record });
  });

  router.get('/:kind/:id/history', async (req, res) => {
    const v = viewerOf(req);
    const id = must(idSchema, req.params.id) as string;
    const entry = await db.Entry.findOne({ where: { id, productionId: v.productionId, kind: must(kindSchema, req.params.kind) as RecordKind } });
    if (!entry) throw new ApiProblem('NOT_FOUND', 'There is no such record.');
    const changes = await db.EntryChange.findAll({ where: { recordId: id }, order: [['version', 'ASC']] });
    res.json({ changes: changes.map((c) => ({ version: c.version, who: c.userName, when: c.changedAt.toISOString(), before: c.before, after: c.after })) });
  });
  return router;
}
