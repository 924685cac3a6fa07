import { writeArrayBuffer } from 'geotiff';
import { chromium, expect, test, type Browser, type BrowserContext, type Page } from '@playwright/test';
import JSZip from 'jszip';
import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { IncomingHttpHeaders } from 'node:http';
import https from 'node:https';
import { createServer } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { shownCode } from './authenticator';
import { ROOT, runToEnd, start, stopDemo, type Running } from './demo-process';
import { audit, choose, noSidewaysScroll } from './helpers';
import { workbook } from './workbook';

/**
 * A film of one's own, from an empty folder: the first link, a camera, a setup, a take; a crew with its roles on phones of their own; a
 * second day; a shot list; a backup put back while a phone knows more than it.
 */
test.describe.configure({ mode: 'serial' });

const PASSWORD = 'seven herons under ice';
let dir: string, server: Running, port: number, phone: BrowserContext, page: Page;
let taps = 0;

const freePort = () =>
  new Promise<number>((resolve) => {
    const s = createServer().listen(0, '127.0.0.1', () => {
      const { port: p } = s.address() as { port: number };
      s.close(() => resolve(p));
    });
  });
const newPhone = (browser: Browser) => browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true });
const at = (where: string) => `${server.address}${where}`;
/** As a thumb: one tap a button, one a field that is typed in. */
const tap = async (id: string) => {
  taps += 1;
  await page.getByTestId(id).click();
};
const type = async (id: string, text: string) => {
  taps += 1;
  await page.getByTestId(id).fill(text);
};
const allSent = (p: Page) => expect(p.getByTestId('state-line')).toHaveText('all sent');

/** What a number says about itself leads to its model, which is a page of its own beside the application. */
async function theModelBehind(number: string, heading: string): Promise<void> {
  await page.getByTestId(number).click();
  const opened = phone.waitForEvent('page');
  await page.getByTestId('open-model').click();
  const models = await opened;
  await expect(models.getByRole('heading', { name: new RegExp(`^${heading}`) })).toBeInViewport();
  await audit(models, 'models');
  await noSidewaysScroll(models);
  await models.close();
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('open-model')).toHaveCount(0);
}

/** A phone whose owner has taken the authority's certificate, as the page for it says; any other is refused the page. */
async function onATrustingPhone(authority: string, visit: (page: Page, setOffline: (off: boolean) => Promise<void>) => Promise<void>): Promise<void> {
  const home = mkdtempSync(path.join(dir, 'phone-'));
  const store = path.join(home, '.pki/nssdb');
  mkdirSync(store, { recursive: true });
  execFileSync('certutil', ['-d', `sql:${store}`, '-N', '--empty-password']);
  execFileSync('certutil', ['-d', `sql:${store}`, '-A', '-n', 'set', '-t', 'C,,', '-i', authority]);
  const own = await chromium.launch({ ...test.info().project.use.launchOptions, env: { ...process.env, HOME: home } });
  try {
    const context = await newPhone(own);
    await visit(await context.newPage(), (off) => context.setOffline(off));
  } finally {
    await own.close();
  }
}

test.beforeAll(async ({ browser }) => {
  test.setTimeout(300_000);
  dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-own-'));
  chmodSync(dir, 0o755);
  port = await freePort();
  server = await start('bin/serve', path.join(dir, 'data'), ['--host', '127.0.0.1', '--port', String(port)]);
  phone = await newPhone(browser);
  page = await phone.newPage();
});
test.afterAll(async () => {
  test.setTimeout(300_000);
  await phone?.close();
  if (server) await stopDemo(server.pid);
  if (dir) rmSync(dir, { recursive: true, force: true });
});

test('from the first link to the first take of one’s own', async () => {
  const link = /http:\S+\/begin#\S+/.exec(server.output)?.[0];
  expect(link).toBeTruthy();
  const began = Date.now();
  await page.goto(link!);
  await page.getByTestId('production-name').waitFor();
  await audit(page, 'begin');
  taps = 0;
  await type('production-name', 'Tin Harbour');
  await type('person-name', 'Ada Quill');
  await type('person-password', 'password123');
  await tap('begin');
  await expect(page.getByText(/guessed first/)).toBeVisible();
  await type('person-password', PASSWORD);
  await tap('begin');
  await expect(page).toHaveURL(/\/kit$/);
  expect(page.url()).not.toContain('#');
  await expect(page.getByTestId('first-steps')).toBeVisible();
  await tap('step-camera');
  await type('mount-body', 'Body one');
  await type('mount-width', '4096');
  await type('mount-height', '2160');
  await type('mount-sensor-width', '24');
  await type('mount-sensor-height', '12.66');
  await type('mount-lens', 'Lens 32');
  await type('mount-focal', '32mm');
  await expect(page.getByTestId('mount-angle')).toHaveText('= 41.1° wide');
  await tap('mount');
  await expect(page.getByTestId('effective-focal')).toContainText('32.00');
  await theModelBehind('effective-focal', 'Optics');
  taps += 1;
  await page.getByRole('link', { name: 'Floor' }).click();
  await tap('step-setup');
  await type('setup-scene', '41');
  await type('setup-set-name', 'Galley');
  await tap('open-new-setup');
  await tap('log-take');
  await expect(page.getByRole('heading', { name: '41 take 1' })).toBeVisible();
  await allSent(page);
  expect(taps).toBeLessThanOrEqual(25);
  process.stdout.write(`first link to first take: ${taps} taps, ${((Date.now() - began) / 1000).toFixed(1)} s\n`);
  await noSidewaysScroll(page);
  // nobody begins twice
  await page.goto(link!);
  await expect(page.getByText(/used already/)).toBeVisible();
});

test('a height is read in the unit of the person, and asked about where it can be two', async () => {
  await page.goto(at('/floor'));
  await page.getByTestId('setup-41').click();
  await page.getByTestId('take-41-1').click();
  await page.getByTestId('length-field').fill('141');
  await expect(page.getByText(/141 cm or 141 mm or 141 in/)).toBeVisible();
  await page.getByTestId('length-field').press('Enter');
  await page.getByTestId('reading-141 cm').click();
  await expect(page.getByTestId('pupil-height')).toContainText('141.0 cm');
  await page.getByTestId('length-field').fill('1m41');
  await page.getByTestId('length-field').press('Enter');
  await expect(page.getByTestId('pupil-height')).toContainText('1.410 m');
  await allSent(page);
});

test('a clip of the take is masked and marked by thumb, followed, and solved; one of another shape is told', async () => {
  test.setTimeout(300_000);
  const whole = path.join(ROOT, 'demo/footage/39A_t1.mp4');
  const cut = path.join(dir, 'A_t1.mp4');
  // as high as the mode of this camera is
  execFileSync('ffmpeg', ['-v', 'error', '-i', whole, '-vf', 'crop=640:338:0:11', '-c:v', 'libx264', '-crf', '14', '-y', cut]);
  await page.goto(at('/check'));
  await page.getByTestId('check-41-1').click();
  await choose(page, 'give-clip', whole);
  await expect(page.getByTestId('clip-against-record').filter({ hasText: 'another shape than the 4096 × 2160' })).toBeVisible();
  await page.getByTestId('fold-clip').click();
  if ((await page.getByTestId('give-clip').count()) === 0) await page.getByTestId('fold-clip').click();
  await choose(page, 'give-clip', cut);
  await expect(page.getByText(/A_t1\.mp4: 640 × 338, 40 frames at 24/)).toBeVisible();
  await page.getByRole('radio', { name: /masks/ }).click();
  // where the trolley comes in
  for (const position of [
    { x: 270, y: 90 },
    { x: 335, y: 90 },
    { x: 335, y: 165 },
    { x: 270, y: 165 },
  ])
    await page.getByTestId('aim').click({ position });
  await page.getByTestId('keep-mask').click();
  await expect(page.getByTestId('mask-mask 1')).toContainText('set in one frame: 1');
  await page.getByRole('radio', { name: /marks/ }).click();
  await page.getByTestId('mark-name').fill('M1');
  await page.getByTestId('aim').click({ position: { x: 161, y: 178 } });
  await expect(page.getByTestId('mark-M1')).toContainText('frame 1');
  await page.getByRole('radio', { name: /looks/ }).click();
  await audit(page, 'clip');
  await noSidewaysScroll(page);
  await page.getByTestId('start-tracks').click();
  await expect(page.getByTestId('tracks-sentence')).toContainText(/\d+ tracks, never fewer than \d+ in a frame/, { timeout: 120_000 });
  await expect(page.getByTestId('clip-frame')).toContainText(/frame 1: \d+ tracks/);
  // a mask drawn afterwards makes them old
  await page.getByTestId('use-tracks').click();
  await expect(page.getByTestId('take-verdict')).toBeVisible({ timeout: 90_000 });
  await expect(page.getByTestId('solve-rms')).toContainText('px');
  await page.getByTestId('open-clip').click();
  await expect(page.getByTestId('to-verdict')).toBeVisible();
  await page.getByRole('button', { name: 'Remove mask 1' }).click();
  await expect(page.getByTestId('tracks-stale')).toContainText('Follow them again');
  await allSent(page);
});

