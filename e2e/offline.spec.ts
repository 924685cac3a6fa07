import { expect, running, test } from './demo-test';
import { audit, signIn } from './helpers';

test('a take logged with the network cut is kept, shown as waiting, survives a reload, and is sent exactly once', async ({ page, context }) => {
  await signIn(page, 'wrangler', '/floor');
  // the shell is kept on the device by its worker
  await page.evaluate(async () => {
    await navigator.serviceWorker.ready;
  });
  await page.reload();
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await expect.poll(() => page.evaluate(() => navigator.serviceWorker.controller !== null)).toBe(true);
  await page.getByTestId('setup-47').click();
  const number = Number(/\d+/.exec((await page.getByTestId('log-take').textContent())!)![0]);

  await context.setOffline(true);
  await page.getByTestId('log-take').click();
  await expect(page.getByRole('heading', { name: `47 take ${number}` })).toBeVisible();
  await page.getByTestId('length-field').fill('1.61 m');
  await page.getByTestId('length-field').press('Enter');
  await expect(page.getByTestId('state-line')).toContainText('2 waiting');
  await page.reload();
  await expect(page.getByRole('heading', { name: `47 take ${number}` })).toBeVisible();
  await expect(page.getByTestId('pupil-height')).toContainText('1.610 m');
  await expect(page.getByTestId('state-line')).toContainText('2 waiting');

  const sent: string[] = [];
  page.on('response', (r) => {
    if (r.request().method() === 'PUT' && r.ok()) sent.push(r.url());
  });
  await context.setOffline(false);
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  const id = page.url().split('/').pop()!;
  const history = await page.evaluate(async (takeId) => {
    const session = (await (await fetch('/api/session')).json()) as { production: { id: string } };
    const answer = await fetch(`/api/productions/${session.production.id}/records/take/${takeId}/history`);
    return (await answer.json()) as { changes: { version: number }[] };
  }, id);
  expect(history.changes.map((c) => c.version)).toEqual([1, 2]);
  expect(sent).toHaveLength(2);
});

test('a browser that takes away what waits here is found out, and it is said until somebody has looked', async ({ page, context }) => {
  await signIn(page, 'wrangler', '/floor');
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await page.getByTestId('setup-47').click();
  await context.setOffline(true);
  await page.getByTestId('log-take').click();
  await expect(page.getByTestId('state-line')).toContainText('1 waiting');
  // with a line again nothing may go before it is taken away
  await context.route('**/api/**', (route) => route.abort());
  await context.setOffline(false);
  // everything that the pages keep goes at once, as when the browser needs room
  await page.goto('about:blank');
  const cdp = await context.newCDPSession(page);
  await cdp.send('Storage.clearDataForOrigin', { origin: running().address, storageTypes: 'indexeddb,local_storage,cache_storage,service_workers' });
  await context.unroute('**/api/**');
  await signIn(page, 'wrangler', '/floor');
  await expect(page.getByTestId('evicted')).toContainText('one entry or picture of this device had not been sent');
  await audit(page, 'evicted');
  await page.reload();
  await expect(page.getByTestId('evicted')).toBeVisible();
  await page.getByTestId('evicted-seen').click();
  await expect(page.getByTestId('evicted')).toHaveCount(0);
  await page.reload();
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await expect(page.getByTestId('evicted')).toHaveCount(0);
});

test('a start fetches the pages, and not what sheets are printed with', async ({ page }) => {
  await signIn(page, 'wrangler', '/floor');
  const bytes = await page.evaluate(() =>
    (performance.getEntriesByType('resource') as PerformanceResourceTiming[]).filter((r) => r.initiatorType === 'script').reduce((sum, r) => sum + r.decodedBodySize, 0),
  );
  expect(bytes).toBeGreaterThan(1_000_000);
  // with the writers it was 5.3 MB
  expect(bytes).toBeLessThan(4_200_000);
});

