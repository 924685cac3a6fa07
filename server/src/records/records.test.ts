import type { RecordBatch, StoredRecord } from '@mesure/contract';
import { randomUUID } from 'node:crypto';
import http from 'node:http';
import request from 'supertest';
import { PASSWORD, startTestServer, type Person, type TestServer } from '../test-server';

let server: TestServer;
let wrangler: Person;
let solver: Person;
beforeAll(async () => {
  server = await startTestServer({ worker: false });
  [wrangler, solver] = await Promise.all([server.signIn('wrangler'), server.signIn('solver')]);
});
afterAll(() => server.stop());
const put = (...args: [Person, string, string, object, object?]) => server.put(...args);
const set = (change: object = {}) => ({ name: 'Galley', marks: ['K1'], ...change });

describe('two people, one record', () => {
  test('different fields: both hold, and the answer says so', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, set()).expect(201);
    await put(wrangler, 'set', id, set({ name: 'Galley, north wall' }), { baseVersion: 1 }).expect(200);
    const r = await put(wrangler, 'set', id, set({ turn: { a: 'K1', b: 'K2', c: 'K3', left: true } }), { baseVersion: 1 }).expect(200);
    expect(r.body).toMatchObject({ merged: true, record: { version: 3, body: { name: 'Galley, north wall', turn: { left: true } } } });
  });
  test('marks that both added, and one that one took out', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, set({ marks: ['K1', 'K2'] }));
    await put(wrangler, 'set', id, set({ marks: ['K1', 'K2', 'K3'] }), { baseVersion: 1 }).expect(200);
    const r = await put(wrangler, 'set', id, set({ marks: ['K2', 'K4'] }), { baseVersion: 1 }).expect(200);
    expect(r.body.record.body.marks).toEqual(['K2', 'K3', 'K4']);
  });
  test('the same field: refused with both, who and when; nothing is written', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, set());
    await put(wrangler, 'set', id, set({ name: 'theirs', marks: ['K1', 'K9'] }), { baseVersion: 1 });
    const r = await put(wrangler, 'set', id, set({ name: 'mine' }), { baseVersion: 1 }).expect(409);
    expect(r.body).toMatchObject({ clashes: [{ field: 'name', who: 'wrangler' }], base: { body: { name: 'Galley' } }, current: { body: { name: 'theirs' }, version: 2 } });
    expect(r.body.clashes[0].when).toBe(r.body.current.updatedAt);
    expect(await server.db.EntryChange.count({ where: { recordId: id } })).toBe(2);
  });
  test('one hides what the other changes: asked, whichever came first', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, set());
    await put(wrangler, 'set', id, set(), { baseVersion: 1, deleted: true });
    expect((await put(wrangler, 'set', id, set({ name: 'kept' }), { baseVersion: 1 }).expect(409)).body.clashes[0].field).toBe('deleted');
    const other = randomUUID();
    await put(wrangler, 'set', other, set());
    await put(wrangler, 'set', other, set({ name: 'noted' }), { baseVersion: 1 });
    expect((await put(wrangler, 'set', other, set(), { baseVersion: 1, deleted: true }).expect(409)).body.clashes[0].field).toBe('deleted');
  });
  test('two changes that are right alone and wrong together are asked about', async () => {
    const [setId, id] = [randomUUID(), randomUUID()];
    await put(wrangler, 'set', setId, set());
    const tie = { setId, from: 'K1', to: 'K2', length: { typed: '1 m', unit: 'm', valueM: 1, toleranceM: 0.01 }, instrument: 'tape', measuredAt: '2026-11-23T09:00:00.000Z' };
    await put(wrangler, 'tie', id, tie).expect(201);
    await put(wrangler, 'tie', id, { ...tie, from: 'K3' }, { baseVersion: 1 }).expect(200);
    await put(wrangler, 'tie', id, { ...tie, to: 'K3' }, { baseVersion: 1 }).expect(409);
  });
  test('a repeated change is answered with what it left, not with what came later', async () => {
    const [id, mutationId] = [randomUUID(), randomUUID()];
    await put(wrangler, 'set', id, set());
    await put(wrangler, 'set', id, set({ name: 'first' }), { baseVersion: 1, mutationId });
    await put(wrangler, 'set', id, set({ name: 'later' }), { baseVersion: 2 });
    const r = await put(wrangler, 'set', id, set({ name: 'first' }), { baseVersion: 1, mutationId }).expect(200);
    expect(r.body.record).toMatchObject({ version: 2, body: { name: 'first' } });
  });
  test('a chain of changes from one device goes through although another changed the record between: only a field that both changed is asked about', async () => {
    const [id, first, second] = [randomUUID(), randomUUID(), randomUUID()];
    await put(wrangler, 'set', id, set());
    const theirs = { a: 'K1', b: 'K2', c: 'K3', left: true };
    await put(wrangler, 'set', id, set({ turn: theirs }), { baseVersion: 1 });
    // made offline, one on the other, before their change was seen
    await put(wrangler, 'set', id, set({ name: 'mine' }), { baseVersion: 1, mutationId: first }).expect(200);
    const r = await put(wrangler, 'set', id, set({ name: 'mine again' }), { baseVersion: 2, mutationId: second, follows: first }).expect(200);
    expect(r.body.record).toMatchObject({ version: 4, body: { name: 'mine again', turn: theirs } });
    // their field, changed here too without having been seen
    const clash = await put(wrangler, 'set', id, set({ name: 'mine again', turn: null }), { baseVersion: 3, follows: second }).expect(409);
    expect(clash.body.clashes.map((c: { field: string }) => c.field)).toEqual(['turn']);
    expect(clash.body.current.body.turn).toEqual(theirs);
  });
  test('a version that never was is refused', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, set());
    expect((await put(wrangler, 'set', id, set({ name: 'x' }), { baseVersion: 7 }).expect(409)).body.base).toBeUndefined();
    expect((await put(wrangler, 'set', randomUUID(), set(), { baseVersion: 3 }).expect(409)).body.current).toBeNull();
  });
});