test('a solve of before is laid over the one of now, and says how far they are apart', async () => {
  await page.goto(at('/check'));
  await page.getByTestId('check-41-1').click();
  await page.getByTestId('earlier-solves').click();
  await expect(page.getByText('This is the only one of the take.')).toBeVisible();
  await page.getByRole('radio', { name: /^held/ }).click();
  await page.getByTestId('start-solve').click();
  await page.getByTestId('solve-progress').waitFor();
  await page.getByTestId('earlier-solves').click({ timeout: 90_000 });
  const list = page.getByTestId('earlier-list');
  await expect(list).toContainText(/px, [\d.]+ mm free/);
  await list.locator('[data-testid^=earlier-]').first().click();
  const told = page.getByTestId('comparison');
  await expect(told).toContainText(/Focal length [\d.]+ mm then, [\d.]+ mm now/);
  await expect(told).toContainText(/Laid onto this one by its shape/);
  await audit(page, 'earlier solves');
  await noSidewaysScroll(page);
});

test('a second day is begun in two taps, and each place is on the day that is chosen', async () => {
  await page.goto(at('/floor'));
  await page.getByTestId('where').click();
  await audit(page, 'days');
  await page.getByTestId('new-day').click();
  await expect(page.getByTestId('where')).toContainText('Day 2');
  await expect(page.getByText('No setups on Day 2 yet')).toBeVisible();
  await page.getByRole('link', { name: 'Check' }).click();
  await expect(page.getByText('No takes yet')).toBeVisible();
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 1').click();
  await expect(page.getByTestId('check-41-1')).toBeVisible();
  await page.getByRole('link', { name: 'Wrap' }).click();
  await expect(page.getByRole('heading', { name: 'Wrap Day 1' })).toBeVisible();
  await allSent(page);
});

const crew: Record<string, { context: BrowserContext; page: Page }> = {};
test('three people come in by their codes, and each may do what the role says', async ({ browser }) => {
  test.setTimeout(300_000);
  await page.goto(at('/floor'));
  for (const [role, name] of [
    ['supervisor', 'Ivo Tam'],
    ['solver', 'Pia Lund'],
    ['guest', 'Noor Vane'],
  ]) {
    await page.getByRole('button', { name: 'Who is here' }).click();
    await page.getByRole('radio', { name: new RegExp(`^${role}`) }).click();
    await page.getByTestId('invite').click();
    const link = await page.getByTestId('invitation-link').innerText();
    await page.getByRole('button', { name: 'Close Who is here' }).click();
    const context = await newPhone(browser);
    const theirs = await context.newPage();
    await theirs.goto(link);
    await expect(theirs.getByText(new RegExp(`Ada Quill invites you as (a|an) ${role}`))).toBeVisible();
    await theirs.getByTestId('person-name').fill(name);
    await theirs.getByTestId('person-password').fill(`${PASSWORD} ${role}`);
    await theirs.getByTestId('join').click();
    await expect(theirs.getByTestId('where')).toContainText('Tin Harbour');
    crew[role] = { context, page: theirs };
  }
  for (const [role, logs] of [
    ['supervisor', 1],
    ['solver', 0],
    ['guest', 0],
  ] as const) {
    const theirs = crew[role].page;
    await theirs.goto(at('/floor'));
    await theirs.getByTestId('setup-41').click();
    await theirs.getByTestId('take-41-1').waitFor();
    await expect(theirs.getByTestId('log-take')).toHaveCount(logs);
    await theirs.getByTestId('take-41-1').click();
    await expect(theirs.getByTestId('remark-text')).toHaveCount(role === 'guest' ? 0 : 1);
    await expect(theirs.getByTestId('hide-take')).toHaveCount(logs);
  }
  const solver = crew.solver.page;
  await solver.getByTestId('remark-text').fill('Was the height taken at the lens axis?');
  await solver.getByTestId('leave-remark').click();
  await allSent(solver);
  // it stands on the board of the others at once
  await page.goto(at('/floor'));
  await expect(page.getByText('1 remark waits for an answer')).toBeVisible();
  await page.getByRole('button', { name: 'Who is here' }).click();
  await expect(page.getByTestId('person-Pia Lund')).toContainText('solver');
  await audit(page, 'people');
});

async function openNetTable(p: Page): Promise<void> {
  await p.goto(at('/floor'));
  await p.getByTestId('setup-41').click();
  await p.getByTestId('open-net').click();
  await p.getByTestId('net-from-table').click();
}

test('places and ties of one’s own set come from a table by a second person, with what speaks against them, and go again with one tap', async () => {
  const theirs = crew.supervisor.page;
  const guest = crew.guest.page;
  await openNetTable(theirs);
  await theirs.getByTestId('paste-list').fill('from\tto\tlength\nN1\tN2\t3\nN2\tN3\t4\nN1\tN3\t5\n');
  await theirs.getByTestId('read-pasted').click();
  await expect(theirs.getByText('3 new, 0 change, 0 same')).toBeVisible();
  await audit(theirs, 'a net from a table');
  await noSidewaysScroll(theirs);
  await theirs.getByTestId('bring-in').click();
  await expect(theirs.getByText('✓ 3 new, 0 changed, 0 were here.')).toBeVisible();
  await allSent(theirs);
  // the owner brings the same marks from an instrument, in feet that nobody named
  await page.goto(at('/floor'));
  await page.getByTestId('setup-41').click();
  await page.getByTestId('open-net').click();
  await expect(page.getByText(/^N1 – N2/).first()).toBeVisible();
  await page.getByTestId('net-from-table').click();
  await page.getByTestId('paste-list').fill('Point,E,N,H\nN1,0,0,0\nN2,9.8425,0,0\nN3,9.8425,13.1234,0\n');
  await page.getByTestId('read-pasted').click();
  await expect(page.getByTestId('doubt-UNIT')).toContainText('3.28 times as far as the 3 ties');
  await expect(page.getByTestId('bring-in')).toContainText('all the same');
  await page.getByTestId('read-as-UNIT').click();
  await expect(page.getByTestId('doubt-UNIT')).toHaveCount(0);
  await page.getByTestId('bring-in').click();
  await allSent(page);
  // 4 m north of the second is 4 m away; a guest sees it and brings nothing
  const net = page.url().replace('/in/', '/');
  await guest.goto(net);
  await expect(guest.getByTestId('place-N3')).toContainText(/3\.000\s+0\.000\s+-4\.000/);
  await expect(guest.getByTestId('net-from-table')).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await allSent(page);
  await guest.goto(net);
  await expect(guest.getByText(/^place of N3/)).toHaveCount(0);
});

/** Marks of one's own set as an instrument gave them, and a camera that looks straight along −Z at them: 1.41 m high, 32 mm on 24 mm. */
const PLACES: Record<string, readonly [number, number, number]> = { U1: [-1.1, 0.9, -3.2], U2: [1.2, 1, -3.4], U3: [0.1, 1.3, -4.4], U4: [-1.3, 2.1, -5.2], U5: [1.4, 2.2, -4.9] };
const CAMERA = [0.1, 1.41, 0.6] as const;

