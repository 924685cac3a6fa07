import { defineConfig } from '@playwright/test';

const launchOptions = {
  executablePath: '/usr/bin/chromium',
  args: ['--headless', '--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
};

/**
 * The real interface in Debian's Chromium, against what bin/demo starts. One worker for all that share the demo's day; the film of one's own
 * has a start of its own and runs beside them.
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
    { name: 'phone', workers: 1, testMatch: /(walk|offline|refusals|lens-day|plan-phone|net-phone|floor-day|floor-more)\.spec\.ts/, use: { viewport: { width: 390, height: 844 }, hasTouch: true } },
    { name: 'own', workers: 1, testMatch: /(own-film|ordeal)\.spec\.ts/, use: { viewport: { width: 390, height: 844 }, hasTouch: true } },
    { name: 'wide', workers: 1, testMatch: /(walk|plan-wide|floor-wide)\.spec\.ts/, use: { viewport: { width: 1280, height: 800 } }, dependencies: ['phone'] },
    { name: 'restart', workers: 1, testMatch: /restart\.spec\.ts/, use: { viewport: { width: 1280, height: 800 } }, dependencies: ['wide'] },
  ],
});
