import { type RecordKind, type RecordWrite } from '@mesure/contract';
import { cursorSchema, idSchema, kindSchema, writeSchema } from '@mesure/contract/schemas';
import { Router } from 'express';
import type { Database } from '../db/connect';
import { sessionHolds, viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import { must } from '../http/validate';
import { changesAfter } from './changes';
import { writeRecord } from './service';
import type { ChangeStream } from './stream';

/** A text that is a cursor, or none. */
const cursorOf = (text: unknown): number | null => (text === undefined || text === '' ? null : (must(cursorSchema, Number(text)) as number));

export function recordRoutes(db: Database, stream: ChangeStream): Router {
  const router = Router({ mergeParams: true });

  router.get('/', async (req, res) => {
    res.json(await changesAfter(db, viewerOf(req).productionId, cursorOf(req.query.after)));
  });

  router.get('/events', async (req, res) => {
    const v = viewerOf(req);
    // a page that lost the line says where it was
    const cursor = cursorOf(req.get('last-event-id') ?? req.query.after) ?? 0;
    await stream.listen(res, v.productionId, cursor, () => sessionHolds(db, v));
  });

  router.put('/:kind/:id', async (req, res) => {
    const v = viewerOf(req);
    const kind = must(kindSchema, req.params.kind) as RecordKind;
    const id = must(idSchema, req.params.id) as string;
    const write = must(writeSchema, req.body) as RecordWrite;
    // a solver reads and judges; what was recorded on the day is the wrangler's and supervisor's to change
    if (v.role === 'solver' && kind !== 'person') throw new ApiProblem('FORBIDDEN', 'A solver reads the record. Ask the wrangler or the supervisor for a change.');
    if (kind === 'person' && id !== v.userId) throw new ApiProblem('FORBIDDEN', 'What a person prefers is that person’s to choose.');
    if (kind === 'floor' && id !== v.productionId)
      throw new ApiProblem('INVALID', 'A production has one choice of fields, under its own id.', { fields: [{ field: 'id', message: 'must be the production’s' }] });
    const { created, ...answer } = await writeRecord(db, v, kind, id, write);
    res.status(created ? 201 : 200).json(answer);
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