test('one picture is lined up with marks of one’s own set, and a solve made elsewhere is laid against it, by two people', async () => {
  test.setTimeout(300_000);
  const theirs = crew.supervisor.page;
  const guest = crew.guest.page;
  await openNetTable(theirs);
  const rows = Object.entries(PLACES).map(([id, [x, y, z]]) => `${id},${x},${y},${z}`);
  await theirs.getByTestId('paste-list').fill(`id,x,y,z\n${rows.join('\n')}\n`);
  await theirs.getByTestId('read-pasted').click();
  await theirs.getByTestId('bring-in').click();
  await expect(theirs.getByText('✓ 5 new, 0 changed, 0 were here.')).toBeVisible();
  await allSent(theirs);
  // a frame as it was recorded, a quarter of the size
  const frame = path.join(dir, 'A_41_1_f1.png');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=s=1024x540:d=1', '-frames:v', '1', '-y', frame]);
  await page.goto(at('/check'));
  await page.getByTestId('check-41-1').click();
  await choose(page, 'add-lineup', frame);
  await page.getByTestId('lineup-A_41_1_f1.png').click();
  await expect(page.getByTestId('lineup-sentence')).toContainText('0 of at least 4 marks');
  const width = (await page.getByTestId('aim').boundingBox())!.width;
  for (const [id, [x, y, z]] of Object.entries(PLACES)) {
    const depth = CAMERA[2] - z;
    await page.getByTestId('aim').click({ position: { x: width * (0.5 + ((32 / 24) * (x - CAMERA[0])) / depth), y: width * ((0.5 * 540) / 1024 - ((32 / 24) * (y - CAMERA[1])) / depth) } });
    await page.getByTestId(`mark-is-${id}`).click();
    await expect(page.getByTestId(`lineup-mark-${id}`)).toBeVisible();
  }
  // by a thumb on a phone: within a hand's breadth, and the record says 1.41 m
  await expect(page.getByTestId('lineup-found')).toContainText(/1\.[345]\d\d\s*m high/);
  await expect(page.getByTestId('lineup-verdict')).toContainText('agrees');
  await audit(page, 'a picture lined up');
  await noSidewaysScroll(page);
  await allSent(page);
  // the guest sees the same and points nothing out
  await guest.goto(page.url());
  await expect(guest.getByTestId('lineup-found')).toContainText('m high');
  await expect(guest.getByTestId('aim')).toHaveCount(0);
  // a solver's file, in centimetres that it does not name: the supervisor brings it in
  const csv = path.join(dir, 'from-post.csv');
  const path0 = Array.from({ length: 12 }, (_, i) => `${1 + i},${100 * (CAMERA[0] + 0.05 * i)},${100 * CAMERA[1]},${100 * CAMERA[2]},0,0,0,1,32`);
  writeFileSync(csv, `frame,x,y,z,qx,qy,qz,qw,focal_mm\n${path0.join('\n')}\n`);
  const points = path.join(dir, 'from-post-points.csv');
  writeFileSync(
    points,
    // as another program writes them: other names, decimal commas
    `Locator;Pos X;Pos Y;Pos Z\n${Object.entries(PLACES)
      .map(([id, p]) => [id, ...p.map((v) => (100 * v).toFixed(3).replace('.', ','))].join(';'))
      .join('\n')}\n`,
  );
  await theirs.goto(at('/check'));
  await theirs.getByTestId('check-41-1').click();
  await choose(theirs, 'give-elsewhere', csv);
  await expect(theirs.getByTestId('elsewhere-says')).toContainText('CSV: frames 1 to 12, no unit (read in m)');
  await choose(theirs, 'give-points', points);
  await expect(theirs.getByTestId('table-row-0')).toContainText('id ');
  await audit(theirs, 'columns of a table');
  await theirs.getByTestId('take-points').click();
  await expect(theirs.getByTestId('doubt-unit')).toContainText('its lengths are in cm, not in m');
  await theirs.getByTestId('read-as-unit').click();
  await expect(theirs.getByTestId('elsewhere-scale')).toContainText(/its metre is 1\.00/);
  await expect(theirs.getByTestId('doubt-unit')).toHaveCount(0);
  // its camera height is judged; the lengths of the net are not, for it brought no places of their marks
  await expect(theirs.getByTestId('elsewhere-sentence')).toHaveText(/^What the solve shows of the record agrees\. It cannot judge lengths\.$/);
  await audit(theirs, 'a solve made elsewhere');
  await noSidewaysScroll(theirs);
  // the owner removes it, and one tap brings it back
  await page.goto(theirs.url());
  await page.getByTestId('remove-elsewhere').click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByTestId('elsewhere-from-post.csv')).toContainText('of the record agrees');
  // and brings the same move as a table whose columns and angles he says
  const table = path.join(dir, 'from-stage.txt');
  writeFileSync(table, `Frame\tTx\tTy\tTz\tRx\tRy\tRz\tFocal Length\n${path0.map((l) => [...l.split(',').slice(0, 4), 0, 0, 0, 32].join('\t')).join('\n')}\n`);
  await choose(page, 'give-elsewhere', table);
  await expect(page.getByTestId('move-preview')).toContainText('12 rows, frames 1 to 12');
  await page.getByRole('radio', { name: /^radians/ }).click();
  await page.getByRole('radio', { name: /^z x y/ }).click();
  await page.getByTestId('take-move').click();
  await expect(page.getByTestId('elsewhere-says')).toContainText('CSV: frames 1 to 12');
  await page.getByTestId('remove-elsewhere').click();
  await allSent(page);
});

test('a witness camera on the main one is mounted and heard by one, its tracks given by another, and both are solved together', async () => {
  test.setTimeout(300_000);
  const theirs = crew.supervisor.page;
  // a second camera like the first, a hand to the left of its lens, looking a third of a right angle to the left of it
  await page.goto(at('/kit'));
  await page.getByTestId('package-A').click();
  await page.getByTestId('copy-package').click();
  await allSent(page);
  await page.goto(at('/floor'));
  await page.getByTestId('setup-41').click();
  await page.getByTestId('add-rig').click();
  await page.getByRole('radio', { name: 'B-cam' }).click();
  await page.getByTestId('rig-rightM').fill('-150');
  await page.getByTestId('rig-upM').fill('100');
  await page.getByTestId('rig-turnRad').fill('30');
  await audit(page, 'a rig');
  await page.getByTestId('keep-rig').click();
  await page.getByTestId('log-take').click();
  await page.getByTestId('take-done').waitFor();
  const take = /take (\d+)/.exec((await page.getByRole('heading', { level: 1 }).textContent())!)![1];
  await page.getByTestId('witness-clip-B').fill('B001');
  await page.getByTestId('witness-clip-B').press('Enter');
  await expect(page.getByTestId('rig-of-B')).toContainText('fixed to the main camera, 150 mm left, 100 mm up');
  // half a second of silence more before the same noise: twelve frames
  await page.getByTestId('open-sync').click();
  const noise = (name: string, delay: string) => {
    const file = path.join(dir, name);
    execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'anoisesrc=d=5:c=pink:r=16000:seed=7', '-af', delay, '-y', file]);
    return file;
  };
  await choose(page, 'give-main-B', noise('A_41.wav', 'anull'));
  await choose(page, 'give-witness-B', noise('B_41.wav', 'adelay=500'));
  await expect(page.getByTestId('sync-answer-B')).toContainText(/12\.0\d* frames|0\.50\d* s later/, { timeout: 90_000 });
  await allSent(page);
  // tracks of both as another program followed them: the places of the set, and features that each camera counts for itself
  const [main, witness] = pairTracks(12);
  const files = { main: path.join(dir, 'A_41_pair.csv'), witness: path.join(dir, 'B_41_pair.csv') };
  writeFileSync(files.main, main);
  writeFileSync(files.witness, witness);
  await theirs.goto(at('/check'));
  await theirs.getByTestId(`check-41-${take}`).click();
  await choose(theirs, 'give-tracks', files.main);
  await expect(theirs.getByTestId('witness-of-B-cam')).toContainText('B-cam ran with this take');
  await choose(theirs, 'give-tracks-B-cam', files.witness);
  await theirs.getByTestId('with-B-cam').click();
  await theirs.getByRole('radio', { name: /^held/ }).click();
  await theirs.getByTestId('start-solve').click();
  await expect(theirs.getByTestId('witness-offset')).toContainText(/0\.1[45]\d to the left, 0\.[01]\d\d up/, { timeout: 90_000 });
  await expect(theirs.getByTestId('witness-facts')).toContainText(/Seen by both: .*U\d/);
  await expect(theirs.getByTestId('item-witnessAngle-B-cam, turned to the left')).toContainText('agrees');
  await audit(theirs, 'two cameras in one solve');
  await noSidewaysScroll(theirs);
  await allSent(theirs);
  // the owner sees it; a first frame that he says wrong makes it old, and solved anew the cameras themselves say which one was right
  const where = theirs.url();
  await page.goto(where);
  await expect(page.getByTestId('witness-offset')).toContainText('to the left');
  await page.goto(at('/floor'));
  await page.getByTestId('setup-41').click();
  await page.getByTestId(`take-41-${take}`).click();
  await page.getByTestId('witness-first-B').fill('2');
  await page.getByTestId('witness-first-B').press('Enter');
  await allSent(page);
  await theirs.goto(where);
  await theirs.getByTestId('solve-anew').click();
  await expect(theirs.getByText(/with a shift of 12 instead of 13 frames they turn as one/).first()).toBeVisible({ timeout: 90_000 });
  await page.getByTestId('witness-first-B').fill('');
  await page.getByTestId('witness-first-B').press('Enter');
  await allSent(page);
});

