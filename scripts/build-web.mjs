#!/usr/bin/env node
// Exports the web client into .build/web with its offline shell, when a source is newer than the last export.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { Marked } from 'marked';
import sharp from 'sharp';
import { generateSW } from 'workbox-build';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const out = path.join(root, '.build/web');
const stamp = path.join(root, '.build/web.stamp');

function newest(dir) {
  let latest = 0;
  for (const entry of readdirSync(dir, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name === '.expo') continue;
    const full = path.join(dir, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(full) : statSync(full).mtimeMs);
  }
  return latest;
}

const models = path.join(root, 'docs/models.md');
const sources = Math.max(
  ...['app', 'core/src', 'contract/src', 'formats/src'].map((d) => newest(path.join(root, d))),
  ...[models, path.join(root, 'package-lock.json')].map((f) => statSync(f).mtimeMs),
);
if (existsSync(path.join(out, 'index.html')) && existsSync(stamp) && statSync(stamp).mtimeMs > sources) process.exit(0);

process.stderr.write('Building the web client (about a minute) …\n');
const started = Date.now();
const made = path.join(root, 'app/dist');
rmSync(made, { recursive: true, force: true });
const result = spawnSync(path.join(root, 'node_modules/.bin/expo'), ['export', '--platform', 'web', '--output-dir', 'dist'], {
  cwd: path.join(root, 'app'),
  env: { ...process.env, EXPO_OFFLINE: '1', EXPO_NO_TELEMETRY: '1', CI: '1', NODE_ENV: 'production' },
  encoding: 'utf8',
  stdio: ['ignore', 'pipe', 'pipe'],
});
if (result.status !== 0) {
  process.stderr.write(result.stdout + result.stderr);
  process.exit(1);
}
// the control library names every icon set; only one is drawn, and a phone should not keep the others
const iconFonts = path.join(made, 'assets/_node_modules/@expo/vector-icons/build/vendor/react-native-vector-icons/Fonts');
for (const font of readdirSync(iconFonts)) if (!font.startsWith('MaterialIcons.')) rmSync(path.join(iconFonts, font));

rmSync(out, { recursive: true, force: true });
cpSync(made, out, { recursive: true });
rmSync(made, { recursive: true, force: true });
await installable();
modelsPage();
// the computing worker is a program of its own beside the pages
await build({
  entryPoints: { heavy: path.join(root, 'app/src/workers/heavy.worker.ts') },
  outdir: path.join(out, 'workers'),
  bundle: true,
  minify: true,
  platform: 'browser',
  format: 'iife',
  target: 'es2020',
  logLevel: 'warning',
});
const { count, size } = await generateSW({
  globDirectory: out,
  globPatterns: ['**/*.{html,js,css,ttf,woff2,png,ico,json,webmanifest}'],
  swDest: path.join(out, 'sw.js'),
  maximumFileSizeToCacheInBytes: 12 * 1024 * 1024,
  navigateFallback: '/index.html',
  navigateFallbackDenylist: [/^\/api\//],
  inlineWorkboxRuntime: true,
  skipWaiting: true,
  clientsClaim: true,
  sourcemap: false,
  mode: 'production',
});
writeFileSync(stamp, String(started));
utimesSync(stamp, started / 1000, started / 1000);
process.stderr.write(`Web client built: ${count} files, ${(size / 1024 / 1024).toFixed(1)} MB for offline use.\n`);

/** docs/models.md as a page beside the application: what a number on a screen leads to, also without a network. */
function modelsPage() {
  const { backgroundColor } = JSON.parse(readFileSync(path.join(root, 'app/app.json'), 'utf8')).expo.web;
  const font = readdirSync(out, { recursive: true }).find((f) => /Barlow_500Medium\b.*\.ttf$/.test(f));
  if (!font) throw new Error('The font of the text was not exported');
  const page = new Marked({
    renderer: {
      heading({ tokens, depth, text }) {
        // as `modelsPage` in app/src/ui/explain.tsx spells it
        const id = text
          .replace(/ \(.*$/, '')
          .toLowerCase()
          .replace(/[^a-z0-9]+/g, '-');
        return `<h${depth} id="${id}">${this.parser.parseInline(tokens)}</h${depth}>`;
      },
    },
  }).parse(readFileSync(models, 'utf8'));
  const style = `@font-face { font-family: Barlow; src: url("/${font}"); }
    html { background: ${backgroundColor}; color: #ece8df; font: 1rem/1.5 Barlow; scroll-padding-top: 1rem; }
    body { max-width: 44rem; margin: 0 auto; padding: 1rem; overflow-wrap: anywhere; }
    h1, h2, h3 { line-height: 1.25; margin-top: 2rem; } :target { border-left: 4px solid #d9ab33; padding-left: 0.75rem; }
    code { font-size: 0.9em; color: #aeaba2; } a { color: #8cb5ee; }`;
  writeFileSync(
    path.join(out, 'models.html'),
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>What is computed, and from where</title><style>${style}</style></head><body><main>${page}</main></body></html>`,
  );
}

/** What a phone needs to keep the application on its home screen: a manifest (W3C Web Application Manifest) and icons in its sizes. */
async function installable() {
  const { web, name } = JSON.parse(readFileSync(path.join(root, 'app/app.json'), 'utf8')).expo;
  const drawing = path.join(root, 'app/assets/icon.svg');
  const icon = (file, sizePx) =>
    sharp(drawing, { density: (72 * sizePx) / 64 })
      .resize(sizePx, sizePx)
      .png()
      .toFile(path.join(out, file));
  await Promise.all([icon('icon-192.png', 192), icon('icon-512.png', 512), icon('apple-touch-icon.png', 180)]);
  const manifest = {
    id: '/',
    name,
    short_name: web.shortName,
    description: 'What camera tracking needs from the set: planned, measured and checked.',
    start_url: '/floor',
    scope: '/',
    display: 'standalone',
    background_color: web.backgroundColor,
    theme_color: web.themeColor,
    // the marks keep clear of the rim, so that any mask may cut it
    icons: ['any', 'maskable'].flatMap((purpose) => [192, 512].map((sizePx) => ({ src: `/icon-${sizePx}.png`, sizes: `${sizePx}x${sizePx}`, type: 'image/png', purpose }))),
  };
  writeFileSync(path.join(out, 'manifest.webmanifest'), JSON.stringify(manifest));
  const page = path.join(out, 'index.html');
  writeFileSync(page, readFileSync(page, 'utf8').replace('</head>', '<link rel="manifest" href="/manifest.webmanifest"/><link rel="apple-touch-icon" href="/apple-touch-icon.png"/></head>'));
}
