import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { chartSheets, CHART_KINDS, CHARTS, planChart } from '..';
import { growLattices } from '../grid/grow-lattice';
import type { Chart } from './chart';
import { chequer } from './chequer';
import { ruled } from './ruled';

const SOURCES = path.resolve(__dirname, '../..');
const ROOMS = ['core', 'contract', 'app', 'server', 'cli', 'formats'].map((room) => path.resolve(SOURCES, '..', room, 'src'));

function sources(dir: string): string[] {
  return readdirSync(dir, { withFileTypes: true }).flatMap((e) =>
    e.isDirectory() ? sources(path.join(dir, e.name)) : /\.tsx?$/.test(e.name) && !/\.(test|verify)\./.test(e.name) ? [path.join(dir, e.name)] : [],
  );
}

test('what a chart is stands in one file: nothing else asks which one it is', () => {
  const own = ['chart.ts', 'chequer.ts', 'ruled.ts'];
  const asks = /(===|!==|case) ?'(chequer|ruled)'/;
  const found = ROOMS.flatMap(sources).filter((f) => !own.includes(path.basename(f)) && asks.test(readFileSync(f, 'utf8')));
  expect(found.map((f) => path.relative(SOURCES, f))).toEqual([]);
  expect(CHART_KINDS.map((k) => CHARTS[k].kind)).toEqual([...CHART_KINDS]);
});

test('a third chart is one object: its spots are numbered by its own rule of neighbours', () => {
  // rings in rows: a ring has no direction, and any may stand beside any
  const rings: Chart = { ...ruled, neighbours: () => true, spots: () => [] };
  const spots = Array.from({ length: 48 }, (_, n) => ({ x: 40 + 30 * (n % 8), y: 40 + 30 * Math.floor(n / 8), brightRad: (n * 0.7) % Math.PI, contrast: 50 }));
  expect(growLattices(spots, 320, 260, rings)[0]).toHaveLength(48);
  // by the rule of a chequer these are none of one chart
  expect((growLattices(spots, 320, 260, chequer)[0] ?? []).length).toBeLessThan(20);
});

test('each chart is printed from its own pieces, and the pattern runs on over the sheets', () => {
  const plan = planChart({ image: { width: 1920, height: 1080 }, sensor: { widthMm: 24, heightMm: 13.5 }, focal: { mm: 24 } }, { paper: 'A4', distanceM: 1 });
  for (const kind of CHART_KINDS) {
    const sheets = chartSheets(plan, 'A4', kind);
    expect(sheets).toHaveLength(plan.sheetsAcross * plan.sheetsDown);
    expect(sheets.every((s) => s.dark.every((d) => d.width > 0 && d.height > 0 && d.x >= -1 && d.x + d.width <= s.widthMm + 1))).toBe(true);
  }
  // half of a chequer is dark, and both halves of the pattern together are all of it
  const [even, odd] = [0, 1].map((offset) => chequer.dark(6, 5, offset));
  expect(even.length + odd.length).toBe(30);
  expect(new Set([...even, ...odd].map((d) => `${d.x} ${d.y}`)).size).toBe(30);
});