/** Tracks of two cameras that are one rigid thing, the second turned 30° to the left: two CSV texts, its frame n + shift with the first one's n. */
function pairTracks(shift: number): [string, string] {
  const [fPx, cx, cy] = [(32 / 24) * 4096, 2048, 1080];
  let state = 9;
  const random = () => ((state = (state * 1103515245 + 12345) % 2147483648), state / 2147483648);
  const spread = (n: number, x: number, z: number) =>
    Array.from({ length: n }, (_, i): [string, readonly [number, number, number]] => [`f${i + 1}`, [x - 2.2 + 4.4 * random(), 2.6 * random(), z - 1.6 * random()]]);
  const named = Object.entries(PLACES);
  const seen = [
    [...named, ...spread(50, 0, -3.2)],
    [...named, ...spread(50, -3, -1.6)],
  ] as const;
  const rows: [string[], string[]] = [['track,frame,x,y'], ['track,frame,x,y']];
  const look = (yaw: number, tilt: number) => {
    const [c, s, ct, st] = [Math.cos(yaw), Math.sin(yaw), Math.cos(tilt), Math.sin(tilt)];
    return { right: [c, 0, -s], up: [s * st, ct, c * st], back: [s * ct, -st, c * ct] };
  };
  for (let frame = 1; frame <= 36; frame += 1) {
    const t = (frame - 1) / 35;
    const [yaw, tilt] = [0.3 * Math.sin(4 * t), 0.12 * Math.cos(5 * t) - 0.05];
    const main = look(yaw, tilt);
    const at = [-0.5 + t, 1.41 + 0.1 * Math.sin(3 * t), 0.6 - 0.3 * t];
    const carried = at.map((v, k) => v - 0.15 * main.right[k] + 0.1 * main.up[k]);
    // turned about the main camera's own up
    const [c, s] = [Math.cos(Math.PI / 6), Math.sin(Math.PI / 6)];
    const side = { right: main.right.map((v, k) => c * v - s * main.back[k]), up: main.up, back: main.back.map((v, k) => c * v + s * main.right[k]) };
    for (const [i, axes, eye, number] of [
      [0, main, at, frame],
      [1, side, carried, frame + shift],
    ] as const)
      for (const [id, p] of seen[i]) {
        const d = p.map((v, k) => v - eye[k]);
        const [x, y, z] = [axes.right, axes.up, axes.back].map((a) => a.reduce((sum, v, k) => sum + v * d[k], 0));
        if (z > -0.3) continue;
        const [u, v] = [cx - (fPx * x) / z + 0.8 * (random() - 0.5), cy + (fPx * y) / z + 0.8 * (random() - 0.5)];
        if (u > 0 && v > 0 && u < 4096 && v < 2160) rows[i].push(`${id},${number},${u.toFixed(3)},${v.toFixed(3)}`);
      }
  }
  return [rows[0].join('\n'), rows[1].join('\n')];
}

/** Tracks of a camera that turns on its tripod, by a lens that bends by a fiftieth at the side of the picture, as another program followed them. */
function panTracks(): string {
  const [fPx, cx, cy] = [(32 / 24) * 4096, 2048, 1080];
  let state = 5;
  const random = () => ((state = (state * 1103515245 + 12345) % 2147483648), state / 2147483648);
  const features = Array.from({ length: 120 }, () => [2.4 * (random() - 0.5), 0.6 * (random() - 0.5)]);
  const rows = ['track,frame,x,y'];
  for (let frame = 1; frame <= 36; frame += 1) {
    const [turn, tilt] = [-0.3 + (0.6 * (frame - 1)) / 35, 0.05 * Math.sin(frame / 6)];
    features.forEach(([azimuth, rise], i) => {
      const [side, ahead] = [Math.sin(azimuth - turn), Math.cos(azimuth - turn)];
      const depth = ahead * Math.cos(tilt) + rise * Math.sin(tilt);
      const [u, v] = [side / depth, (rise * Math.cos(tilt) - ahead * Math.sin(tilt)) / depth];
      const bent = fPx * (1 - 0.02 * (u * u + v * v) * (fPx / cx) ** 2);
      const [x, y] = [cx + bent * u + 0.8 * (random() - 0.5), cy - bent * v + 0.8 * (random() - 0.5)];
      if (depth > 0.3 && x > 0 && y > 0 && x < 4096 && y < 2160) rows.push(`p${i},${frame},${x.toFixed(3)},${y.toFixed(3)}`);
    });
  }
  return rows.join('\n');
}

