import { defineConfig } from '@playwright/test';

const launchOptions = {
  executablePath: '/usr/bin/chromium',
  args: ['--headless', '--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
};

const PHONE = { viewport: { width: 390, height: 844 }, hasTouch: true };
const WIDE = { viewport: { width: 1280, height: 800 } };

/**
 * The real interface in Debian's Chromium, against what bin/demo and bin/serve start. A group (project) is one worker on one installation of
 * its own; two groups run beside each other, in the order of this list: the longest begin.
 */
export default defineConfig({
  testDir: '.',
  workers: 2,
  // a machine that is shared answers late now and then; no test asserts seconds
  timeout: 300_000,
  expect: { timeout: 40_000 },
  reporter: [['list']],
  globalSetup: './global-setup.ts',
  globalTeardown: './global-teardown.ts',
  use: { launchOptions, trace: 'off', screenshot: 'only-on-failure', acceptDownloads: true },
  projects: [
    { name: 'own', workers: 1, testMatch: /(own-film|ordeal)\.spec\.ts/, use: PHONE },
    { name: 'phone', workers: 1, testMatch: /(walk|offline|refusals|lens-day|plan-phone|net-phone|floor-day|floor-more)\.spec\.ts/, use: PHONE },
    { name: 'wide', workers: 1, testMatch: /(walk|plan-wide|floor-wide)\.spec\.ts/, use: WIDE },
    { name: 'restart', workers: 1, testMatch: /restart\.spec\.ts/, use: WIDE },
  ],
});
