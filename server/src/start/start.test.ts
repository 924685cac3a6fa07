import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import https from 'node:https';
import os from 'node:os';
import path from 'node:path';
import { openToTheNetwork } from '../config';
import { machineNames, ownCertificate } from './certificates';
import { AlreadyRunning, oneStart } from './one-start';
import { OptionError, readOptions } from './options';
import { backOff, LONGEST_WAIT_MS, SHORTEST_WAIT_MS, superviseCluster } from './supervise';
import { AUTHORITY_PATH, trustServer } from './trust-page';

const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-start-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('options', () => {
  test('open to the set’s network it makes a certificate; on loopback and behind a proxy it needs none', () => {
    expect(readOptions([])).toMatchObject({ host: '0.0.0.0', port: 4180, tls: 'own', workers: 1, demo: false });
    expect(readOptions(['--host', '127.0.0.1'])).toMatchObject({ tls: 'off' });
    expect(readOptions(['--behind-proxy'])).toMatchObject({ tls: 'off', behindProxy: true });
    expect(readOptions(['--tls-cert', 'a', '--tls-key', 'b'])).toMatchObject({ tls: 'files' });
    expect(readOptions(['--host', '127.0.0.1', '--tls', 'own'])).toMatchObject({ tls: 'own' });
    expect(readOptions(['--demo', '--fresh', '--port', '0'])).toMatchObject({ host: '127.0.0.1', port: 0, demo: true, fresh: true });
  });
  test('further names are those of the option and of the environment, once', () => {
    expect(readOptions(['--name', 'Film.set', '--name', '10.4.0.2'], { MESURE_NAMES: 'film.set  cart-2' }).names).toEqual(['film.set', '10.4.0.2', 'cart-2']);
    expect(readOptions([]).names).toEqual([]);
  });
  test.each([
    [['--name', 'https://film.set'], /without https/],
    [['--name', 'film.set:4180'], /without https/],
    [['--tls', 'off'], /machine only/],
    [['--tls-cert', 'a'], /go together/],
    [['--workers', 'two'], /whole number/],
    [['--port', '70000'], /65535/],
    [['--fresh'], /bin\/demo/],
    [['--tls', 'maybe'], /own or off/],
    [['--something'], /something/],
    [['extra'], /--help/],
  ])('%j is refused in words', (args, words) => {
    expect(() => readOptions(args)).toThrow(OptionError);
    expect(() => readOptions(args)).toThrow(words);
  });
  test('the web process itself does not listen to a network in the clear, whoever starts it', () => {
    expect(openToTheNetwork('0.0.0.0', false, false)).toMatch(/--tls-cert/);
    expect(openToTheNetwork('192.168.7.4', false, false)).not.toBeNull();
    for (const [host, tls, proxy] of [
      ['0.0.0.0', true, false],
      ['0.0.0.0', false, true],
      ['127.0.0.1', false, false],
      ['::1', false, false],
    ] as const)
      expect(openToTheNetwork(host, tls, proxy)).toBeNull();
  });
});

describe('a certificate of its own', () => {
  const names = ['localhost', 'stage-cart', '127.0.0.1', '::1'];
  const tls = path.join(dir, 'tls');
  const get = (port: number, host: string, ca: Buffer) =>
    new Promise<string>((resolve) => {
      const req = https.get({ port, host: '127.0.0.1', servername: host, ca, agent: false }, (res) => {
        res.resume();
        res.on('end', () => resolve('ok'));
      });
      req.on('error', (e) => resolve((e as NodeJS.ErrnoException).code ?? e.message));
    });

  test('is trusted by who trusts its authority, for this machine’s names only', async () => {
    const own = await ownCertificate(tls, names);
    const server = https.createServer({ cert: readFileSync(own.certFile), key: readFileSync(own.keyFile) }, (_q, r) => r.end('hello')).listen(0, '127.0.0.1');
    await new Promise((r) => server.once('listening', r));
    const { port } = server.address() as { port: number };
    const ca = readFileSync(own.authorityFile);
    const other = readFileSync((await ownCertificate(path.join(dir, 'other'), names)).authorityFile);
    expect(await get(port, 'localhost', ca)).toBe('ok');
    expect(await get(port, 'stage-cart', ca)).toBe('ok');
    expect(await get(port, 'elsewhere', ca)).toBe('ERR_TLS_CERT_ALTNAME_INVALID');
    expect(await get(port, 'localhost', other)).not.toBe('ok');
    server.closeAllConnections();
    await new Promise((r) => server.close(r));
  });

  test('stays while it is good; a new address or its last month makes another one of the same authority', async () => {
    const now = readFileSync(path.join(tls, 'machine.crt'), 'utf8');
    const authority = readFileSync(path.join(tls, 'authority.crt'), 'utf8');
    await ownCertificate(tls, names);
    expect(readFileSync(path.join(tls, 'machine.crt'), 'utf8')).toBe(now);
    await ownCertificate(tls, [...names, '192.168.7.4']);
    const second = readFileSync(path.join(tls, 'machine.crt'), 'utf8');
    expect(second).not.toBe(now);
    await ownCertificate(tls, names, new Date(Date.now() + 380 * 86_400_000));
    expect(readFileSync(path.join(tls, 'machine.crt'), 'utf8')).not.toBe(second);
    expect(readFileSync(path.join(tls, 'authority.crt'), 'utf8')).toBe(authority);
  });

  test('names of a machine: its own, and the addresses at which others find it', () => {
    const found = machineNames(
      {
        lo: [{ address: '127.0.0.1', internal: true }],
        wlan0: [
          { address: '192.168.7.4', internal: false },
          { address: 'fe80::1', internal: false },
        ],
      } as never,
      'Cart.local',
    );
    expect(found).toEqual(['localhost', 'cart', 'cart.local', '127.0.0.1', '::1', '192.168.7.4']);
  });

  test('a phone learns on a page without TLS how to trust it; everything else goes to TLS', async () => {
    const server = trustServer(path.join(tls, 'authority.crt'), 'https://192.168.7.4:4180').listen(0, '127.0.0.1');
    await new Promise((r) => server.once('listening', r));
    const base = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
    const page = await (await fetch(base, { headers: { 'user-agent': 'Mozilla (iPhone)' } })).text();
    expect(page).toContain('https://192.168.7.4:4180');
    expect(page.indexOf('iPhone or iPad')).toBeLessThan(page.indexOf('<summary>Android'));
    const given = await fetch(base + AUTHORITY_PATH);
    expect(given.headers.get('content-type')).toBe('application/x-x509-ca-cert');
    expect(await given.text()).toBe(readFileSync(path.join(tls, 'authority.crt'), 'utf8'));
    const elsewhere = await fetch(`${base}/floor?x=1`, { redirect: 'manual' });
    expect([elsewhere.status, elsewhere.headers.get('location')]).toEqual([308, 'https://192.168.7.4:4180/floor']);
    server.closeAllConnections();
    server.close();
  });
});

