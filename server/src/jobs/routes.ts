import { filesNamed, type Analysis, type AnalysisChoice, type AnalysisKind } from '@mesure/contract';
import { analysisSchema } from '@mesure/contract/schemas';
import type PgBoss from 'pg-boss';
import { NOW } from '../db/clock';
import type { Database } from '../db/connect';
import { viewerOf } from '../http/guard';
import { ownFiles } from '../files/own';
import { ApiProblem } from '../http/problem';
import type { Route } from '../http/route';
import { idParam, must } from '../http/validate';
import { buildInput } from './inputs';
import { newestOf, toAnalysis, type AnalysisRow } from './model';
import { enqueueAnalysis } from './queue';
import { staleOf } from './stale';
import { aheadOf, KIND_LIMITS, openAlready, turnOf } from './turns';

/** Nobody compares with what was forty solves ago. */
const MOST_EARLIER = 40;

export function analysisRoutes(db: Database, boss: PgBoss): Route[] {
  return [
    // the whole outcome only on request, since a solve is large
    {
      method: 'get',
      path: '/analyses',
      access: 'read',
      what: 'The newest computation of each subject and kind, without what is large in them; one that was stopped only where there is no other.',
      handle: async (req, res) => {
        const { productionId } = viewerOf(req);
        const newest = await newestOf(db, productionId);
        const stale = await staleOf(db, productionId, newest);
        const ahead = await aheadOf(
          db,
          newest.filter((row) => row.status === 'queued').map((row) => row.id),
        );
        res.json({ analyses: newest.map((row) => ({ ...toAnalysis(row), stale: stale.get(row.id) ?? null, ...(ahead.has(row.id) ? { ahead: ahead.get(row.id)! } : {}) })) });
      },
    },

    {
      method: 'get',
      path: '/analyses/of/:id',
      access: 'read',
      what: 'All computations of one subject that came to an end well, newest first, without what is large in them; the last 40.',
      handle: async (req, res) => {
        const where = { productionId: viewerOf(req).productionId, subjectId: idParam(req), status: 'done' as const };
        const rows = await db.AnalysisRow.findAll({ attributes: { exclude: ['input', 'outcome'] }, where, order: [['createdAt', 'DESC']], limit: MOST_EARLIER });
        res.json({ analyses: rows.map(toAnalysis) });
      },
    },

    {
      method: 'get',
      path: '/analyses/:id',
      access: 'read',
      what: 'One computation with its whole outcome.',
      handle: async (req, res) => {
        res.json(await placed(await mine(idParam(req), viewerOf(req).productionId)));
      },
    },

    {
      method: 'post',
      path: '/analyses',
      access: 'compute',
      what: 'Starts a computation. Asked twice with one id it is started once.',
      body: analysisSchema,
      handle: async (req, res) => {
        const { productionId, userId: askedBy } = viewerOf(req);
        const asked = must(analysisSchema, req.body) as { id: string; kind: AnalysisKind; subjectId: string; options?: AnalysisChoice };
        const before = await db.AnalysisRow.findByPk(asked.id);
        if (before) {
          if (before.productionId !== productionId) throw new ApiProblem('NOT_FOUND', 'There is no such analysis.');
          res.json(await placed(before));
          return;
        }
        const input = await buildInput(db, productionId, asked.kind, asked.subjectId, asked.options ?? {});
        await mustBeOwn(db, productionId, filesNamed(input));
        const row = await db.sequelize.transaction(async (transaction) => {
          const open = await openAlready(db, productionId, input, asked.subjectId, transaction);
          if (open) return open;
          const priority = await turnOf(db, asked.kind, askedBy, transaction);
          const made = await db.AnalysisRow.create(
            { id: asked.id, productionId, kind: asked.kind, subjectId: asked.subjectId, status: 'queued', input, outcome: null, error: null, finishedAt: null, askedBy, priority },
            { transaction },
          );
          await enqueueAnalysis(boss, made.id, { transaction, priority, seconds: KIND_LIMITS[asked.kind].seconds });
          return made;
        });
        res.status(202).json(await placed(row));
      },
    },

    {
      method: 'post',
      path: '/analyses/:id/stop',
      access: 'compute',
      what: 'Stops a computation that waits or runs.',
      handle: async (req, res) => {
        const row = await mine(idParam(req), viewerOf(req).productionId);
        // one that waits stops at once; one that runs is stopped by its worker
        const [stopped] = await db.AnalysisRow.update({ status: 'stopped', finishedAt: NOW, stage: 'stopped' }, { where: { id: row.id, status: 'queued' } });
        if (stopped === 0) await db.AnalysisRow.update({ stopRequested: true }, { where: { id: row.id, status: 'running' } });
        await row.reload();
        res.json(toAnalysis(row));
      },
    },
  ];

  /** with how many are before it, while it waits */
  async function placed(row: AnalysisRow): Promise<Analysis> {
    const ahead = row.status === 'queued' ? (await aheadOf(db, [row.id])).get(row.id) : undefined;
    return { ...toAnalysis(row), ...(ahead === undefined ? {} : { ahead }) };
  }

  async function mine(id: string, productionId: string) {
    const row = await db.AnalysisRow.findOne({ where: { id, productionId } });
    if (!row) throw new ApiProblem('NOT_FOUND', 'There is no such analysis.');
    return row;
  }
}

/** A computation opens no file that its production was not given. */
async function mustBeOwn(db: Database, productionId: string, files: readonly { sha256: string; name: string }[]): Promise<void> {
  const own = await ownFiles(
    db,
    productionId,
    files.map((f) => f.sha256),
  );
  const absent = files.find((f) => !own.has(f.sha256));
  if (absent) throw new ApiProblem('NOT_READY', `${absent.name} is not here yet. The entry is safe; give the file, or wait until it was sent.`);
}
