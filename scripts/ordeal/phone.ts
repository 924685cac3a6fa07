import { blankTake, type RecordBatch, type RecordKind, type RecordWrite, type SessionInfo, type TakeBody, type UploadedFile, type WriteAnswer } from '@mesure/contract';
import { createHash, randomUUID } from 'node:crypto';
import { ApiError, OfflineError } from '../../app/src/data/errors';
import { openLocalCopy } from '../../app/src/data/local-copy';
import { createRecordsStore } from '../../app/src/data/records-store';
import type { Line } from './line';
import type { Random } from './random';

/** Texts of a take that each change gives a value that no other one has. */
export const TEXTS = ['notes', 'clip', 'filter'] as const;
type Text = (typeof TEXTS)[number];

/** What a person meant, by the identity of its change: the fields, and what stood in them on this phone then. */
export interface Ledger {
  meant: Map<string, { by: string; saw: Partial<Record<Text, unknown>> }>;
  /** the server said that it has them */
  acknowledged: Set<string>;
  /** decided by a person who saw both sides, or made anew by that */
  decided: Set<string>;
  /** given up by such a decision */
  replaced: Set<string>;
  files: Map<string, Buffer>;
  jobs: Set<string>;
}
export const newLedger = (): Ledger => ({ meant: new Map(), acknowledged: new Set(), decided: new Set(), replaced: new Set(), files: new Map(), jobs: new Set() });

export interface Film {
  packageId: string;
  setupId: string;
  plateId: string;
}

