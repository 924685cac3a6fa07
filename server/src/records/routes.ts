import type { RecordKind, RecordWrite } from '@mesure/contract';
import { cursorSchema, kindSchema, writeSchema } from '@mesure/contract/schemas';
import type { Request } from 'express';
import { Op } from 'sequelize';
import type { Database } from '../db/connect';
import { sessionHolds, viewerOf } from '../http/guard';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { idParam, must, param } from '../http/validate';
import { changesAfter } from './changes';
import type { ChangeStream } from './stream';
import { writeAsViewer } from './write';

/** A text that is a cursor, or none. */
const cursorOf = (text: unknown): number | null => (text === undefined || text === '' ? null : (must(cursorSchema, Number(text)) as number));
const epochOf = (req: Request): string | null => (typeof req.query.epoch === 'string' ? req.query.epoch : null);

/** Each change is whole, before and after: a net of a thousand marks is 0.4 MB a change. */
const HISTORY_PAGE = 40;

export function recordRoutes(db: Database, stream: ChangeStream): Route[] {
  const kindOf = (req: Request) => must(kindSchema, param(req, 'kind')) as RecordKind;
  return [
    {
      method: 'get',
      path: '/records',
      access: 'read',
      what: 'Records that changed after a cursor (`?after=`) of this database (`?epoch=`); all of them without one.',
      async handle(req, res) {
        res.json(await changesAfter(db, viewerOf(req).productionId, cursorOf(req.query.after), epochOf(req)));
      },
    },
    {
      method: 'get',
      path: '/records/events',
      access: 'read',
      what: 'What others change, as server-sent events, from a cursor on.',
      async handle(req, res) {
        const v = viewerOf(req);
        // a page that lost the line says where it was
        const cursor = cursorOf(req.get('last-event-id') ?? req.query.after) ?? 0;
        await stream.listen(res, v.productionId, cursor, epochOf(req), () => sessionHolds(db, v));
      },
    },
    {
      method: 'put',
      path: '/records/:kind/:id',
      access: 'own',
      what: 'Makes or changes one record. Who may write which kind stands in the table of roles.',
      body: writeSchema,
      async handle(req, res) {
        const v = viewerOf(req);
        const kind = kindOf(req);
        const id = idParam(req);
        const write = must(writeSchema, req.body) as RecordWrite;
        const { created, ...answer } = await writeAsViewer(db, v, kind, id, write);
        res.status(created ? 201 : 200).json(answer);
      },
    },
    {
      method: 'get',
      path: '/records/:kind/:id/history',
      access: 'read',
      what: 'Changes of a record, oldest first: who, when, before, after. The last ones, or those before the version `?before=`; `earlier` says that there are more.',
      async handle(req, res) {
        const id = idParam(req);
        const entry = await db.Entry.findOne({ where: { id, productionId: viewerOf(req).productionId, kind: kindOf(req) } });
        if (!entry) throw new ApiProblem('NOT_FOUND', 'There is no such record.');
        const before = cursorOf(req.query.before);
        const found = await db.EntryChange.findAll({
          where: { productionId: viewerOf(req).productionId, recordId: id, ...(before === null ? {} : { version: { [Op.lt]: before } }) },
          order: [['version', 'DESC']],
          limit: HISTORY_PAGE + 1,
        });
        const changes = found.slice(0, HISTORY_PAGE).reverse();
        res.json({ earlier: found.length > HISTORY_PAGE, changes: changes.map((c) => ({ version: c.version, who: c.userName, when: c.changedAt.toISOString(), before: c.before, after: c.after })) });
      },
    },
  ];
}
