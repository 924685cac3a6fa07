// Four phones do random things on two web processes and four workers that share a database, a bucket and no folder, while lines are cut and
// processes and the database are killed; then it is counted what was lost, doubled, or silently overwritten.
//   npm run ordeal [-- OPERATIONS [SEED]]      10,000 and a new seed unless said
// Prints what was found as JSON; ends with 1 when anything was.
import 'fake-indexeddb/auto';
import type { SessionInfo } from '@mesure/contract';
import { renderChequer } from '@mesure/synthetic';
import { connect } from '@mesure/server';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import sharp from 'sharp';
import { openLine } from './line';
import { startMachines } from './machines';
import { newLedger, openPhone, type Film, type Phone } from './phone';
import { randomOf } from './random';
import { isClean, judge } from './verdict';

const PHONES = 4;
const PASSWORD = 'seven herons under ice';
/** A kill comes after so many things done, about. */
const BETWEEN_KILLS = 250;
const JOBS_END_MS = 180_000;

const operations = Number(process.argv[2] ?? 10_000);
const seed = Number(process.argv[3] ?? Math.floor(Math.random() * 1e9));
const random = randomOf(seed);
const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-ordeal-'));
const machines = await startMachines(root, dir);
let clean = false;
try {
  await machines.whole();
  const ledger = newLedger();
  let film: Film | null = null;
  const phones: Phone[] = [];
  for (let i = 0; i < PHONES; i += 1) phones.push(await newPhone(i));
  film = await layFilm(phones[0]);
  await Promise.all(phones.slice(1).map((p) => p.open()));
  for (const p of phones) p.line.state.cuts = true;

  const began = Date.now();
  let done = 0;
  let nextKill = BETWEEN_KILLS / 2;
  let killing: Promise<unknown> = Promise.resolve();
  async function live(phone: Phone): Promise<void> {
    while (done < operations) {
      done += 1;
      if (done >= nextKill) {
        nextKill = done + BETWEEN_KILLS * (0.5 + random.next());
        killing = killing.then(() => machines.killOne(random));
      }
      await phone.act();
      // a person takes a breath, and the others get theirs
      await new Promise((r) => setTimeout(r, random.below(40)));
    }
  }
  await Promise.all(phones.map(live));
  await killing;
  const lastedS = (Date.now() - began) / 1000;
  await machines.whole();
  for (const p of phones) await p.settle();
  for (const p of phones) await p.settle();
  await jobsEnd([...ledger.jobs]);
  const verdict = await judge(machines.databaseUrl, machines.addresses, phones, ledger);
  clean = isClean(verdict);
  process.stdout.write(
    `${JSON.stringify({ operations: done, seed, seconds: Math.round(lastedS), killed: machines.killed, ...verdict }, (_k, v: unknown) => (Array.isArray(v) && v.length > 20 ? [...(v as unknown[]).slice(0, 20), `and ${v.length - 20} more`] : v), 2)}\n`,
  );

  async function newPhone(i: number): Promise<Phone> {
    const line = openLine(machines.addresses, randomOf(seed + 1000 * (i + 1)));
    line.state.cuts = false;
    const name = `Phone ${i + 1}`;
    const tokenIn = (text: string) => /#(\S+)/.exec(text)![1];
    const session =
      i === 0
        ? await line.call<SessionInfo>('POST', '/links/begin', {
            token: tokenIn(machines.admin('begin-link')),
            production: { name: 'Ordeal', fps: 24, lengthUnit: 'm', timeZone: 'UTC', slating: 'scene' },
            name,
            password: PASSWORD,
          })
        : await line.call<SessionInfo>('POST', '/links/join', { token: tokenIn(machines.admin('add-person', name, 'Ordeal', 'wrangler')), name, password: PASSWORD });
    line.signed(session.csrfToken);
    const phone = openPhone(name, session, line, randomOf(seed + i + 1), ledger, () => film!);
    if (i === 0) await phone.open();
    return phone;
  }
} finally {
  await machines.stop();
  rmSync(dir, { recursive: true, force: true });
}
process.exit(clean ? 0 : 1);

async function layFilm(phone: Phone): Promise<Film> {
  const [body, mode, lens, pack, set, day, setup, plate] = Array.from({ length: 8 }, () => randomUUID());
  await phone.write('body', body, { name: 'B', modes: [{ id: mode, name: 'm', widthPx: 960, heightPx: 480, sensorWidthMm: 12, sensorHeightMm: 6, fps: 24 }] });
  await phone.write('lens', lens, { name: 'L', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '' });
  await phone.write('package', pack, { camera: 'A', bodyId: body, modeId: mode, lensId: lens, adapterId: null, focalMm: 32 });
  await phone.write('set', set, { name: 'S', marks: [] });
  await phone.write('day', day, { name: 'D', date: '2026-11-26' });
  await phone.write('setup', setup, { dayId: day, setId: set, name: 'X', scene: '1', order: 1, levelMarks: [], originMark: null, headingMarks: null });
  const p = renderChequer({ widthPx: 960, heightPx: 480, lens: { fxPx: 2560, fyPx: 2560, cx: 480, cy: 240, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 }, cellSlope: 40 / 2560 });
  const picture = await phone.give(
    await sharp(Buffer.from(p.gray), { raw: { width: 960, height: 480, channels: 1 } })
      .png()
      .toBuffer(),
    'grid.png',
    'plate',
  );
  await phone.write('plate', plate, {
    lensId: lens,
    packageId: pack,
    picture: { sha256: picture.sha256, name: 'grid.png' },
    focalMm: 32,
    focusM: null,
    cellM: 0.04,
    shotAt: '2026-11-26T09:00:00.000Z',
  });
  await phone.settle();
  if (phone.waiting() > 0) throw new Error('the film could not be laid');
  return { packageId: pack, setupId: setup, plateId: plate };
}

/** Those that were running when their worker was killed are taken over by another one after a while. */
async function jobsEnd(ids: readonly string[]): Promise<void> {
  const db = connect(machines.databaseUrl);
  const until = Date.now() + JOBS_END_MS;
  while (Date.now() < until && (await db.AnalysisRow.count({ where: { id: [...ids], status: ['queued', 'running'] } })) > 0) await new Promise((r) => setTimeout(r, 500));
  await db.sequelize.close();
}