/** A phone with the application's own store of records over a line that fails: what it does, a person could do. */
export function openPhone(name: string, session: SessionInfo, line: Line, random: Random, ledger: Ledger, film: () => Film) {
  const of = `/productions/${session.production.id}`;
  let count = 0;
  const make = () => {
    const local = openLocalCopy(`ordeal-${name}`);
    return createRecordsStore({
      api: {
        records: (_p, after = null, epoch = null) => {
          const asked = new URLSearchParams({ ...(after === null ? {} : { after: String(after) }), ...(epoch === null ? {} : { epoch }) }).toString();
          return line.call<RecordBatch>('GET', `${of}/records${asked ? `?${asked}` : ''}`);
        },
        write: async (_p, kind: RecordKind, id: string, write: RecordWrite) => {
          const answer = await line.call<WriteAnswer>('PUT', `${of}/records/${kind}/${id}`, write);
          ledger.acknowledged.add(write.mutationId);
          return answer;
        },
      },
      local: {
        ...local,
        async keepChanges(kept) {
          for (const { record, waiting } of kept) {
            const before = store.getState().records[record.id]?.body as TakeBody | undefined;
            ledger.meant.set(waiting.write.mutationId, { by: name, saw: Object.fromEntries(TEXTS.map((t) => [t, before?.[t] ?? null])) });
          }
          return local.keepChanges(kept);
        },
        async rebase(record, waiting, gone) {
          for (const w of waiting) ledger.decided.add(w.write.mutationId);
          return local.rebase(record, waiting, gone);
        },
      },
      productionId: session.production.id,
      author: session.name,
      newId: () => randomUUID(),
      now: () => new Date().toISOString(),
    });
  };
  let store = make();

  const takes = () => Object.values(store.getState().records).filter((r) => r.kind === 'take');
  const value = () => `${name} ${(count += 1)}`;

  async function decideOne(): Promise<void> {
    const item = store.getState().outbox.find((w) => w.state !== 'waiting');
    if (!item) return;
    const before = store.getState().outbox.filter((w) => w.recordId === item.recordId);
    await store.getState().decide(item.seq!, random.pick(['mine', 'theirs']));
    const after = new Set(store.getState().outbox.map((w) => w.write.mutationId));
    for (const w of before) if (!after.has(w.write.mutationId) && !ledger.acknowledged.has(w.write.mutationId)) ledger.replaced.add(w.write.mutationId);
  }

  /** In pieces, with the line as it is; given up after a while, as a phone that is put away. */
  async function give(): Promise<void> {
    const bytes = Buffer.from(`track,frame,x,y\n${Array.from({ length: 50 + random.below(3000) }, (_, i) => `1,${i + 1},${random.next().toFixed(9)},1`).join('\n')}\n`);
    const metadata = {
      'tus-resumable': '1.0.0',
      'upload-length': String(bytes.length),
      'upload-metadata': `name ${Buffer.from(`${value()}.csv`).toString('base64')},use ${Buffer.from('tracks').toString('base64')}`,
    };
    let where: string | null = null;
    for (let tries = 0; tries < 12; tries += 1) {
      try {
        if (where === null) where = (await line.ask('POST', `/api${of}/files/uploads`, metadata)).headers.get('location');
        if (where === null) continue;
        const head = await line.ask('HEAD', where, { 'tus-resumable': '1.0.0' });
        if (head.status === 404) where = null;
        if (head.status !== 200) continue;
        const at = Number(head.headers.get('upload-offset'));
        const to = Math.min(bytes.length, at + 1 + random.below(40_000));
        const r = await line.ask('PATCH', where!, { 'tus-resumable': '1.0.0', 'upload-offset': String(at), 'content-type': 'application/offset+octet-stream' }, bytes.subarray(at, to));
        if (r.status === 201) {
          const { sha256 } = JSON.parse(Buffer.from(r.body).toString('utf8')) as UploadedFile;
          if (sha256 !== createHash('sha256').update(bytes).digest('hex')) throw new Error(`a file came out as another one: ${sha256}`);
          ledger.files.set(sha256, bytes);
          return;
        }
      } catch (e) {
        if (!(e instanceof OfflineError)) throw e;
      }
    }
  }

  const ACTS = {
    log: async () =>
      void (await store
        .getState()
        .write('take', randomUUID(), { ...blankTake(film().setupId, '1A', { id: film().packageId, focalMm: 32 }, new Date().toISOString()), take: 1 + random.below(998), notes: value() }, 'logged')),
    change: async () => {
      const one = takes();
      if (one.length === 0) return;
      // mostly those that others change too
      const record = random.chance(0.7) ? one[random.below(Math.min(12, one.length))] : random.pick(one);
      const field = random.pick(TEXTS);
      await store.getState().write('take', record.id, (now) => ({ ...now, [field]: value() }), `changed ${field}`);
    },
    hide: async () => {
      const record = random.pick(takes());
      if (record) await store.getState().write('take', record.id, (now) => now, 'hidden', !record.deleted);
    },
    undo: async () => void (await store.getState().undo()),
    refresh: async () =>
      void (await store
        .getState()
        .refresh()
        .catch(() => undefined)),
    // the page dies: what was in memory is gone, and what was sent is on its way
    reload: async () => {
      store = make();
      await store.getState().open();
    },
    give,
    compute: async () => {
      try {
        // of a plate that is being measured already the answer is that job
        const job = await line.call<{ id: string }>('POST', `${of}/analyses`, { id: randomUUID(), kind: 'grid', subjectId: film().plateId, options: {} });
        ledger.jobs.add(job.id);
      } catch (e) {
        if (!(e instanceof OfflineError) && !(e instanceof ApiError)) throw e;
      }
    },
    decide: decideOne,
    offline: async () => {
      line.state.off = true;
      setTimeout(() => (line.state.off = false), 200 + random.below(1500));
    },
  };
  const WEIGHTS: Record<keyof typeof ACTS, number> = { log: 12, change: 48, hide: 4, undo: 5, refresh: 8, reload: 2, give: 3, compute: 1, decide: 10, offline: 1 };

  return {
    name,
    open: () => store.getState().open(),
    act: () => ACTS[random.weighted(WEIGHTS)](),
    write: (kind: RecordKind, id: string, body: object) => store.getState().write(kind, id, body as never, kind),
    waiting: () => store.getState().outbox.length,
    records: () => store.getState().records,
    /** once nothing fails any more: all is sent, all is decided, all is heard */
    async settle(): Promise<void> {
      line.state.off = false;
      line.state.cuts = false;
      for (let i = 0; i < 400; i += 1) {
        await store.getState().send();
        if (store.getState().outbox.some((w) => w.state !== 'waiting')) await decideOne();
        else if (store.getState().outbox.length === 0) break;
        else await new Promise((r) => setTimeout(r, 100));
      }
      await store.getState().refresh();
    },
    give: (bytes: Buffer, fileName: string, use: string) => giveWhole(line, of, bytes, fileName, use),
    line,
    of,
  };
}
export type Phone = ReturnType<typeof openPhone>;

async function giveWhole(line: Line, of: string, bytes: Buffer, name: string, use: string): Promise<UploadedFile> {
  const r = await line.ask(
    'POST',
    `/api${of}/files/uploads`,
    {
      'tus-resumable': '1.0.0',
      'upload-length': String(bytes.length),
      'upload-metadata': `name ${Buffer.from(name).toString('base64')},use ${Buffer.from(use).toString('base64')}`,
      'content-type': 'application/offset+octet-stream',
    },
    bytes,
  );
  if (r.status !== 201) throw new Error(`${name}: ${r.status} ${Buffer.from(r.body).toString('utf8')}`);
  return JSON.parse(Buffer.from(r.body).toString('utf8')) as UploadedFile;
}