describe('who said it, and when', () => {
  const at = () => new Date().toISOString();
  const remarkOn = async (change: object = {}) => ({
    about: 'setup',
    aboutId: (await server.layDay(wrangler)).setup,
    field: null,
    text: 'Is the base level?',
    by: 'wrangler',
    at: at(),
    answer: null,
    ...change,
  });

  test('is signed by the server: nobody speaks in another’s name, and a signature that stands is not changed', async () => {
    const id = randomUUID();
    const remark = await remarkOn();
    const told = (await put(solver, 'remark', id, { ...remark, by: 'wrangler' }).expect(201)).body.record.body;
    expect(told.by).toBe('solver for wrangler');
    const own = (await put(solver, 'remark', randomUUID(), { ...remark, by: 'solver' }).expect(201)).body.record.body;
    expect([own.by, own.at]).toEqual(['solver', remark.at]);
    // the answer is the wrangler's, the question stays the solver's, whoever sends it
    const answer = { text: 'By a level.', by: 'wrangler', at: at() };
    const answered = (await put(wrangler, 'remark', id, { ...told, by: 'wrangler', answer }, { baseVersion: 1 }).expect(200)).body.record.body;
    expect([answered.by, answered.answer]).toEqual(['solver for wrangler', answer]);
    const later = (await put(wrangler, 'remark', id, { ...answered, text: 'Is the base really level?' }, { baseVersion: 2 }).expect(200)).body.record.body;
    expect(later.answer).toEqual(answer);
  });

  test('a time that no clock of today shows is the server’s', async () => {
    for (const [claimed, stays] of [
      ['1970-01-01T00:00:00.000Z', false],
      ['9999-12-31T00:00:00.000Z', false],
      [new Date(Date.now() + 3_600_000).toISOString(), false],
      [new Date(Date.now() - 5 * 86_400_000).toISOString(), true],
    ] as const) {
      const { at: kept } = (await put(wrangler, 'remark', randomUUID(), await remarkOn({ at: claimed })).expect(201)).body.record.body as { at: string };
      expect([claimed, kept === claimed]).toEqual([claimed, stays]);
      if (!stays) expect(Math.abs(Date.parse(kept) - Date.now())).toBeLessThan(60_000);
    }
  });

  test('a day is closed by who closes it', async () => {
    const supervisor = await server.signIn('supervisor');
    const id = randomUUID();
    const day = { name: 'Day 3', date: '2026-11-26' };
    await put(supervisor, 'day', id, day).expect(201);
    const closed = (await put(supervisor, 'day', id, { ...day, closed: { by: 'owner', at: at() } }, { baseVersion: 1 }).expect(200)).body.record.body.closed;
    expect(closed.by).toBe('supervisor for owner');
    expect((await put(supervisor, 'day', id, { ...day, name: 'Day three', closed }, { baseVersion: 2 }).expect(200)).body.record.body.closed).toEqual(closed);
  });
});

