import { expect, test } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ROOT } from './demo-process';

test('four phones, two web processes and four workers that share no folder, cuts and kills: nothing lost, doubled or laid over', () => {
  test.setTimeout(300_000);
  const build = spawnSync(process.execPath, ['scripts/build-node.mjs'], { cwd: ROOT, encoding: 'utf8' });
  expect(build.status).toBe(0);
  // the long form, 10,000 things done: npm run ordeal
  const r = spawnSync(process.execPath, [path.join(ROOT, '.build/ordeal.mjs'), '500', '41'], { cwd: ROOT, encoding: 'utf8', timeout: 230_000 });
  expect(r.stderr).toBe('');
  const found = JSON.parse(r.stdout) as Record<string, unknown> & { changes: number; acknowledged: number };
  expect(found).toMatchObject({ operations: expect.any(Number), lost: [], doubled: [], overwritten: [], apart: [], files: { lost: [] }, jobs: { stuck: [] } });
  expect(found.acknowledged).toBeGreaterThan(100);
  expect(r.status).toBe(0);
});
