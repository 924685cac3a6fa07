import { RECORD_KINDS, type RecordKind } from '@mesure/contract';
import fc from 'fast-check';
import { randomUUID } from 'node:crypto';
import { readdirSync } from 'node:fs';
import path from 'node:path';
import request from 'supertest';
import { scenario } from '../../demo/src/scenario';
import { startTestServer, type Person, type TestServer } from './test-server';

/** Any input on any address: an answer of its own and never a fault of the server's, and what was refused left nothing behind. */
let server: TestServer, wrangler: Person;
const LOOK = { widthPx: 960, heightPx: 640, zones: Array.from({ length: 9 }, () => ({ downPx: 1, acrossPx: null })), burntShare: 0, lostShare: 0, features: 'AAAA' };
const sha = (digit: string) => digit.repeat(64);
/** One valid body of each kind that a day has, under ids of its own. */
const seeds = scenario({
  ...{
    tracksGalley: sha('a'),
    tracksJetty: sha('b'),
    tracksPassage: sha('c'),
    plate32: sha('d'),
    plate25: sha('e'),
    room: sha('6'),
    lineUp: sha('f'),
    lineUpCrane: sha('f'),
    moveJetty: sha('e'),
    lens18: sha('5'),
    recce: sha('7'),
    slate: sha('8'),
    clipStove: sha('b'),
    tracksStove: sha('c'),
  },
  kinds: { whip: sha('a'), zoom: sha('a'), boat: sha('a'), carried: sha('a'), witness: sha('a'), crane: sha('a'), anamorphic: sha('a'), looking: sha('a') },
  zoom: ['1', '2', '3', '4', '5'].map(sha),
  recceDetail: { corners: 300, spread: 1 },
  stills: [{ sha256: sha('9'), name: 's.jpg', station: 0, notes: null, look: LOOK }],
  boat: [{ sha256: sha('9'), name: 'b.jpg', station: 0, widthPx: 960, heightPx: 640, notes: null, look: LOOK, marks: [{ mark: 'O1', x: 100.5, y: 200.25 }] }],
  panorama: [{ sha256: sha('0'), name: 'p.jpg', seconds: 0.01 }],
}).filter((s) => s.kind !== 'floor' && s.kind !== 'person');

beforeAll(async () => {
  server = await startTestServer({ worker: false });
  wrangler = await server.signIn('wrangler');
  const owner = await server.signIn('owner');
  await server.ownAll(seeds.map((s) => s.body));
  for (const s of seeds) await server.put(s.kind === 'production' ? owner : wrangler, s.kind, s.id, s.body).expect(201);
});
afterAll(() => server?.stop());

const RUNS = Number(process.env.MESURE_RUNS ?? 120);
const runs = (numRuns = RUNS) => ({ numRuns, seed: Number(process.env.MESURE_SEED ?? 11) });
/** Everything that a refused request must not touch. */
const held = async () =>
  JSON.stringify([
    await server.db.Entry.count(),
    await server.db.EntryChange.count(),
    await server.db.StoredFile.count(),
    await server.db.AnalysisRow.count(),
    await server.db.Entry.sum('version'),
    readdirSync(path.join(server.dir, 'incoming')),
  ]);
/** Half a character cannot stand in an address. */
const inAddress = (text: string) => encodeURIComponent(text.replace(/[\ud800-\udfff]/g, '?'));
const withToken = (r: request.Test) => r.set('x-csrf-token', wrangler.csrf);

async function answered(ask: () => request.Test, mayTake: boolean): Promise<void> {
  const before = await held();
  const r = await ask();
  expect(r.status).toBeLessThan(500);
  // the upload protocol answers some faults in plain words
  if (r.status >= 400 && r.type.includes('json')) expect(r.body).toMatchObject({ status: r.status, code: expect.stringMatching(/^[A-Z_]+$/), detail: expect.stringMatching(/./) });
  if (r.status >= 400 || !mayTake) expect(await held()).toBe(before);
}

