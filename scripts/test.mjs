#!/usr/bin/env node
// Runs everything and counts: types, lint, format, unit and server tests, then the real interface in a browser.
//   node scripts/test.mjs [types|lint|unit|browser]…    default: all
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const bin = (name) => path.join(root, 'node_modules/.bin', name);
const scratch = mkdtempSync(path.join(os.tmpdir(), 'mesure-results-'));
let passed = 0;
let failed = 0;
const say = (text) => process.stdout.write(`${text}\n`);

function run(title, command, args, { cwd = root, minutes = 20, env = {} } = {}) {
  say(`\n== ${title}`);
  const began = Date.now();
  const r = spawnSync(command, args, { cwd, stdio: 'inherit', timeout: minutes * 60_000, env: { ...process.env, CI: 'true', NODE_OPTIONS: '--max-old-space-size=6144', ...env } });
  say(`-- ${title}: ${r.status === 0 ? 'done' : 'failed'} in ${((Date.now() - began) / 1000).toFixed(0)} s`);
  return r.status === 0;
}
const one = (ok) => {
  if (ok) passed += 1;
  else failed += 1;
};

/** Several that need one core each, two at a time; each says what it has to say when it is done. */
async function together(jobs) {
  const waiting = [...jobs];
  const next = async () => {
    for (let job = waiting.shift(); job; job = waiting.shift()) {
      const [title, command, args] = job;
      const began = Date.now();
      const ok = await new Promise((resolve) => {
        const out = [];
        const child = spawn(command, args, { cwd: root, timeout: 20 * 60_000, env: { ...process.env, CI: 'true', NODE_OPTIONS: '--max-old-space-size=6144' } });
        child.stdout.on('data', (d) => out.push(d));
        child.stderr.on('data', (d) => out.push(d));
        child.on('error', (e) => (say(String(e)), resolve(false)));
        child.on('close', (code) => {
          say(`\n== ${title}`);
          if (out.length > 0) process.stdout.write(out.map(String).join(''));
          resolve(code === 0);
        });
      });
      say(`-- ${title}: ${ok ? 'done' : 'failed'} in ${((Date.now() - began) / 1000).toFixed(0)} s`);
      one(ok);
    }
  };
  await Promise.all([next(), next()]);
}

const TYPES = [
  ['types', bin('tsc'), ['-p', 'tsconfig.json']],
  ['types of the browser tests', bin('tsc'), ['-p', 'e2e/tsconfig.json']],
  ['types of the ordeal', bin('tsc'), ['-p', 'scripts/ordeal/tsconfig.json']],
  ['types of the client', bin('tsc'), ['-p', 'app/tsconfig.json']],
];
const LINT = [
  ['lint', bin('eslint'), ['.', '--max-warnings=0']],
  ['dependencies', process.execPath, ['scripts/dependencies.mjs', '--check']],
  ['format', bin('prettier'), ['--check', '--log-level=warn', '**/*.{ts,tsx,js,mjs,json}']],
];

const steps = {
  types: () => together(TYPES),
  lint: () => together(LINT),
  unit() {
    const out = path.join(scratch, 'jest.json');
    const ok = run('unit and server tests', bin('jest'), ['--json', `--outputFile=${out}`, '--forceExit', '--maxWorkers=2'], { minutes: 45 });
    count(ok, () => {
      const r = JSON.parse(readFileSync(out, 'utf8'));
      // a suite that could not even start counts as one failure
      return [r.numPassedTests, r.numFailedTests + r.numRuntimeErrorTestSuites];
    });
  },
  browser() {
    const out = path.join(scratch, 'playwright.json');
    const ok = run('the interface in a browser', bin('playwright'), ['test', '-c', 'playwright.config.ts', '--reporter=list,json'], {
      cwd: path.join(root, 'e2e'),
      minutes: 45,
      env: { PLAYWRIGHT_JSON_OUTPUT_NAME: out },
    });
    count(ok, () => {
      const { stats } = JSON.parse(readFileSync(out, 'utf8'));
      return [stats.expected, stats.unexpected + stats.flaky + stats.skipped];
    });
  },
};

function count(ok, read) {
  try {
    const [p, f] = read();
    passed += p;
    failed += f;
    if (!ok && f === 0) failed += 1;
  } catch {
    failed += 1;
  }
}

const wanted = process.argv.slice(2);
// the longest first, so that the two cores end together
if (wanted.length === 0) await together([LINT[0], TYPES[0], TYPES[2], LINT[2], TYPES[1], LINT[1]]);
for (const name of wanted.length > 0 ? wanted : ['unit', 'browser']) {
  if (!steps[name]) {
    process.stderr.write(`bin/test: ${name} is not known; the parts are ${Object.keys(steps).join(', ')}\n`);
    process.exit(2);
  }
  await steps[name]();
}
rmSync(scratch, { recursive: true, force: true });
say(`\n${passed} passed, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
