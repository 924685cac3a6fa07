import AxeBuilder from '@axe-core/playwright';
import { expect, type BrowserContext, type Page } from '@playwright/test';
import path from 'node:path';
import { running } from './demo-test';

export const PASSWORD = 'slack-water-9';
export const sample = (name: string): string => path.join(running().dataDir, 'demo-files', name);
export const open = (page: Page, where: string) => page.goto(`${running().address}${where}`);

const sessions = new Map<string, Awaited<ReturnType<BrowserContext['cookies']>>>();

/** Signed in as somebody: by name and password the first time, and as a device that stayed signed in after that. */
export async function signIn(page: Page, name = 'wrangler', where = '/'): Promise<void> {
  const known = sessions.get(name);
  if (known) await page.context().addCookies(known);
  await open(page, where);
  const [form, line] = [page.getByTestId('sign-in-name'), page.getByTestId('state-line')];
  await expect(form.or(line)).toBeVisible();
  if (await form.isVisible()) {
    await form.fill(name);
    await page.getByTestId('sign-in-password').fill(PASSWORD);
    await page.getByTestId('sign-in').click();
    await expect(line).toBeVisible();
    sessions.set(name, await page.context().cookies());
  }
}

/**
 * WCAG 2.2 A and AA, by an engine that nobody here wrote. `map`: a drawing whose handles stand where the things are, near or far from each other;
 * their size is excepted (2.5.8, essential and equivalent: each can be moved by its fields too).
 */
export async function audit(page: Page, screen: string, map = false): Promise<void> {
  // the layer that a sheet lies in becomes a dialog when it has risen; before that an audit sees half of it
  await expect(page.locator('[aria-modal=true]:not([role])')).toHaveCount(0);
  const axe = new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']);
  const { violations } = await (map ? axe.disableRules(['target-size']) : axe).analyze();
  expect(
    violations.map(
      (v) =>
        `${screen}: ${v.id}: ${v.nodes
          .slice(0, 3)
          .map((n) => `${n.target.join(' ')} ${n.failureSummary ?? ''}`)
          .join(' | ')}`,
    ),
  ).toEqual([]);
}

/** Gives a file to the picker that a button opens. */
export async function choose(page: Page, button: string, file: string): Promise<void> {
  const picker = page.waitForEvent('filechooser');
  await page.getByTestId(button).click();
  await (await picker).setFiles(file);
}

export async function noSidewaysScroll(page: Page): Promise<void> {
  const [scroll, client] = await page.evaluate(() => [document.documentElement.scrollWidth, document.documentElement.clientWidth]);
  expect(scroll).toBeLessThanOrEqual(client);
}

/** A picture that was added has left this device; its plate is opened. */
export async function openPlate(page: Page, name: string): Promise<void> {
  await expect(page.getByTestId(`waiting-${name}`)).toHaveCount(0);
  await page.getByTestId(`plate-${name}`).first().click();
}
