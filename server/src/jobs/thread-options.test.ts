import { execFileSync } from 'node:child_process';
import path from 'node:path';
import { THREAD } from './thread-options';

test('a thread that is ended while it begins takes nothing along', () => {
  // in a process of its own: it is the process that would end
  const program = `
    const { Piscina } = require(${JSON.stringify(require.resolve('piscina'))});
    (async () => {
      for (let ms = 40; ms < 420; ms += 12) {
        const pool = new Piscina({ filename: ${JSON.stringify(path.resolve(__dirname, '../../../.build/compute.mjs'))}, minThreads: 1, maxThreads: 1, ...${JSON.stringify(THREAD)} });
        await new Promise((r) => setTimeout(r, ms));
        await pool.destroy().catch(() => undefined);
      }
      process.stdout.write('it goes on');
    })();`;
  expect(execFileSync(process.execPath, ['-e', program], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'] })).toBe('it goes on');
}, 120_000);
