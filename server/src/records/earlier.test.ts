import { inOrderOfReference, KINDS, RECORD_KINDS, type RecordKind, type StoredRecord } from '@mesure/contract';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { startTestServer, type Person, type TestServer } from '../test-server';

/** A phone that was away for weeks comes back with what an earlier version wrote, and the server is the newest. */
const DIR = path.resolve(__dirname, '../../fixtures');
const OUTBOXES = readdirSync(DIR).filter((f) => f.endsWith('.json'));
interface Outbox {
  production: string;
  waiting: { kind: RecordKind; id: string; body: Record<string, unknown> }[];
}
const servers: TestServer[] = [];
afterAll(() => Promise.all(servers.map((s) => s.stop())));
async function server(): Promise<{ server: TestServer; owner: Person }> {
  const one = await startTestServer({ worker: false });
  servers.push(one);
  return { server: one, owner: await one.signIn('owner') };
}
/** The server's to say, see `signNew`. */
const SIGNED = ['by', 'at'];
/** Every value that was sent, wherever the newest version keeps more beside it. */
const within = (sent: unknown): unknown => {
  if (Array.isArray(sent)) return sent.map(within);
  if (typeof sent !== 'object' || sent === null) return sent;
  return expect.objectContaining(Object.fromEntries(Object.entries(sent).flatMap(([k, v]) => (SIGNED.includes(k) ? [] : [[k, within(v)]]))));
};

test('there are some, of versions long past', () => expect(OUTBOXES.length).toBeGreaterThanOrEqual(3));

test.each(OUTBOXES)('the outbox %s is taken whole, nothing of it is lost, and its phone goes on', async (name) => {
  const { production, waiting } = JSON.parse(readFileSync(path.join(DIR, name), 'utf8')) as Outbox;
  const { server: s, owner } = await server();
  const own = (id: string) => (id === production ? s.ids.p1 : id);
  const sent = inOrderOfReference(waiting as unknown as StoredRecord[]) as unknown as Outbox['waiting'];
  for (const { kind, id, body } of sent) {
    await s.ownAll(body);
    const answer = await s.put(owner, kind, own(id), body);
    expect([kind, body.name ?? id, answer.status, answer.body.detail]).toEqual([kind, body.name ?? id, 201, undefined]);
  }
  const stored = new Map(((await owner.agent.get(s.at('/records')).expect(200)).body as { records: StoredRecord[] }).records.map((r) => [r.id, r]));
  for (const { kind, id, body } of sent) expect([kind, stored.get(own(id))!.body]).toEqual([kind, within(body)]);
  // it changes its takes as it knows them, with the body that it has
  for (const take of sent.filter((w) => w.kind === 'take')) {
    const changed = { ...take.body, notes: 'from the phone that was away' };
    await s.put(owner, 'take', take.id, changed, { baseVersion: 1 }).expect(200);
    // sent on a version that was changed since: another's field stays beside its own
    expect((await s.put(owner, 'take', take.id, { ...changed, circled: true }, { baseVersion: 1 })).body.record.body).toMatchObject({ circled: true, notes: 'from the phone that was away' });
  }
});

test('each kind that a phone may send is in the newest of them', () => {
  const { waiting } = JSON.parse(readFileSync(path.join(DIR, OUTBOXES.sort().at(-1)!), 'utf8')) as Outbox;
  const kinds = new Set(waiting.map((w) => w.kind));
  // what a person prefers stands under the id of one's own, and a handover is the server's to write
  expect(RECORD_KINDS.filter((k) => !kinds.has(k) && k !== 'person' && KINDS[k].byServer !== true)).toEqual([]);
});