/** Words with everything that a text may hold: no character, half of one, controls, addresses and quotes. */
const anyText = fc.oneof(
  fc.string({ unit: 'binary', maxLength: 40 }),
  fc.string({ maxLength: 40 }),
  fc.constantFrom('', '\u0000', 'a\u0000b', '\ud800', '../..', "'; drop table entries; --", '%00', '1e999', '-0', 'null'),
);
const anyNumber = fc.oneof(fc.double(), fc.integer(), fc.constantFrom(1e308, -1e308, 5e-324, -0, 2 ** 53, 2 ** 31, -1));
const anyValue = fc.oneof({ weight: 3, arbitrary: anyText }, { weight: 3, arbitrary: anyNumber }, fc.boolean(), fc.constant(null), fc.jsonValue({ maxDepth: 2 }), fc.array(anyText, { maxLength: 3 }));

/** A body with one place of it changed to anything, taken out, or with something put beside it. */
const spoilt = (body: object): fc.Arbitrary<object> =>
  fc.tuple(fc.nat(), anyValue, fc.constantFrom('change', 'take out', 'add', 'repeat')).map(([at, value, how]) => {
    const copy = structuredClone(body) as Record<string, unknown>;
    const places: { of: Record<string, unknown>; key: string }[] = [];
    const walk = (of: Record<string, unknown>) => {
      for (const key of Object.keys(of)) {
        places.push({ of, key });
        if (of[key] !== null && typeof of[key] === 'object') walk(of[key] as Record<string, unknown>);
      }
    };
    walk(copy);
    const { of, key } = places[at % places.length];
    if (how === 'take out') delete of[key];
    else if (how === 'add') of[typeof value === 'string' && !Array.isArray(of) ? value : 'more'] = value;
    else if (how === 'repeat' && Array.isArray(of[key])) of[key] = [...(of[key] as unknown[]), ...(of[key] as unknown[])];
    else of[key] = value;
    return copy;
  });

describe('records', () => {
  const kinds = [...new Set(seeds.map((s) => s.kind))];
  test('the day speaks of nearly every kind', () => expect(RECORD_KINDS.filter((k) => !kinds.includes(k))).toEqual(['sync', 'floor', 'person', 'remark', 'absence', 'handover']));
  test.each(kinds)('a %s with one place of it spoilt', async (kind) => {
    const mine = seeds.filter((s) => s.kind === kind);
    await fc.assert(
      fc.asyncProperty(
        fc.nat(),
        fc.nat().chain((n) => spoilt(mine[n % mine.length].body)),
        async (_n, body) => {
          await answered(() => server.put(wrangler, kind, randomUUID(), body), true);
        },
      ),
      runs(40),
    );
  });
  test.each(kinds)('a %s with nothing in place of each of its values, in lists too', async (kind) => {
    // once for each form of a place: what is asked before the schema is must be ready for it as well
    const forms = new Map<string, object>();
    for (const { body } of seeds.filter((s) => s.kind === kind)) {
      const walk = (of: object, form: string) => {
        for (const key of Object.keys(of) as (keyof typeof of)[]) {
          const here = `${form}/${Array.isArray(of) ? '#' : key}`;
          if (!forms.has(here)) {
            const kept = of[key];
            (of as Record<string, unknown>)[key] = null;
            forms.set(here, structuredClone(body));
            (of as Record<string, unknown>)[key] = kept;
          }
          if (of[key] !== null && typeof of[key] === 'object') walk(of[key], here);
        }
      };
      walk(body, '');
    }
    const faults: string[] = [];
    for (const [form, body] of forms) if ((await server.put(wrangler, kind, randomUUID(), body)).status >= 500) faults.push(form);
    expect(faults).toEqual([]);
  });
  test('a change with anything for its envelope', async () => {
    const good = { mutationId: randomUUID(), baseVersion: 1, deleted: false, body: seeds[0].body };
    await fc.assert(
      fc.asyncProperty(spoilt(good), anyText, fc.boolean(), async (body, text, wrongPlace) => {
        const place = wrongPlace ? `/records/${inAddress(text)}/${inAddress(text)}` : `/records/${seeds[0].kind}/${seeds[0].id}`;
        await answered(() => withToken(wrangler.agent.put(server.at(place))).send(body), true);
      }),
      runs(),
    );
  });
  test('bytes that are no JSON, under any type', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.uint8Array({ maxLength: 200 }),
        fc.constantFrom('application/json', 'text/plain', 'application/x-www-form-urlencoded', 'application/json; charset=utf-7', 'nonsense'),
        async (bytes, type) => {
          await answered(
            () =>
              withToken(wrangler.agent.put(server.at(`/records/set/${randomUUID()}`)))
                .set('content-type', type)
                .send(Buffer.from(bytes).toString('latin1')),
            false,
          );
        },
      ),
      runs(),
    );
  });
  test('cursors and histories', async () => {
    await fc.assert(
      fc.asyncProperty(fc.oneof(anyText, anyNumber.map(String)), async (text) => {
        const q = inAddress(text);
        await answered(() => wrangler.agent.get(server.at(`/records?after=${q}`)), false);
        await answered(() => wrangler.agent.get(server.at(`/records/take/${q}/history`)), false);
        await answered(() => wrangler.agent.get(server.at(`/records/${q || 'x'}/${seeds[0].id}/history`)), false);
      }),
      runs(),
    );
  });
});