describe('files that a record names', () => {
  test('only those that the production was given itself: of another’s it is said what is said of none', async () => {
    const day = await server.layDay(wrangler);
    const [mine, theirs] = [await server.own('slate.jpg'), await server.own('secret.jpg', server.ids.p2)];
    const nobody = { sha256: '0123456789abcdef'.repeat(4), name: 'secret.jpg' };
    const id = randomUUID();
    await put(wrangler, 'take', id, { ...day.take(1), pictures: [mine] }).expect(201);
    const answers = await Promise.all([theirs, nobody].map((file) => put(wrangler, 'take', randomUUID(), { ...day.take(2), pictures: [mine, file] }).expect(422)));
    expect(answers.map((r) => [r.body.code, r.body.detail, r.body.files.map((f: { name: string }) => f.name)])).toEqual(
      Array.from({ length: 2 }, () => ['FILE_MISSING', 'secret.jpg: this production was not given this file. Give it again.', ['secret.jpg']]),
    );
    for (const change of [{ tracks: theirs }, { pictures: [mine, theirs] }])
      expect((await put(wrangler, 'take', id, { ...day.take(1), pictures: [mine], ...change }, { baseVersion: 1 })).body.code).toBe('FILE_MISSING');
    expect(await server.db.EntryChange.count({ where: { recordId: id } })).toBe(1);
  });

  test('what a record named before stays with it, though the file is gone meanwhile', async () => {
    const day = await server.layDay(wrangler);
    const lost = await server.own('lost.jpg');
    const id = randomUUID();
    await put(wrangler, 'take', id, { ...day.take(3), pictures: [lost] }).expect(201);
    await server.db.StoredFile.destroy({ where: { sha256: lost.sha256 } });
    await put(wrangler, 'take', id, { ...day.take(3), pictures: [lost], notes: 'flare' }, { baseVersion: 1 }).expect(200);
    expect((await put(wrangler, 'take', randomUUID(), { ...day.take(4), pictures: [lost] })).body.code).toBe('FILE_MISSING');
  });
});

describe('whose record', () => {
  test('a person’s preferences are that person’s, also a solver’s; the production’s fields stand under its id', async () => {
    const { ids } = server;
    await put(solver, 'person', ids.solver, { lengthUnit: 'ft-in' }).expect(201);
    expect((await put(wrangler, 'person', ids.solver, { lengthUnit: 'm' }, { baseVersion: 1 })).body.code).toBe('FORBIDDEN');
    await put(wrangler, 'floor', ids.p1, { shown: ['clip'], clips: [{ camera: 'A', pattern: 'A012C###' }] }).expect(201);
    await put(wrangler, 'floor', randomUUID(), { shown: [], clips: [] }).expect(422);
    const bad = await put(wrangler, 'floor', ids.p1, { shown: [], clips: [{ camera: 'A', pattern: 'A012' }] }, { baseVersion: 1 }).expect(422);
    expect(bad.body.fields[0]).toMatchObject({ field: 'clips.0.pattern' });
  });
});