test('a lens that no chart was shot of has its distortion from a map of another house, brought by one, read otherwise by another', async () => {
  test.setTimeout(300_000);
  const theirs = crew.supervisor.page;
  // a pan by it, which fits a move as well: it is told as a turn by a lens that bends, and where its plates are
  await page.goto(at('/floor'));
  await page.getByTestId('setup-41').click();
  await page.getByTestId('log-take').click();
  await page.getByTestId('take-done').waitFor();
  const take = /take (\d+)/.exec((await page.getByRole('heading', { level: 1 }).textContent())!)![1];
  await allSent(page);
  const panned = path.join(dir, 'A_41_pan.csv');
  writeFileSync(panned, panTracks());
  await page.goto(at('/check'));
  await page.getByTestId(`check-41-${take}`).click();
  const verdict = page.url();
  await choose(page, 'give-tracks', panned);
  await page.getByRole('radio', { name: /^free/ }).click();
  await page.getByTestId('start-solve').click();
  await expect(page.getByTestId('bending')).toContainText('The lens bends', { timeout: 90_000 });
  await expect(page.getByText(/turns but does not move/).first()).toBeVisible();
  await audit(page, 'a pan by a lens that nobody measured');
  await noSidewaysScroll(page);
  // so does a plan of the setup: its forecast bears it, and says what a plate would make of it
  const plannedPct = async (on: Page): Promise<number> => {
    await on.getByRole('radio', { name: 'forecast', exact: true }).click();
    // of the setup as it is now: the one of before stands there until it is computed, and says so
    const sentence = on.getByTestId('forecast-sentence');
    await expect(sentence).toHaveAttribute('aria-busy', 'false');
    const read = /focal length ± ([\d.]+) %/i.exec((await sentence.textContent())!);
    return Number(read![1]);
  };
  await page.goto(at('/plan'));
  await page.getByTestId('plan-41').click();
  await page.getByRole('radio', { name: 'set', exact: true }).click();
  await page.getByTestId('add-wall').click();
  await page.getByRole('radio', { name: 'marks', exact: true }).click();
  await page.getByTestId('lay-marks').click();
  await page.getByRole('radio', { name: 'move', exact: true }).click();
  await page.getByRole('radio', { name: 'pan', exact: true }).click();
  await page.getByRole('radio', { name: 'free', exact: true }).click();
  const unplated = await plannedPct(page);
  await expect(page.getByText(/How this lens bends nobody has measured.* A grid plate would make the focal length/)).toBeVisible();
  await audit(page, 'the forecast of a lens that nobody measured', true);
  await noSidewaysScroll(page);
  const plan = page.url();
  await page.goto(verdict);
  await page.getByTestId('to-plates').click();
  await expect(page.getByTestId('add-given')).toBeVisible();
  // made by no program of ours: barrel of a fiftieth at the side, t upwards, in a TIFF
  const [w, h] = [512, 270];
  const data = new Float32Array(2 * w * h);
  for (let y = 0; y < h; y += 1)
    for (let x = 0; x < w; x += 1) {
      const [u, v] = [(x + 0.5 - w / 2) / (w / 2), (y + 0.5 - h / 2) / (w / 2)];
      const s = 1 - 0.02 * (u * u + v * v);
      data.set([0.5 + (u * s) / 2, 0.5 - (v * s * w) / (2 * h)], 2 * (y * w + x));
    }
  const map = path.join(dir, 'house.tif');
  writeFileSync(map, Buffer.from(writeArrayBuffer(data, { width: w, height: h, SamplesPerPixel: [2], BitsPerSample: [32, 32], SampleFormat: [3, 3], PhotometricInterpretation: 1 } as never)));
  await theirs.goto(at('/kit'));
  await theirs.getByTestId('package-A').click();
  await theirs.getByTestId('add-given').click();
  await choose(theirs, 'given-choose', map);
  await audit(theirs, 'distortion made elsewhere');
  await theirs.getByRole('radio', { name: /^distorts/ }).click();
  await theirs.getByTestId('given-keep').click();
  await theirs.getByTestId('plate-house.tif').click();
  await expect(theirs.getByTestId('plate-sentence')).toContainText('pincushion');
  await audit(theirs, 'a plate that was brought');
  await noSidewaysScroll(theirs);
  await allSent(theirs);
  // the owner knows which way it goes
  await page.goto(theirs.url());
  await page.getByTestId('open-plate-entries').click();
  await page.getByRole('radio', { name: /^undistorts/ }).click();
  await page.getByTestId('given-keep').click();
  await expect(page.getByTestId('plate-sentence')).toContainText(/^Followed to 0\.0\d px, 0\.0\d px at worst: barrel, 2\.\d\d % at the corner\.$/);
  await expect(theirs.getByTestId('plate-sentence')).toContainText('barrel');
  await page.getByTestId('make-files').click();
  await expect(page.getByTestId('round-trip')).toContainText('There and back again', { timeout: 90_000 });
  // who brought it solves the pan by it: the focal length is the one that was written down, and nothing of it is left to the lens
  await allSent(page);
  await theirs.goto(verdict);
  await theirs.getByTestId('start-solve').click();
  await expect(theirs.getByTestId('item-focalLength-focal length')).toContainText('agrees', { timeout: 90_000 });
  await expect(theirs.getByTestId('bending')).toHaveCount(0);
  await expect(theirs.getByTestId('unmeasured')).toHaveCount(0);
  await theirs.goto(plan);
  expect(await plannedPct(theirs)).toBeLessThan(0.7 * unplated);
  await expect(theirs.getByText(/How this lens bends nobody has measured/)).toHaveCount(0);
  await page.getByTestId('remove-plate').click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByTestId('plate-house.tif')).toContainText('ST map that undistorts');
  // a table of the same house: one row is of this lens, the other is not, and a second time there is nothing to bring
  const settings = path.join(dir, 'house.csv');
  writeFileSync(settings, 'Focal;Focus;K1;K2\n32;1,5 m;-0,05;0,004\n135;3 m;-0,01;0\n');
  await page.goto(at('/kit'));
  await page.getByTestId('package-A').click();
  await page.getByTestId('add-given').click();
  await choose(page, 'given-choose', settings);
  await expect(page.getByTestId('line-1')).toContainText('at the corner');
  await expect(page.getByTestId('line-2')).toContainText('the lens has');
  await audit(page, 'settings from a table');
  await noSidewaysScroll(page);
  await page.getByTestId('take-settings').click();
  await expect(page.getByTestId('plate-house 32 mm focus 1.50 m.json')).toContainText('coefficients');
  await page.getByTestId('add-given').click();
  await choose(page, 'given-choose', settings);
  await expect(page.getByTestId('take-settings')).toContainText('Nothing to bring in');
  await page.keyboard.press('Escape');
  await allSent(page);
  // who came second sees it too
  await theirs.goto(at('/kit'));
  await theirs.getByTestId('package-A').click();
  await expect(theirs.getByTestId('plate-house 32 mm focus 1.50 m.json')).toBeVisible({ timeout: 30_000 });
});

test('who wants it signs in with a code too: switched on on one phone, asked for on the next one, and the owner sees how the machine is', async ({ browser }) => {
  const solver = crew.solver.page;
  await solver.goto(at('/floor'));
  await solver.getByRole('button', { name: 'Who is here' }).click();
  await solver.getByTestId('my-second-step').click();
  await solver.getByTestId('second-step-password').fill(`${PASSWORD} solver`);
  await solver.getByTestId('second-step-begin').click();
  const secret = await solver.getByTestId('second-step-secret').innerText();
  // the phone's clock is a quarter of an hour behind
  await solver.getByTestId('second-code').fill(shownCode(secret, Date.now() - 900_000));
  await solver.getByTestId('second-step-confirm').click();
  await expect(solver.getByTestId('second-step').getByRole('alert')).toContainText('15 minutes ago');
  await audit(solver, 'a code beside the password');
  await solver.getByTestId('second-code').fill(shownCode(secret));
  await solver.getByTestId('second-step-confirm').click();
  const recovery = (await solver.getByTestId('recovery-codes').innerText()).split(/\s+/);
  expect(recovery).toHaveLength(10);
  await solver.getByTestId('have-recovery').click();
  await expect(solver.getByTestId('second-step-on')).toContainText('On since');

  const context = await newPhone(browser);
  const another = await context.newPage();
  await another.goto(at('/floor'));
  await another.getByTestId('sign-in-name').fill('pia lund');
  await another.getByTestId('sign-in-password').fill(`${PASSWORD} solver`);
  await another.getByTestId('sign-in').click();
  await expect(another.getByRole('status')).toContainText('Now the code');
  await another.getByTestId('sign-in-code').fill(recovery[3]);
  await another.getByTestId('sign-in').click();
  await expect(another.getByTestId('where')).toContainText('Tin Harbour');
  await context.close();
  await solver.reload();
  await solver.getByRole('button', { name: 'Who is here' }).click();
  await solver.getByTestId('my-second-step').click();
  await expect(solver.getByText('9 recovery codes are left.')).toBeVisible();

  await solver.goto(at('/floor'));
  await solver.getByTestId('where').click();
  await expect(solver.getByTestId('open-server')).toHaveCount(0);
  await page.goto(at('/floor'));
  await page.getByTestId('where').click();
  await page.getByTestId('open-server').click();
  await expect(page.getByTestId('server-Last backup')).toContainText('none yet');
  await expect(page.getByTestId('server-Faults')).toContainText('none');
  await audit(page, 'the state of the server');
});