test('a phone may put the application on its home screen: manifest, icons and worker are as Chromium wants them', async ({ page, context }) => {
  await signIn(page, 'wrangler', '/floor');
  await page.evaluate(async () => {
    await navigator.serviceWorker.ready;
  });
  const browser = await context.newCDPSession(page);
  const manifest = await browser.send('Page.getAppManifest');
  expect(manifest.errors).toEqual([]);
  expect(JSON.parse(manifest.data!)).toMatchObject({ name: 'Mesure', start_url: '/floor', display: 'standalone' });
  // a test's window is a private one, which is never installed
  const { installabilityErrors } = await browser.send('Page.getInstallabilityErrors');
  expect(installabilityErrors.map((e) => e.errorId).filter((id) => id !== 'in-incognito')).toEqual([]);
});

test('a result that was known is known without a network, and says from when; of what nobody asked here nothing is claimed', async ({ page, context }) => {
  await signIn(page, 'wrangler', '/check');
  await page.evaluate(async () => {
    await navigator.serviceWorker.ready;
  });
  await page.reload();
  await expect.poll(() => page.evaluate(() => navigator.serviceWorker.controller !== null)).toBe(true);
  const solved = page.locator('[data-testid^="check-"]').filter({ hasNotText: /no tracks yet|no test solve/ });
  await expect(solved.first()).toBeVisible();
  const before = (await solved.first().textContent())!;
  await solved.first().click();
  await expect(page.getByTestId('take-verdict')).toBeVisible();
  await expect(page.getByTestId('known-only')).toHaveCount(0);
  const verdict = (await page.getByTestId('take-verdict').textContent())!;

  await context.setOffline(true);
  await page.reload();
  await expect(page.getByTestId('known-only')).toHaveText(/the test solve is known from (\d{4}-\d\d-\d\d )?\d\d:\d\d\./);
  await expect(page.getByTestId('take-verdict')).toHaveText(verdict);
  // its drawing was looked at here before, and is here whole
  await expect(page.getByTestId('solve-rms')).toBeVisible();
  await page.goBack();
  await expect(page.getByTestId('verdicts-line')).toHaveText(/Known from (\d{4}-\d\d-\d\d )?\d\d:\d\d; no line to the server/);
  await expect(solved.first()).toHaveText(before);
  await expect(page.locator('[data-testid^="check-"]').filter({ hasText: 'no test solve yet' })).toHaveCount(0);

  await context.setOffline(false);
  await expect(solved.first()).toHaveText(before);
});

test('a verdict is opened by a finger that came down on the list before the server had answered', async ({ page }) => {
  await signIn(page, 'wrangler', '/check');
  const row = page
    .locator('[data-testid^="check-"]')
    .filter({ hasNotText: /no tracks yet|no test solve/ })
    .last();
  await expect(page.getByTestId('verdicts-line')).toContainText('agree');
  // the list is kept on the device in its own time
  await page.waitForTimeout(2_000);
  const title = (await row.textContent())!;
  let answer = (): void => undefined;
  const meanwhile = new Promise<void>((r) => (answer = r));
  await page.route(/\/analyses$/, async (route) => {
    if (route.request().method() === 'GET') await meanwhile;
    await route.continue();
  });
  await page.reload();
  await expect(page.getByTestId('verdicts-line')).toContainText('asking the server');
  await expect(row).toHaveText(title);
  const box = (await row.boundingBox())!;
  // near its lower edge, where a list that moves up by a line puts another one
  await page.mouse.move(box.x + box.width / 2, box.y + box.height - 4);
  await page.mouse.down();
  answer();
  await expect(page.getByTestId('verdicts-line')).toContainText('agree');
  expect(await row.boundingBox()).toEqual(box);
  await page.mouse.up();
  await expect(page.getByRole('heading', { name: /^[0-9]+[A-Z]? take [0-9]+/.exec(title)![0] })).toBeVisible();
});