describe('an id that somebody else has used', () => {
  test('in a film of his own takes nothing from the film in which it was meant; each has its own record and history', async () => {
    const stranger = await server.signIn('stranger');
    const id = randomUUID();
    const mutationId = randomUUID();
    const at = (production: string) => `/api/productions/${production}/records/set/${id}`;
    const theirs = { mutationId, baseVersion: 0, deleted: false, body: set({ name: 'squatted' }) };
    await stranger.agent.put(at(server.ids.p2)).set('x-csrf-token', stranger.csrf).send(theirs).expect(201);
    // the same id, and even the same change id
    await put(wrangler, 'set', id, set({ name: 'ours' }), { mutationId }).expect(201);
    await put(wrangler, 'set', id, set({ name: 'ours, changed' }), { baseVersion: 1 }).expect(200);
    const told = async (who: Person, production: string) => {
      const { records } = (await who.agent.get(`/api/productions/${production}/records`).expect(200)).body as RecordBatch;
      const { changes } = (await who.agent.get(`${at(production)}/history`).expect(200)).body as { changes: { version: number; who: string }[] };
      return [records.filter((r) => r.id === id).map((r) => [(r.body as { name: string }).name, r.version]), changes.map((c) => [c.version, c.who])];
    };
    expect(await told(stranger, server.ids.p2)).toEqual([[['squatted', 1]], [[1, 'stranger']]]);
    expect(await told(wrangler, server.ids.p1)).toEqual([
      [['ours, changed', 2]],
      [
        [1, 'wrangler'],
        [2, 'wrangler'],
      ],
    ]);
    // another kind under an id of one’s own film stays refused
    expect((await put(wrangler, 'day', id, { name: 'Day 9', date: '2026-11-02', unit: 'main' })).status).toBe(404);
  });
  test('what a production and a person have under their own ids cannot be had by a stranger, and a person prefers something in each film', async () => {
    const stranger = await server.signIn('stranger');
    const of = (production: string, kind: string, id: string) => `/api/productions/${production}/records/${kind}/${id}`;
    const send = (who: Person, address: string, body: object) => who.agent.put(address).set('x-csrf-token', who.csrf).send({ mutationId: randomUUID(), baseVersion: 0, deleted: false, body });
    // the id of the other film’s fields, under a kind that takes any id
    await send(stranger, of(server.ids.p2, 'set', server.ids.guest), set()).expect(201);
    const guest = await server.signIn('guest');
    await send(guest, of(server.ids.p1, 'person', server.ids.guest), { lengthUnit: 'ft-in' }).expect(201);
    await server.db.Membership.create({ userId: server.ids.supervisor, productionId: server.ids.p2, role: 'wrangler' });
    const supervisor = await server.signIn('supervisor');
    await send(supervisor, of(server.ids.p1, 'person', server.ids.supervisor), { lengthUnit: 'ft-in' }).expect(201);
    await send(supervisor, of(server.ids.p2, 'person', server.ids.supervisor), { lengthUnit: 'cm' }).expect(201);
    expect((await supervisor.agent.get('/api/account/data').expect(200)).body.preferences).toEqual(
      expect.arrayContaining([
        { production: 'One', lengthUnit: 'ft-in' },
        { production: 'Two', lengthUnit: 'cm' },
      ]),
    );
    await server.db.Membership.destroy({ where: { userId: server.ids.supervisor, productionId: server.ids.p2 } });
  });
});

describe('changes after a cursor', () => {
  const after = async (cursor?: number): Promise<RecordBatch> => (await wrangler.agent.get(server.at(`/records${cursor === undefined ? '' : `?after=${cursor}`}`)).expect(200)).body;
  test('only what changed, each record once, as it is now', async () => {
    const id = randomUUID();
    await put(wrangler, 'set', id, set());
    const first = await after();
    expect(first.whole).toBe(true);
    expect(await after(first.cursor)).toEqual({ records: [], cursor: first.cursor, whole: false, epoch: first.epoch });
    await put(wrangler, 'set', id, set({ name: 'two' }), { baseVersion: 1 });
    await put(wrangler, 'set', id, set({ name: 'three' }), { baseVersion: 2 });
    const next = await after(first.cursor);
    expect(next.records).toMatchObject([{ id, version: 3, body: { name: 'three' } }]);
    expect((await after(next.cursor)).records).toEqual([]);
    // a cursor of another database: everything again
    expect((await after(next.cursor + 1000)).whole).toBe(true);
  });
  test.each(['-1', '1.5', 'x', '9007199254740993', '%00'])('the cursor %s is refused', async (cursor) => {
    await wrangler.agent.get(server.at(`/records?after=${cursor}`)).expect(422);
  });
  test('many writers at once: following the cursor misses nothing', async () => {
    const seen = new Map<string, number>();
    let cursor = (await after()).cursor;
    const ids = Array.from({ length: 40 }, () => randomUUID());
    let writing = true;
    const reader = (async () => {
      for (;;) {
        const last = !writing;
        const batch = await after(cursor);
        batch.records.forEach((r) => seen.set(r.id, r.version));
        cursor = batch.cursor;
        if (last) return;
      }
    })();
    await Promise.all(
      ids.map(async (id) => {
        await put(wrangler, 'set', id, set());
        await put(wrangler, 'set', id, set({ name: 'again' }), { baseVersion: 1 });
      }),
    );
    writing = false;
    await reader;
    expect(ids.map((id) => seen.get(id))).toEqual(ids.map(() => 2));
  });
});