test('a day of one’s own is handed over by one, seen by another who may not, and what a third changes leaves as a supplement', async () => {
  test.setTimeout(300_000);
  const theirs = crew.supervisor.page;
  await theirs.goto(at('/wrap'));
  await expect(theirs.getByRole('heading', { name: 'Wrap Day 1' })).toBeVisible();
  const before = Number(/\d+/.exec(await theirs.getByTestId('missing-count').innerText())![0]);
  await theirs
    .getByRole('button', { name: /^It cannot be had: 41 take 1/ })
    .first()
    .click();
  await audit(theirs, 'a reason');
  await theirs.getByTestId('reason-text').fill('The tracks are made by the house that solves');
  await theirs.getByTestId('keep-reason').click();
  await expect(theirs.getByText(/: The tracks are made by the house that solves$/)).toBeVisible();
  await expect(theirs.getByTestId('missing-count')).toContainText(String(before - 1));
  const leave = async (p: Page, to: string | null) => {
    await p.getByTestId('hand-over').click();
    if (to !== null) await p.getByTestId('hand-over-to').fill(to);
    const download = p.waitForEvent('download');
    await p.getByTestId('hand-over-now').click();
    const file = await download;
    return JSZip.loadAsync(readFileSync((await file.path())!));
  };
  const zip = await leave(theirs, 'Lisk & Daughters');
  writeFileSync(path.join(dir, 'day.zip'), await zip.generateAsync({ type: 'nodebuffer' }));
  expect(await zip.file('report.html')!.async('text')).toContain('Tin Harbour');
  expect(await zip.file('missing.csv')!.async('text')).toContain('The tracks are made by the house that solves,Ivo Tam');
  // a guest sees it and has no button for it
  const guest = crew.guest.page;
  await guest.goto(at('/wrap'));
  await expect(guest.getByTestId('handed-over')).toContainText('to Lisk & Daughters by Ivo Tam');
  await expect(guest.getByTestId('hand-over')).toHaveCount(0);
  await expect(guest.getByRole('button', { name: /It cannot be had/ })).toHaveCount(0);
  // the owner changes the height; what leaves next is that and no more
  await page.goto(at('/floor'));
  await page.getByTestId('setup-41').click();
  await page.getByTestId('take-41-1').click();
  await page.getByTestId('length-field').fill('1m42');
  await page.getByTestId('length-field').press('Enter');
  // it stands there before the page goes: until then "all sent" is of what was before
  await expect(page.getByRole('button', { name: 'Undo' })).toBeVisible();
  await allSent(page);
  await page.goto(at('/wrap'));
  await expect(page.getByTestId('changed-since')).toContainText('take 41 take 1: camera height');
  const supplement = Object.keys((await leave(page, null)).files);
  expect(supplement).toEqual(expect.arrayContaining(['CONTENTS.txt', 'MANIFEST.sha256', 'readings.csv', 'takes.csv']));
  expect(supplement).not.toContain('kit.csv');
  // another house wants it otherwise: described by one, changed by a second, seen by a third, and followed by what leaves
  await page.getByTestId('new-receiver').click();
  await audit(page, 'a new receiver');
  await page.getByTestId('receiver-name').fill('Orrery Post');
  await page.getByTestId('leaves-edit').click();
  await page.getByRole('radio', { name: 'centimetres' }).click();
  await page.getByTestId('keep-receiver').click();
  await expect(page.getByRole('radio', { name: /^Orrery Post/ })).toBeChecked();
  await allSent(page);
  await theirs.goto(at('/wrap'));
  await theirs.getByRole('radio', { name: /^Orrery Post/ }).click();
  await theirs.getByTestId('change-receiver').click();
  await theirs.getByTestId('receiver-frames').fill('1000');
  await theirs.getByTestId('keep-receiver').click();
  await allSent(theirs);
  await expect(theirs.getByText(/not leave, as wanted/)).toBeVisible();
  const wanted = await leave(theirs, null);
  expect(await wanted.file('CONTENTS.txt')!.async('text')).toMatch(
    /^Made for Orrery Post\.\n[\s\S]*centimetres, Y up[\s\S]*and 1000\.[\s\S]*Left out at the receiver's wish: Edit list, log, framing\./,
  );
  expect(Object.keys(wanted.files)).toEqual(expect.arrayContaining(['kit.csv', 'takes.csv']));
  expect(Object.keys(wanted.files)).not.toContain('takes.fdl');
  await guest.goto(at('/wrap'));
  await expect(guest.getByTestId('handed-over').first()).toContainText('to Orrery Post by Ivo Tam');
  await expect(guest.getByRole('radio', { name: /^Orrery Post.*frames \+1000/ })).toBeVisible();
  await expect(guest.getByTestId('change-receiver')).toHaveCount(0);
});

test('a shot list of sixty setups comes in, and a later one changes what differs', async () => {
  const rows = Array.from({ length: 60 }, (_, i) => [
    `${3 + Math.floor(i / 20)}`,
    `${50 + Math.floor(i / 3)}`,
    `${50 + Math.floor(i / 3)}${['', 'A', 'B'][i % 3]}`,
    ['Jetty', 'Hold'][i % 2],
    `Beat ${i + 1}`,
    '32',
    ['dolly', 'locked off', 'pan'][i % 3],
  ]);
  const head = ['Day', 'Scene', 'Slate', 'Set', 'Description', 'Lens', 'Move'];
  const text = (list: string[][]) => [head, ...list].map((r) => r.join('\t')).join('\n');
  await page.goto(at('/plan/shot-list'));
  await page.getByTestId('paste-list').fill(text(rows));
  await page.getByTestId('read-pasted').click();
  await expect(page.getByText('60 new, 0 change, 0 same')).toBeVisible();
  await audit(page, 'shot list');
  await page.getByTestId('bring-in').click();
  await expect(page.getByText(/60 setups are new/)).toBeVisible();
  // the later list is the office's workbook
  const later = path.join(dir, 'list.xlsx');
  writeFileSync(later, await workbook([head, ...rows.map((r, i) => (i === 7 ? [...r.slice(0, 4), 'Beat 8, again', ...r.slice(5)] : r))]));
  await choose(page, 'choose-list', later);
  await expect(page.getByText('0 new, 1 change, 59 same')).toBeVisible();
  await page.getByTestId('bring-in').click();
  await allSent(page);
  await page.getByTestId('where').click();
  await expect(page.getByTestId('day-Day 3')).toContainText('20 setups');
  await page.getByTestId('day-Day 4').click();
  await page.goto(at('/floor'));
  await expect(page.getByTestId('setup-57').first()).toBeVisible();
});

test('a lens that was measured here is known in one’s next film: its kit file is brought in, and a camera is mounted from it', async () => {
  await page.goto(at('/kit/other-film'));
  const saved = page.waitForEvent('download');
  await page.getByTestId('save-kit').click();
  const file = path.join(dir, 'kit.zip');
  await (await saved).saveAs(file);
  await page.getByTestId('where').click();
  await page.getByTestId('new-production').click();
  await page.getByTestId('production-name').fill('Second Tide');
  await page.getByTestId('keep-production').click();
  await expect(page.getByTestId('where')).toContainText('Second Tide');
  await page.goto(at('/kit/other-film'));
  await choose(page, 'pick-kit', file);
  await expect(page.getByTestId('kit-line-Lens 32')).toContainText('new');
  await audit(page, 'kit of another film');
  await page.getByTestId('bring-kit').click();
  await expect(page.getByText(/parts of kit\.zip came in/)).toBeVisible();
  await choose(page, 'pick-kit', file);
  await expect(page.getByText(/0 new, 0 different/)).toBeVisible();
  await page.goto(at('/kit'));
  await page.getByTestId('step-camera').click();
  await expect(page.getByRole('radio', { name: /^Lens 32/ })).toBeChecked();
  await audit(page, 'mount from the kit');
  await page.getByTestId('mount').click();
  await expect(page.getByRole('heading', { name: 'A-cam' })).toBeVisible();
  await expect(page.getByTestId('effective-focal')).toContainText('32.00');
  await allSent(page);
  // a day of the first film comes in as it was handed over: seen first, and a second time it is all here
  await page.goto(at('/wrap'));
  await page.getByTestId('open-handover-in').click();
  await choose(page, 'pick-handover', path.join(dir, 'day.zip'));
  await expect(page.getByTestId('handover-told')).toContainText('Day 1 of Tin Harbour');
  await audit(page, 'a handover in');
  await page.getByTestId('bring-handover').click();
  await expect(page.getByText(/^✓ \d+ records came in$/)).toBeVisible();
  await expect(page.getByTestId('solves-came')).toContainText(/^\d+ test solves? came along/);
  await page.getByTestId('go-to-day').click();
  await page.getByTestId('setup-41').click();
  await expect(page.getByTestId('take-41-1')).toBeVisible();
  // and what it said of the record is here, without being solved again
  await page.goto(at('/check'));
  await page.getByTestId('check-41-1').click();
  await expect(page.getByTestId('reconcile-sentence')).toBeVisible();
  // plates of the lens came after it: it was old when it left, and is so here
  await expect(page.getByTestId('stale')).toContainText('answers for the record as it was');
  await page.goto(at('/wrap/in'));
  await choose(page, 'pick-handover', path.join(dir, 'day.zip'));
  await expect(page.getByTestId('bring-handover')).toHaveText(/Everything is here already/);
  // the first film is as it was
  await page.getByTestId('where').click();
  await page.getByTestId('production-Tin Harbour').click();
  await expect(page.getByTestId('where')).toContainText('Tin Harbour');
});

