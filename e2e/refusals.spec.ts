import { expect, PAGES_NOT_KEPT, test } from './demo-test';
import { choose, open, openPlate, sample, signIn } from './helpers';

test.use(PAGES_NOT_KEPT);

test.describe('pictures that cannot be used get a clear refusal with the reason', () => {
  for (const [file, reason] of [
    ['grid-blurred.jpg', /Blurred: edges are spread over \d+ px/],
    ['no-chart.jpg', /No chart: the picture holds no chequer/],
    ['grid-small-chart.jpg', /Shoot again: only \d+ % of the frame covered/],
  ] as const) {
    test(file, async ({ page }) => {
      await signIn(page, 'wrangler', '/kit');
      await page.getByTestId('package-B').click();
      await choose(page, 'add-plate', sample(file));
      await page.getByTestId('measure-plate').click();
      await openPlate(page, file);
      await expect(page.getByTestId('plate-sentence')).toContainText(reason, { timeout: 90_000 });
    });
  }
  test('a text file named as a picture', async ({ page }) => {
    await signIn(page, 'wrangler', '/kit');
    await page.getByTestId('package-B').click();
    const picker = page.waitForEvent('filechooser');
    await page.getByTestId('add-plate').click();
    await (await picker).setFiles({ name: 'grid.png', mimeType: 'image/png', buffer: Buffer.from('not a picture') });
    await page.getByTestId('measure-plate').click();
    await expect(page.getByRole('alert')).toContainText('is not a picture that can be read');
    await expect(page.getByRole('alert')).toContainText('still on this device');
    await page.getByRole('button', { name: 'Drop grid.png' }).click();
    await expect(page.getByTestId('waiting-grid.png')).toHaveCount(0);
    await expect(page.getByTestId('plate-grid.png')).toHaveCount(0);
  });
  test('a cell in the wrong unit is refused', async ({ page }) => {
    await signIn(page, 'wrangler', '/kit');
    await page.getByTestId('package-B').click();
    await choose(page, 'add-plate', sample('grid-good.jpg'));
    await page.getByLabel('Size of a cell').fill('40 m');
    await page.getByTestId('measure-plate').click();
    await expect(page.getByText(/40 m is no cell of a chart/)).toBeVisible();
  });
});

test('tracks with a fault are refused with their line', async ({ page }) => {
  await signIn(page, 'wrangler', '/check');
  await page.getByTestId('check-42B-1').click();
  const picker = page.waitForEvent('filechooser');
  await page.getByTestId('give-tracks').click();
  await (await picker).setFiles({ name: 'bad.csv', mimeType: 'text/csv', buffer: Buffer.from('track,frame,x,y\na,1,2,three\n') });
  await expect(page.getByRole('alert')).toContainText('bad.csv, line 2, y: "three" is not a number');
  await expect(page.getByTestId('give-tracks')).toBeVisible();
});

test('a running solve can be stopped and started again', async ({ page }) => {
  await signIn(page, 'wrangler', '/check');
  await page.getByTestId('check-42B-2').click();
  await page.getByTestId('start-solve').click();
  await page.getByTestId('stop-solve').click();
  await expect(page.getByText(/^Stopped$/).or(page.getByTestId('take-verdict'))).toBeVisible();
  await page.getByTestId('start-solve').click();
  await expect(page.getByTestId('take-verdict')).toContainText('agrees', { timeout: 90_000 });
});

test('addresses that lead nowhere, and people of another production', async ({ page }) => {
  await signIn(page, 'stranger', '/floor');
  await expect(page.getByTestId('first-steps')).toBeVisible();
  await open(page, '/kit');
  await expect(page.getByText('No camera is mounted yet')).toBeVisible();
  await open(page, '/wrap');
  await expect(page.getByText('No shooting day yet')).toBeVisible();
  await open(page, '/nowhere');
  await expect(page.getByText('Nothing here')).toBeVisible();
  await open(page, '/floor/take/00000000-0000-4000-a000-000000000000');
  await expect(page.getByText('No such take')).toBeVisible();
});
