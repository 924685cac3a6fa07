#!/usr/bin/env node
// Which packages this program stands on: licence, when each was published, whether it wants to run a script when it is installed.
//   node scripts/dependencies.mjs            writes docs/dependencies.csv; asks the registry for dates that it does not have
//   node scripts/dependencies.mjs --check    without a network: the list is that of the lock file, and each licence one of those below
import { readFileSync, writeFileSync, existsSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const FILE = path.join(root, 'docs/dependencies.csv');
const HEAD = 'package,version,licence,published,install script,used';
/** Those whose text asks for no more than to be named; a copyleft by file is fine for what is used unchanged. */
const LICENCES =
  /^\(?(MIT|MIT-0|ISC|BSD-2-Clause|BSD-3-Clause|0BSD|Apache-2\.0|BlueOak-1\.0\.0|CC0-1\.0|CC-BY-4\.0|CC-BY-3\.0|OFL-1\.1|Python-2\.0|Unlicense|WTFPL|Zlib|MPL-2\.0|LGPL-3\.0-or-later|Unicode-DFS-2016|BSD|Public Domain)(\)| AND | OR |\/|$)/;
/** Want to run something when they are installed; it is not run (.npmrc), and they work without. */
const WITH_SCRIPT = new Set(['esbuild', 'fsevents', 'unrs-resolver']);
/** It stands in their text and not in their description. */
const BY_READING = { 'combine-errors@3.0.3': 'MIT' };
const AT_ONCE = 16;

const lock = JSON.parse(readFileSync(path.join(root, 'package-lock.json'), 'utf8'));
const licenceOf = (text) => (typeof text === 'string' ? text : Array.isArray(text) ? text.map((t) => t.type).join(' OR ') : (text?.type ?? ''));
const entries = new Map();
for (const [where, entry] of Object.entries(lock.packages)) {
  const at = where.lastIndexOf('node_modules/');
  if (at < 0 || entry.link) continue;
  const name = where.slice(at + 'node_modules/'.length);
  const key = `${name}@${entry.version}`;
  let licence = licenceOf(entry.license);
  if (!licence) {
    // an old package says it in a way of its own; what is for another system is not here
    const own = path.join(root, where, 'package.json');
    if (existsSync(own)) {
      const { license, licenses } = JSON.parse(readFileSync(own, 'utf8'));
      licence = licenceOf(license ?? licenses);
    }
  }
  const known = entries.get(key);
  licence ||= BY_READING[key] ?? '';
  const used = entry.dev || entry.devOptional ? 'to build and test' : 'to run';
  entries.set(key, { name, version: entry.version, licence, script: Boolean(entry.hasInstallScript), used: known?.used === 'to run' ? 'to run' : used, resolved: entry.resolved });
}
const sorted = [...entries.values()].sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : a.version < b.version ? -1 : 1));

const kept = new Map(
  (existsSync(FILE) ? readFileSync(FILE, 'utf8').trim().split('\n').slice(1) : []).map((line) => {
    const [name, version, licence, published] = line.split(',');
    return [`${name}@${version}`, { licence, published }];
  }),
);
const cell = (text) => String(text).replaceAll(',', ' ');
const line = (e, published) => [e.name, e.version, cell(e.licence || kept.get(`${e.name}@${e.version}`)?.licence || 'not said'), published, e.script ? 'not run' : '', e.used].join(',');

if (process.argv.includes('--check')) {
  const faults = [];
  const wanted = `${[HEAD, ...sorted.map((e) => line(e, kept.get(`${e.name}@${e.version}`)?.published ?? '?'))].join('\n')}\n`;
  if (!existsSync(FILE) || readFileSync(FILE, 'utf8') !== wanted) faults.push('docs/dependencies.csv is not that of package-lock.json: run node scripts/dependencies.mjs and read what changed');
  for (const e of sorted) {
    const licence = e.licence || kept.get(`${e.name}@${e.version}`)?.licence || '';
    if (!LICENCES.test(licence)) faults.push(`${e.name}@${e.version}: the licence ${licence || 'that it has is not said'}`);
    if (e.script && !WITH_SCRIPT.has(e.name)) faults.push(`${e.name}@${e.version} wants to run a script when it is installed`);
    if (!/^https:\/\/registry\.npmjs\.org\//.test(e.resolved ?? '') && e.resolved !== undefined) faults.push(`${e.name}@${e.version} comes from ${e.resolved}`);
  }
  if (!/^ignore-scripts=true$/m.test(readFileSync(path.join(root, '.npmrc'), 'utf8'))) faults.push('.npmrc lets packages run scripts');
  process.stdout.write(faults.length > 0 ? `${faults.join('\n')}\n` : `${sorted.length} packages, ${sorted.filter((e) => e.used === 'to run').length} of them to run; no script is run\n`);
  process.exit(faults.length > 0 ? 1 : 0);
}

/** The day on which the registry took it, as the registry says. */
async function publishedOf(e) {
  const known = kept.get(`${e.name}@${e.version}`)?.published;
  if (known && known !== '?') return known;
  try {
    const r = await fetch(`https://registry.npmjs.org/${e.name.replace('/', '%2f')}`, { signal: AbortSignal.timeout(60_000) });
    return (await r.json()).time?.[e.version]?.slice(0, 10) ?? '?';
  } catch {
    return '?';
  }
}
const dates = new Array(sorted.length);
let next = 0;
await Promise.all(
  Array.from({ length: AT_ONCE }, async () => {
    for (let i = next++; i < sorted.length; i = next++) dates[i] = await publishedOf(sorted[i]);
  }),
);
writeFileSync(FILE, `${[HEAD, ...sorted.map((e, i) => line(e, dates[i]))].join('\n')}\n`);
process.stdout.write(`${sorted.length} packages written; ${dates.filter((d) => d === '?').length} without a date\n`);
