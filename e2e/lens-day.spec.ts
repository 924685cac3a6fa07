import { readFileSync } from 'node:fs';
import { expect, test } from './demo-test';
import { audit, noSidewaysScroll, open, openPlate, sample, signIn } from './helpers';

// A lens day on the phone: from the list to the book, with the lattice corrected, edges marked and a chart printed on the way.
test.describe.configure({ mode: 'serial' });

async function pick(page: import('@playwright/test').Page, button: string, files: { name: string; from: string }[]) {
  const picker = page.waitForEvent('filechooser');
  await page.getByTestId(button).click();
  await (await picker).setFiles(files.map((f) => ({ name: f.name, mimeType: 'image/jpeg', buffer: readFileSync(sample(f.from)) })));
}

test('the list comes from the kit; a plate shot without a network counts, waits, survives a reload and is measured', async ({ page, context }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.evaluate(async () => {
    await navigator.serviceWorker.ready;
  });
  await page.reload();
  await page.getByTestId('open-lens-day').click();
  await expect(page.getByTestId('next-shot')).toContainText(/ mm at .* on [A-Z]-cam/);
  await audit(page, 'lens day');
  await noSidewaysScroll(page);
  const left = async () => Number(/\d+/.exec((await page.getByTestId('day-left').textContent())!)![0]);
  const before = await left();
  const shot = page.getByTestId('shot-Orrinel 25-25-5-B');
  await expect(shot).toContainText('○');

  await context.setOffline(true);
  const picker = page.waitForEvent('filechooser');
  await shot.click();
  await (await picker).setFiles({ name: 'B_25_far.jpg', mimeType: 'image/jpeg', buffer: readFileSync(sample('grid-good.jpg')) });
  await expect(page.getByTestId('look-B_25_far.jpg')).toContainText(/Worth keeping: \d+ corners, \d+ % covered, blur \d\.\d px/);
  await expect(page.getByTestId('focus-B_25_far.jpg')).toHaveValue('5.00 m');
  await audit(page, 'new plates');
  await page.getByTestId('measure-plate').click();
  await expect(page.getByTestId('waiting-B_25_far.jpg')).toContainText('waits to be sent');
  expect(await left()).toBe(before - 1);
  await page.reload();
  await expect(page.getByTestId('waiting-B_25_far.jpg')).toBeVisible();
  await context.setOffline(false);
  await expect(page.getByTestId('waiting-B_25_far.jpg')).toHaveCount(0);
  await expect(shot).toContainText('●');
  expect(await left()).toBe(before - 1);
});

test('several at once: each is looked at before it leaves, and goes by itself', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-B').click();
  await pick(page, 'add-plate', [
    { name: 'first.jpg', from: 'grid-good.jpg' },
    { name: 'soft.jpg', from: 'grid-blurred.jpg' },
    { name: 'nothing.jpg', from: 'no-chart.jpg' },
  ]);
  await expect(page.getByTestId('look-soft.jpg')).toContainText(/Better shoot again: edges are spread/);
  await expect(page.getByTestId('look-nothing.jpg')).toContainText(/Shoot again: no chart found/);
  await page.getByRole('button', { name: 'Leave out nothing.jpg' }).click();
  await page.getByTestId('measure-plate').click();
  await expect(page.getByTestId('plate-first.jpg')).toContainText(/Good to use/, { timeout: 90_000 });
  await expect(page.getByTestId('plate-soft.jpg')).toContainText(/Blurred/, { timeout: 90_000 });
  await expect(page.getByTestId('plate-nothing.jpg')).toHaveCount(0);
});

test('a row is cut out of the lattice under the loupe, and the fit follows', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-B').click();
  await openPlate(page, 'first.jpg');
  await page.getByTestId('correct-lattice').click();
  await page.getByRole('radio', { name: /a row/ }).click();
  const aim = page.getByTestId('aim').first();
  await aim.scrollIntoViewIfNeeded();
  const text = await aim.getAttribute('aria-label');
  const corners = Number(/^(\d+) corners/.exec(text!)![1]);
  const box = (await aim.boundingBox())!;
  await page.mouse.click(box.x + 0.52 * box.width, box.y + 0.31 * box.height);
  // between two rows nothing is hit: then a little lower
  if (await page.getByText('No corner there').isVisible()) await page.mouse.click(box.x + 0.52 * box.width + 3, box.y + 0.31 * box.height + 4);
  await expect(page.getByTestId('refit-sentence')).toContainText(/now 0\.0\d\d px over \d+ corners/);
  await audit(page, 'correcting a lattice');
  await page.getByTestId('keep-correction').click();
  await expect(page.getByRole('img', { name: /Lattice of/ })).toBeVisible({ timeout: 90_000 });
  const after = Number(/, (\d+) corners/.exec((await page.getByRole('img', { name: /Lattice of/ }).getAttribute('aria-label'))!)![1]);
  expect(after).toBeLessThan(corners - 10);
  await page.getByTestId('make-files').click();
  await expect(page.getByTestId('round-trip')).toContainText('below 0.001 px', { timeout: 180_000 });
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByTestId('save-csv').click()]);
  expect(readFileSync((await download.path())!, 'utf8')).toMatch(/^lens,serial,body,focal_mm/);
});