test('on the second day stills of one’s own walk are laid by one, shot by another and placed by both; two marks with a known distance make a metre of it', async () => {
  test.setTimeout(300_000);
  const theirs = crew.supervisor.page;
  for (const p of [page, theirs]) {
    await p.goto(at('/floor'));
    await p.getByTestId('where').click();
    await p.getByTestId('day-Day 2').click();
    await expect(p.getByTestId('where')).toContainText('Day 2');
  }
  await page.getByRole('button', { name: 'Open a setup' }).click();
  await page.getByTestId('setup-scene').fill('90');
  await page.getByRole('radio', { name: 'Galley', exact: true }).click();
  await page.getByTestId('open-new-setup').click();
  await allSent(page);
  await page.goto(at('/plan'));
  await page.getByTestId('plan-90').click();
  await page.getByRole('radio', { name: 'set', exact: true }).click();
  await page.getByTestId('add-wall').click();
  await page.getByRole('radio', { name: 'stills', exact: true }).click();
  // a quarter of overlap can be looked at, and not placed: it says so before anybody walks
  await expect(page.getByTestId('stills-placeable')).toContainText('65 %');
  await page.getByTestId('stills-overlap').fill('75');
  await expect(page.getByTestId('stills-placeable')).toHaveCount(0);
  await page.getByTestId('lay-stills').click();
  const count = Number(/^(\d+) pictures/.exec((await page.getByTestId('stills-count').textContent())!)![1]);
  expect(count).toBeGreaterThanOrEqual(5);
  await allSent(page);
  // a wall of stains in three sizes, and the camera a quarter of a picture further along it each time
  const wall = path.join(dir, 'wall.png');
  const stains = (across: number, seed: number) =>
    `nullsrc=s=${across}x${Math.round(across * 0.18)}:d=1,geq=lum='255*mod(abs(sin(X*12.9898+Y*78.233+${seed})*43758.5453),1)':cb=128:cr=128,scale=3000:540:flags=bicubic`;
  execFileSync('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', stains(60, 1), '-f', 'lavfi', '-i', stains(160, 2), '-f', 'lavfi', '-i', stains(380, 3)],
    ...['-filter_complex', '[0][1]blend=all_mode=average[a];[a][2]blend=all_mode=average,format=gray', '-frames:v', '1', '-y', wall],
  ]);
  const STEP_PX = 256;
  const files = Array.from({ length: 5 }, (_, i) => {
    const file = path.join(dir, `wall_${i + 1}.png`);
    execFileSync('ffmpeg', ['-v', 'error', '-i', wall, '-vf', `crop=1024:540:${STEP_PX * i}:0,noise=alls=5:all_seed=${7 + i}`, '-frames:v', '1', '-y', file]);
    return file;
  });
  await theirs.goto(at('/floor'));
  await theirs.getByTestId('setup-90').click();
  await theirs.getByTestId('open-walk').click();
  const picker = theirs.waitForEvent('filechooser');
  await theirs.getByTestId('shoot-stills').click();
  await (await picker).setFiles(files);
  await expect(theirs.getByTestId('walk-head')).toContainText('5');
  await allSent(theirs);
  await theirs.getByTestId('place-walk').click();
  await expect(theirs.getByTestId('walk-placed')).toContainText('5 of 5 placed', { timeout: 120_000 });
  await expect(theirs.getByText(/do not tell the focal length/)).toBeVisible();
  await audit(theirs, 'a walk placed');
  await noSidewaysScroll(theirs);
  // the owner sees the same, and points out two marks of known places in two of the pictures
  await page.goto(theirs.url());
  await expect(page.getByTestId('walk-placed')).toContainText('5 of 5 placed');
  const [first, second] = Object.keys(PLACES);
  for (const [i, station] of ['2', '3'].entries()) {
    await page.getByTestId(`station-${station}`).click();
    await page.getByTestId('still-marks').click();
    const width = (await page.getByTestId('aim').boundingBox())!.width;
    for (const [mark, xPx, yPx] of [
      [first, 420, 180],
      [second, 800, 320],
    ] as const) {
      await page.getByTestId('aim').click({ position: { x: (width * (xPx - STEP_PX * i)) / 1024, y: (width * yPx) / 1024 } });
      await page.getByTestId(`mark-is-${mark}`).click();
      await expect(page.getByTestId(`still-mark-${mark}`)).toBeVisible();
    }
    await page.getByRole('button', { name: 'Back to the walk' }).click();
  }
  await allSent(page);
  await page.getByTestId('place-walk').click();
  await expect(page.getByTestId('walk-metre')).toContainText('taped between marks', { timeout: 120_000 });
  // a picture that was removed makes that old for the other one too, and comes back with one tap
  await page.getByTestId('station-5').click();
  await page.getByTestId('remove-still').click();
  await expect(theirs.getByTestId('walk-stale')).toBeVisible();
  await page.getByRole('button', { name: 'Close Station 5' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByTestId('walk-head')).toContainText('5');
  await expect(theirs.getByTestId('walk-stale')).toHaveCount(0);
  // the guest reads it, and starts nothing
  await crew.guest.page.goto(theirs.url());
  await expect(crew.guest.page.getByTestId('walk-metre')).toBeVisible();
  await expect(crew.guest.page.getByTestId('place-walk')).toHaveCount(0);
});

/** Marks on a slipway's floor: nobody knows their places, but the lengths between them. */
const SLIP: Record<string, readonly [number, number, number]> = { S1: [-2, 0, -7], S2: [2.2, 0, -7.2], S3: [2.8, 0, -11], S4: [-2.6, 0, -10.5] };

test('a set of which only lengths are known: taped by one, pointed out in a picture by another, and the height that the first one changes is contradicted', async () => {
  const theirs = crew.supervisor.page;
  await page.goto(at('/floor'));
  await page.getByTestId('new-setup').click();
  await page.getByTestId('setup-scene').fill('91');
  await page.getByRole('radio', { name: 'a new set' }).click();
  await page.getByTestId('setup-set-name').fill('Slipway');
  await page.getByTestId('open-new-setup').click();
  await page.getByTestId('log-take').click();
  await page.getByTestId('length-field').fill('1m41');
  await page.getByTestId('length-field').press('Enter');
  await expect(page.getByRole('button', { name: 'Undo' })).toBeVisible();
  await allSent(page);
  const take = page.url();
  const far = (a: string, b: string) => Math.hypot(...SLIP[a].map((v, i) => v - SLIP[b][i])).toFixed(3);
  const ties = ['S1 S2', 'S2 S3', 'S3 S4', 'S4 S1', 'S1 S3', 'S2 S4'].map((pair) => pair.split(' '));
  const bring = async (text: string) => {
    await theirs.goto(at('/floor'));
    await theirs.getByTestId('setup-91').click();
    await theirs.getByTestId('open-net').click();
    await theirs.getByTestId('net-from-table').click();
    await theirs.getByTestId('paste-list').fill(text);
    await theirs.getByTestId('read-pasted').click();
    await theirs.getByTestId('bring-in').click();
    await expect(theirs.getByText(/^✓ \d new, 0 changed/)).toBeVisible();
    await allSent(theirs);
  };
  await bring(`from\tto\tlength\tunit\n${ties.map(([a, b]) => `${a}\t${b}\t${far(a, b)}\tm`).join('\n')}\n`);
  const frame = path.join(dir, 'A_91_1_f1.png');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc=s=1024x540:d=1', '-frames:v', '1', '-y', frame]);
  await theirs.goto(at('/check'));
  await theirs.getByTestId('check-91-1').click();
  await choose(theirs, 'add-lineup', frame);
  await theirs.getByTestId('lineup-A_91_1_f1.png').click();
  await expect(theirs.getByTestId('lineup-sentence')).toContainText('Nothing ties the tape net to the floor');
  const width = (await theirs.getByTestId('aim').boundingBox())!.width;
  for (const [id, [x, y, z]] of Object.entries(SLIP)) {
    const depth = CAMERA[2] - z;
    await theirs.getByTestId('aim').click({ position: { x: width * (0.5 + ((32 / 24) * (x - CAMERA[0])) / depth), y: width * ((0.5 * 540) / 1024 - ((32 / 24) * (y - CAMERA[1])) / depth) } });
    await theirs.getByTestId(`mark-is-${id}`).click();
    await expect(theirs.getByTestId(`lineup-mark-${id}`)).toBeVisible();
  }
  // lengths alone tell how far away the marks are; of the height nothing is said until somebody says that they lie on the floor
  await expect(theirs.getByTestId('lineup-mark-S1')).toContainText(/7\.\d\d m away/);
  await expect(theirs.getByTestId('lineup-found')).not.toContainText('m high');
  await allSent(theirs);
  const picture = theirs.url();
  await bring(
    `mark\tvalue\tunit\n${Object.keys(SLIP)
      .map((id) => `${id}\t0\tm`)
      .join('\n')}\n`,
  );
  await theirs.goto(picture);
  await expect(theirs.getByTestId('lineup-found')).toContainText(/1\.[345]\d\d\s*m high/);
  await expect(theirs.getByTestId('lineup-verdict')).toContainText('agrees');
  await expect(theirs.getByTestId('lineup-fact-the length S1 – S2')).toBeVisible();
  await audit(theirs, 'a picture by its lengths');
  await noSidewaysScroll(theirs);
  // the owner changes the height, and the picture of the other one says so
  await page.goto(take);
  await page.getByTestId('length-field').fill('2m10');
  await page.getByTestId('length-field').press('Enter');
  await allSent(page);
  await expect(theirs.getByTestId('lineup-verdict')).toContainText('contradicts');
  await crew.guest.page.goto(picture);
  await expect(crew.guest.page.getByTestId('lineup-found')).toContainText('m high');
  await expect(crew.guest.page.getByTestId('aim')).toHaveCount(0);
});

