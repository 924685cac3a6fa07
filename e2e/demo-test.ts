import { test as plain } from '@playwright/test';
import type { Running } from './demo-process';
import { demoOf } from './demos';

let current: Running | null = null;
/** The demo that the tests of this worker look at. */
export const running = (): Running => current!;
export const nowRunning = (other: Running): void => void (current = other);

/**
 * Of tests that need no pages without a network: a new phone keeps all pages on its first visit, which is half of what a visit costs, and each test
 * here is a new phone. That they are kept and used is tested where it belongs (offline, lens day, floor day, restart, own film).
 */
export const PAGES_NOT_KEPT = { serviceWorkers: 'block' } as const;

/** A test on the demo: each group of tests (project) has its own copy. */
export const test = plain.extend<object, { demo: Running }>({
  demo: [
    // the runner reads from the pattern which other fixtures are wanted: none
    // eslint-disable-next-line no-empty-pattern
    async ({}, use, { project }) => {
      current = await demoOf(project.name);
      await use(current);
    },
    // it is loaded beside other tests, on a machine that may be slow
    { scope: 'worker', auto: true, timeout: 900_000 },
  ],
});
export { expect } from '@playwright/test';