test('edges are marked one by one, kept, and judged', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-B').click();
  await pick(page, 'add-edges', [{ name: 'door.jpg', from: 'grid-good.jpg' }]);
  await expect(page.getByTestId('waiting-door.jpg')).toHaveCount(0);
  await page.getByTestId('edges-door.jpg').click();
  const aim = page.getByTestId('aim').first();
  await aim.scrollIntoViewIfNeeded();
  const mark = async (x: number, y: number) => {
    const box = (await aim.boundingBox())!;
    await page.mouse.click(box.x + x * box.width, box.y + y * box.height);
  };
  // barrel: edges near the border bow outwards in the middle
  for (let i = 0; i < 5; i += 1) await mark(0.06 + 0.22 * i, 0.075 - 0.012 * (1 - ((i - 2) / 2) ** 2));
  await page.getByTestId('next-edge').click();
  for (let i = 0; i < 5; i += 1) await mark(0.06 + 0.22 * i, 0.925 + 0.012 * (1 - ((i - 2) / 2) ** 2));
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await audit(page, 'edges');
  await noSidewaysScroll(page);
  await page.reload();
  await expect(page.getByText('10 marks on 2 edges').first()).toBeVisible();
  // the demo day's wall, marked by a careful hand
  await open(page, '/kit');
  await page.getByTestId('package-B').click();
  await page.getByTestId('edges-B_passage_wall.jpg').click();
  await expect(page.getByTestId('edges-sentence')).toContainText(/Good as a start: 5 edges straight to 0\.\d\d px/);
});

test('the lens book knows the zoom between its plates, where its pupil is, and what to shoot next', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-C').click();
  await page.getByTestId('open-book').click();
  await expect(page.getByTestId('next-plate')).toContainText(/^Next: \d+ mm at \d/);
  await page.getByTestId('book-focal').fill('36');
  await page.getByTestId('book-focus').fill('2 m');
  await expect(page.getByTestId('book-sentence')).toContainText(/36 mm at 2 m: between the plates, ± \d/);
  await page.getByTestId('book-focal').fill('20');
  await expect(page.getByTestId('book-sentence')).toContainText(/shorter than the shortest plate/);
  // the demo's zoom has its pupil 112 mm before the mark
  await expect(page.getByTestId('pupil')).toContainText(/11[0-4](\.\d)? ± \d/);
  await audit(page, 'lens book');
  await noSidewaysScroll(page);
});

test('a chart is made for the camera and saved to scale; the lens set is printed', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-C').click();
  await page.getByTestId('make-chart').click();
  await expect(page.getByTestId('chart-sentence')).toContainText(/one A2 with cells of \d+ mm fills it/);
  await audit(page, 'chart maker');
  await noSidewaysScroll(page);
  const [chart] = await Promise.all([page.waitForEvent('download'), page.getByTestId('save-pdf').click()]);
  expect(
    readFileSync((await chart.path())!)
      .subarray(0, 5)
      .toString(),
  ).toBe('%PDF-');
  await open(page, '/kit/lens-set');
  await expect(page.getByTestId('set-Brastow 28–80-28')).toBeVisible();
  await audit(page, 'lens set');
  await noSidewaysScroll(page);
  const [table] = await Promise.all([page.waitForEvent('download'), page.getByTestId('print-table').click()]);
  expect(table.suggestedFilename()).toMatch(/^lens_set_[A-Z]-cam\.pdf$/);
});

test('what was on the camera when', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-C').click();
  await page.getByTestId('open-history').click();
  await expect(page.getByTestId('change-1')).toContainText(/mounted: Pellon Dash/);
  await page.getByTestId('history-time').fill('23:59');
  await expect(page.getByTestId('history-answer')).toContainText(/Brastow 28–80/);
});