describe('server-sent events', () => {
  /** Opens the stream as a page does; gives the batches as they come. */
  function listen(cookie: string, headers: Record<string, string> = {}) {
    const batches: RecordBatch[] = [];
    const state = { status: 0, ended: false, lastId: '' };
    const request = http.get(`${server.address}${server.at('/records/events')}`, { headers: { cookie, ...headers } }, (res) => {
      state.status = res.statusCode!;
      let text = '';
      res.setEncoding('utf8');
      res.on('data', (part: string) => {
        text += part;
        for (let end = text.indexOf('\n\n'); end >= 0; end = text.indexOf('\n\n')) {
          const event = text.slice(0, end);
          text = text.slice(end + 2);
          // the heartbeat is an event too
          const data = /^event: records$/m.test(event) ? /^data: (.*)$/m.exec(event) : null;
          if (data) batches.push(JSON.parse(data[1]) as RecordBatch);
          state.lastId = /^id: (.*)$/m.exec(event)?.[1] ?? state.lastId;
        }
      });
      res.on('end', () => (state.ended = true));
    });
    request.on('error', () => undefined);
    return { batches, state, close: () => request.destroy() };
  }
  const until = async (what: () => boolean, ms = 2000) => {
    const started = Date.now();
    while (!what() && Date.now() - started < ms) await new Promise((r) => setTimeout(r, 10));
    return Date.now() - started;
  };
  const cookieOf = async (name: string) => {
    const r = await request(server.address).post('/api/session').send({ name, password: PASSWORD });
    return (r.headers['set-cookie'] as unknown as string[])[0].split(';')[0];
  };
  const records = (l: { batches: RecordBatch[] }): StoredRecord[] => l.batches.flatMap((b) => b.records);

  test('a change arrives within two seconds, and only at the production’s own people', async () => {
    const cursor = String((await wrangler.agent.get(server.at('/records'))).body.cursor);
    const mine = listen(await cookieOf('solver'), { 'last-event-id': cursor });
    const stranger = listen(await cookieOf('stranger'));
    const nobody = listen('');
    await until(() => mine.state.status !== 0 && stranger.state.status !== 0 && nobody.state.status !== 0);
    expect([mine.state.status, stranger.state.status, nobody.state.status]).toEqual([200, 404, 401]);
    const id = randomUUID();
    await put(wrangler, 'set', id, set({ name: 'told' }));
    expect(await until(() => records(mine).some((r) => r.id === id))).toBeLessThan(2000);
    expect(records(mine)).toMatchObject([{ id, body: { name: 'told' } }]);
    mine.close();
  });

  test('what is written while pages connect is heard by each of them, one batch after the other', async () => {
    const cookie = await cookieOf('solver');
    const first = listen(cookie);
    await until(() => first.batches.length > 0);
    first.close();
    const ids = Array.from({ length: 16 }, () => randomUUID());
    const pages: ReturnType<typeof listen>[] = [];
    const writes = ids.map(async (id, i) => {
      await new Promise((r) => setTimeout(r, 25 * i));
      if (i % 3 === 0) pages.push(listen(cookie, { 'last-event-id': first.state.lastId }));
      await put(wrangler, 'set', id, set({ name: `set ${i}` }));
    });
    await Promise.all(writes);
    for (const page of pages) {
      await until(() => ids.every((id) => records(page).some((r) => r.id === id)));
      // a record may come once more with the next batch; no batch is told twice, and none of before after a later one
      const cursors = page.batches.map((q) => q.cursor);
      expect(cursors).toEqual([...new Set(cursors)].sort((m, n) => m - n));
      expect(ids.filter((id) => !records(page).some((r) => r.id === id))).toEqual([]);
      page.close();
    }
  });

  test('a page that lost the line hears what it missed when it is back', async () => {
    const cookie = await cookieOf('solver');
    const first = listen(cookie);
    await until(() => first.batches.length > 0);
    first.close();
    const missed = randomUUID();
    await put(wrangler, 'set', missed, set({ name: 'while away' }));
    const second = listen(cookie, { 'last-event-id': first.state.lastId });
    await until(() => second.batches.length > 0);
    expect([...new Set(records(second).map((r) => r.id))]).toEqual([missed]);
    second.close();
  });
});