describe('files', () => {
  test('an upload that begins with anything', async () => {
    const header = fc.oneof(
      fc.string({ unit: 'grapheme-ascii', maxLength: 60 }),
      fc.constantFrom(
        '',
        'name',
        'name !!!',
        `name ${Buffer.from('a\u0000.png').toString('base64')},use cGxhdGU=`,
        'use cGxhdGU=',
        'name YS5wbmc=,use c29tZXRoaW5n,atS LTE=',
        'name YS5wbmc=,use cGxhdGU=',
      ),
    );
    await fc.assert(
      fc.asyncProperty(header, fc.oneof(anyNumber.map(String), fc.constantFrom('0', '10', '', 'ten')), fc.uint8Array({ maxLength: 60 }), async (metadata, length, bytes) => {
        const ask = () =>
          withToken(wrangler.agent.post(server.at('/files/uploads')))
            .set({ 'tus-resumable': '1.0.0', 'upload-length': length, 'upload-metadata': metadata, 'content-type': 'application/offset+octet-stream' })
            .send(Buffer.from(bytes));
        const r = await ask();
        expect(r.status).toBeLessThan(500);
        // one that was only begun waits for the rest; it is taken back here
        if (r.status === 201 && r.headers.location) await withToken(wrangler.agent.delete(r.headers.location as string)).set('tus-resumable', '1.0.0');
        expect(readdirSync(path.join(server.dir, 'incoming'))).toEqual([]);
      }),
      runs(),
    );
  });
  test('pictures of any bytes', async () => {
    const heads = ['', '\x89PNG\r\n\x1a\n', '\xff\xd8\xff\xe0', 'II*\x00', 'v/1\x01', 'RIFF\x24\x00\x00\x00WAVEfmt ', '\x00\x00\x00\x14ftypqt  ', 'track,frame,x,y\n'];
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...heads), fc.uint8Array({ maxLength: 400 }), fc.constantFrom('plate', 'tracks', 'clip'), anyText, async (head, bytes, use, name) => {
        await answered(() => server.give(wrangler, Buffer.concat([Buffer.from(head, 'latin1'), Buffer.from(bytes)]), name, use), true);
      }),
      runs(),
    );
  });
  test('a piece at any place of any upload', async () => {
    await fc.assert(
      fc.asyncProperty(anyText, fc.oneof(anyNumber.map(String), fc.constant('x')), async (id, offset) => {
        await answered(
          () =>
            withToken(wrangler.agent.patch(server.at(`/files/uploads/${inAddress(id)}`)))
              .set({ 'tus-resumable': '1.0.0', 'upload-offset': offset, 'content-type': 'application/offset+octet-stream' })
              .send(Buffer.from('abc')),
          false,
        );
        await answered(() => withToken(wrangler.agent.delete(server.at(`/files/uploads/${inAddress(id)}`))).set('tus-resumable', '1.0.0'), false);
      }),
      runs(60),
    );
  });
  test('previews, frames and files of any name', async () => {
    const { body } = await server.give(wrangler, Buffer.from('track,frame,x,y\na,1,2,3\n'), 't.csv', 'tracks').expect(201);
    await fc.assert(
      fc.asyncProperty(fc.oneof(anyText, fc.constant(body.sha256 as string)), fc.oneof(anyText, anyNumber.map(String)), async (name, value) => {
        for (const what of [`/preview?width=${inAddress(value)}`, `/frame?n=${inAddress(value)}`, '']) await answered(() => wrangler.agent.get(server.at(`/files/${inAddress(name)}${what}`)), false);
      }),
      runs(60),
    );
  });
});