test('of the ports that a start asks for no two are the same, though none of them is taken yet', async () => {
  const { freePort } = await import('../../../scripts/cluster.mjs');
  const ports: number[] = [];
  for (let i = 0; i < 1500; i += 1) ports.push(await freePort());
  expect(new Set(ports).size).toBe(1500);
});

describe('two commands that are started at once', () => {
  const root = path.resolve(__dirname, '../../..');
  /** As bin/ does: what is to be built is built in turn. */
  const inTurn = (script: string) =>
    new Promise<number | null>((done) => {
      spawn('bash', ['-c', `set -e; . "${root}/scripts/ensure.sh"; in_turn bash -c '${script}'`], { stdio: 'ignore' }).once('exit', done);
    });

  test('build one after the other', async () => {
    const file = path.join(dir, 'built.txt');
    const build = (name: string) => inTurn(`echo ${name} begins >> ${file}; sleep 0.4; echo ${name} ends >> ${file}`);
    expect(await Promise.all([build('a'), build('b')])).toEqual([0, 0]);
    const lines = readFileSync(file, 'utf8').trim().split('\n');
    expect(lines).toHaveLength(4);
    for (const i of [0, 2]) expect(lines[i + 1]).toBe(lines[i].replace('begins', 'ends'));
  });
  test('a build that fails ends its command, and the next one has its turn', async () => {
    expect(await inTurn('exit 3')).toBe(3);
    expect(await inTurn('true')).toBe(0);
  });
});

describe('keeping things running', () => {
  test('what ends often waits longer, what ends once a day starts at once, and neither is given up', () => {
    let t = 0;
    const wait = backOff(() => t);
    const waits = Array.from({ length: 12 }, () => wait.next());
    expect(waits[0]).toBe(SHORTEST_WAIT_MS);
    expect(waits.every((w, i) => i === 0 || w >= waits[i - 1])).toBe(true);
    expect(waits[11]).toBe(LONGEST_WAIT_MS);
    for (let day = 0; day < 100; day += 1) {
      t += 86_400_000;
      expect(wait.next()).toBe(SHORTEST_WAIT_MS);
    }
  });

  test('a database server that ended is started again, and a start that fails is tried again', async () => {
    let alive = false;
    let starts = 0;
    const said: string[] = [];
    const watch = superviseCluster(
      {
        alive: () => alive,
        async startAgain() {
          starts += 1;
          if (starts === 1) throw new Error('no room');
          alive = true;
        },
      },
      (text) => said.push(text),
      5,
    );
    while (!alive) await new Promise((r) => setTimeout(r, 10));
    watch.stop();
    expect(starts).toBe(2);
    expect(said).toContain('no room');
  });

  test('a second start in one folder is told where the first one is; what a killed start left does not count', async () => {
    const folder = path.join(dir, 'one');
    const other = spawn(process.execPath, ['-e', 'setTimeout(() => {}, 60000)', 'serve.mjs']);
    await new Promise((r) => other.once('spawn', r));
    const lock = oneStart(folder);
    lock.release();
    writeFileSync(path.join(folder, 'running.json'), JSON.stringify({ pid: other.pid, address: 'https://192.168.7.4:4180' }));
    expect(() => oneStart(folder)).toThrow(AlreadyRunning);
    expect(() => oneStart(folder)).toThrow(/https:\/\/192\.168\.7\.4:4180/);
    other.kill('SIGKILL');
    await new Promise((r) => other.once('exit', r));
    const again = oneStart(folder);
    again.at('http://127.0.0.1:1');
    expect(JSON.parse(readFileSync(path.join(folder, 'running.json'), 'utf8'))).toEqual({ pid: process.pid, address: 'http://127.0.0.1:1' });
    again.release();
  });
});