test('a second start in the same folder says where the first one is, and leaves it alone', async () => {
  const second = runToEnd('bin/serve', ['--host', '127.0.0.1', '--port', '0'], server.dataDir);
  expect(second.out).toContain(`runs here already, at ${server.address}`);
  expect(second.code).toBe(1);
  expect((await fetch(at('/api/health'))).status).toBe(200);
  const open = runToEnd('bin/serve', ['--tls', 'off'], path.join(dir, 'other'));
  expect(open.out).toMatch(/listens on this machine only/);
  expect(open.code).toBe(2);
  expect(existsSync(path.join(dir, 'other'))).toBe(false);
});

test('with a certificate of its own it is trusted by who trusts its authority, and a database server that is killed comes back', async () => {
  test.setTimeout(300_000);
  const data = path.join(dir, 'tls');
  const own = await start('bin/serve', data, ['--host', '127.0.0.1', '--port', '0', '--tls', 'own']);
  try {
    expect(own.address).toMatch(/^https:/);
    const ca = readFileSync(path.join(data, 'tls/authority.crt'));
    const ask = (trusted: boolean) =>
      new Promise<{ status: number | string; headers: IncomingHttpHeaders }>((resolve) =>
        https
          .get(`${own.address}/api/health`, { ...(trusted ? { ca } : {}), agent: false, timeout: 5000 }, (res) => {
            res.resume();
            resolve({ status: res.statusCode!, headers: res.headers });
          })
          .on('error', (e: NodeJS.ErrnoException) => resolve({ status: e.code ?? e.message, headers: {} })),
      );
    expect(await ask(true)).toMatchObject({ status: 200, headers: { 'strict-transport-security': expect.stringContaining('max-age') } });
    expect((await ask(false)).status).not.toBe(200);
    const trust = /(http:\S+)\s+explains/.exec(own.output)![1];
    expect(await (await fetch(trust)).text()).toContain(own.address);
    await onATrustingPhone(path.join(data, 'tls/authority.crt'), async (p, setOffline) => {
      const link = /https:\S+\/begin#\S+/.exec(own.output)![0];
      await p.goto(trust);
      await expect(p.getByText(own.address).first()).toBeVisible();
      await p.goto(link);
      await p.getByTestId('production-name').fill('Salt Stair');
      await p.getByTestId('person-name').fill('Ada Quill');
      await p.getByTestId('person-password').fill(PASSWORD);
      await p.getByTestId('begin').click();
      await expect(p).toHaveURL(/\/kit$/);
      await p.evaluate(async () => void (await navigator.serviceWorker.ready));
      expect(await p.evaluate(() => [isSecureContext, navigator.serviceWorker.controller !== null || 'caches' in window])).toEqual([true, true]);
      expect(await p.context().cookies()).toEqual([expect.objectContaining({ name: expect.stringMatching(/^__Host-/), secure: true, httpOnly: true })]);
      // the page itself comes from the phone when the line is gone
      await p.reload();
      await setOffline(true);
      await p.reload();
      await expect(p.getByTestId('first-steps')).toBeVisible();
      await expect(p.getByTestId('state-line')).toHaveText(/no network/);
      await setOffline(false);
      await allSent(p);
    });
    // as a fault would: at once, without a word
    const pidFile = path.join(data, 'postgres/data/postmaster.pid');
    const killed = readFileSync(pidFile, 'utf8');
    process.kill(Number(killed.split('\n')[0]), 'SIGKILL');
    await expect.poll(() => existsSync(pidFile) && readFileSync(pidFile, 'utf8') !== killed, { timeout: 90_000 }).toBe(true);
    await expect.poll(async () => (await ask(true)).status, { timeout: 90_000 }).toBe(200);
  } finally {
    await stopDemo(own.pid);
  }
});

test('a backup is put back on another machine, and what only a phone still has goes back by its person’s word', async ({ browser }) => {
  test.setTimeout(300_000);
  const file = path.join(dir, 'film.zip');
  const made = runToEnd('bin/admin', ['backup', file], server.dataDir);
  expect(made.out).toMatch(/4 users, 2 productions/);
  expect(runToEnd('bin/admin', ['verify', file], server.dataDir).out).toContain('is whole');
  // entered after the backup: the phone and the old server have it
  await page.goto(at('/floor'));
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 1').click();
  await page.getByTestId('setup-41').click();
  await page.getByTestId('log-take').click();
  await page.getByTestId('take-done').waitFor();
  const take = /take (\d+)/.exec((await page.getByRole('heading', { level: 1 }).textContent())!)![1];
  await allSent(page);
  await stopDemo(server.pid);
  const before = server.pid;
  server = await start('bin/serve', path.join(dir, 'second'), ['--host', '127.0.0.1', '--port', String(port)]);
  expect(server.pid).not.toBe(before);
  const restored = runToEnd('bin/admin', ['restore', file], server.dataDir);
  expect(restored.out).toMatch(/Restored from/);
  // a backup signs nobody in
  await page.goto(at('/floor'));
  await page.getByTestId('sign-in-name').fill('ada quill');
  await page.getByTestId('sign-in-password').fill(PASSWORD);
  await page.getByTestId('sign-in').click();
  await expect(page.getByTestId('state-line')).toHaveText('1 needs you');
  await page.getByTestId('state-line').click();
  await expect(page.getByTestId('only-here')).toContainText(`take 41 take ${take}, by Ada Quill`);
  await page.getByTestId('give-back').click();
  await page.getByRole('button', { name: 'Close What waits here' }).click();
  await allSent(page);
  const other = await newPhone(browser);
  const theirs = await other.newPage();
  await theirs.goto(at('/floor'));
  await theirs.getByTestId('sign-in-name').fill('Ivo Tam');
  await theirs.getByTestId('sign-in-password').fill(`${PASSWORD} supervisor`);
  await theirs.getByTestId('sign-in').click();
  await theirs.getByTestId('where').click();
  await theirs.getByTestId('day-Day 1').click();
  await theirs.getByTestId('setup-41').click();
  await expect(theirs.getByTestId(`take-41-${take}`)).toBeVisible();
  await other.close();
  for (const one of Object.values(crew)) await one.context.close();
});