describe('computations, days, devices, sessions', () => {
  test('a computation of anything', async () => {
    const good = { id: randomUUID(), kind: 'grid', subjectId: seeds.find((s) => s.kind === 'plate')!.id, options: { model: 'radial' } };
    await fc.assert(
      fc.asyncProperty(fc.oneof(spoilt(good), anyValue), anyText, async (body, text) => {
        await answered(
          () =>
            withToken(wrangler.agent.post(server.at('/analyses')))
              .set('content-type', 'application/json')
              .send(JSON.stringify(body)),
          true,
        );
        const id = inAddress(text) || 'x';
        await answered(() => wrangler.agent.get(server.at(`/analyses/${id}`)), false);
        await answered(() => withToken(wrangler.agent.post(server.at(`/analyses/${id}/stop`))).send({}), false);
        await answered(() => wrangler.agent.get(server.at(`/days/${id}`)), false);
        await answered(
          () =>
            withToken(wrangler.agent.post(server.at(`/days/${id}/handovers`)))
              .set('content-type', 'application/json')
              .send(JSON.stringify({ id: text, to: text, supplementTo: text })),
          false,
        );
        await answered(() => wrangler.agent.get(`/api/productions/${id}/records`), false);
      }),
      runs(60),
    );
  });
  test('a camera feed of anything', async () => {
    await fc.assert(
      fc.asyncProperty(fc.dictionary(fc.constantFrom('fps', 'focalMm', 'focalEndMm', 'seconds', 'iso', 'more'), fc.oneof(anyText, anyNumber.map(String))), async (asked) => {
        const query = Object.entries(asked)
          .map(([k, v]) => `${k}=${inAddress(v)}`)
          .join('&');
        // a feed that begins goes on for as long as it is listened to: its head is the answer
        const status = await new Promise<number>((done, fail) => {
          const r = wrangler.agent.get(server.at(`/devices/camera-feed?${query}`)).buffer(false);
          r.on('response', (res: { statusCode: number }) => {
            done(res.statusCode);
            r.abort();
          });
          r.on('error', (e: { status?: number; code?: string }) => (e.status ? done(e.status) : e.code === 'ABORTED' ? undefined : fail(e)));
          r.end(() => undefined);
        });
        expect(status).toBeLessThan(500);
      }),
      runs(40),
    );
  });
  test('a sign-in with anything', async () => {
    await fc.assert(
      fc.asyncProperty(fc.oneof(spoilt({ name: 'nobody', password: 'wrong' }), anyValue), async (body) => {
        const r = await request(server.app).post('/api/session').set('content-type', 'application/json').send(JSON.stringify(body));
        expect(r.status).toBeGreaterThanOrEqual(400);
        expect(r.status).toBeLessThan(500);
      }),
      runs(),
    );
  });
});

test('after all of it the server answers, and the day is as it was entered', async () => {
  await request(server.app).get('/api/health').expect(200);
  for (const s of seeds.slice(0, 20)) {
    const entry = await server.db.Entry.findByPk(s.id);
    expect([s.kind, entry!.kind]).toEqual([s.kind, s.kind as RecordKind]);
  }
});

test('a body nested by thousands of levels is refused in words, wherever it is sent, and leaves nothing', async () => {
  const before = await held();
  const nested = (levels: number) => `${'{"a":'.repeat(levels)}1${'}'.repeat(levels)}`;
  const send = (address: string, body: string) => wrangler.agent.put(server.at(address)).set('x-csrf-token', wrangler.csrf).set('content-type', 'application/json').send(body);
  for (const levels of [40, 2000, 20_000]) {
    const r = await send(`/records/take/${randomUUID()}`, `{"mutationId":"${randomUUID()}","baseVersion":0,"deleted":false,"body":${nested(levels)}}`);
    expect([levels, r.status]).toEqual([levels, 422]);
    expect(r.body.detail).toMatch(/nested more than 32 levels/);
  }
  const open = await request(server.app).post('/api/session').set('content-type', 'application/json').send(nested(2000));
  expect(open.status).toBe(422);
  expect(await held()).toBe(before);
});
