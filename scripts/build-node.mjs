#!/usr/bin/env node
// Bundles what runs on Node (command line, server, worker, demo tool) into .build/, with packages from node_modules left outside.
//   node scripts/build-node.mjs [name…]     rebuilds only what is older than the sources
import { build } from 'esbuild';
import { existsSync, readdirSync, rmSync, statSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const TARGETS = {
  mesure: 'cli/src/cli.ts',
  'mesure-main': 'cli/src/main.ts',
  web: 'server/src/main-web.ts',
  worker: 'server/src/main-worker.ts',
  compute: 'server/src/jobs/compute.ts',
  'file-thread': 'server/src/files/in-thread.ts',
  setup: 'demo/src/main.ts',
  'demo-pictures': 'demo/src/pictures.ts',
  bucket: 'server/src/main-bucket.ts',
  serve: 'server/src/start/serve.ts',
  admin: 'server/src/admin/main.ts',
  bench: 'scripts/bench.ts',
  ordeal: 'scripts/ordeal/main.ts',
  'render-footage': 'demo/src/render-footage.ts',
};
const ROOMS = ['synthetic', 'core', 'formats', 'contract', 'server', 'cli', 'demo'];

function newest(dir) {
  let latest = 0;
  for (const entry of readdirSync(dir, { withFileTypes: true })) {
    const full = path.join(dir, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(full) : statSync(full).mtimeMs);
  }
  return latest;
}

const wanted = process.argv.slice(2);
const names = wanted.length > 0 ? wanted : Object.keys(TARGETS);
const sources = Math.max(...ROOMS.map((r) => newest(path.join(root, r, 'src'))), newest(path.join(root, 'scripts')), statSync(path.join(root, 'package-lock.json')).mtimeMs);
const stale = names.filter((n) => {
  const out = path.join(root, '.build', `${n}.mjs`);
  return existsSync(path.join(root, TARGETS[n])) && (!existsSync(out) || statSync(out).mtimeMs < sources);
});
/** A command loads what it needs when it needs it; servers and threads load all of theirs at once. */
const IN_PIECES = ['mesure'];

for (const splitting of [false, true]) {
  const these = stale.filter((n) => IN_PIECES.includes(n) === splitting);
  if (these.length === 0) continue;
  // pieces of the build before have other names, and would stay for ever
  if (splitting) rmSync(path.join(root, '.build/pieces'), { recursive: true, force: true });
  await build({
    entryPoints: Object.fromEntries(these.map((n) => [n, path.join(root, TARGETS[n])])),
    outdir: path.join(root, '.build'),
    ...(splitting ? { splitting, chunkNames: 'pieces/[name]-[hash]' } : {}),
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    logLevel: 'warning',
    banner: { js: "import { createRequire as __cr } from 'node:module'; const require = __cr(import.meta.url);" },
    plugins: [
      {
        name: 'workspaces-in-packages-out',
        setup(b) {
          b.onResolve({ filter: /^[^./]/ }, (args) => (args.kind === 'entry-point' || args.path.startsWith('@mesure/') ? undefined : { path: args.path, external: true }));
        },
      },
    ],
  });
}
