import { type Page } from '@playwright/test';
import { expect, PAGES_NOT_KEPT, test } from './demo-test';
import { audit, signIn } from './helpers';

test.use(PAGES_NOT_KEPT);

/** By the mouse, from the middle of a handle; by how much it went. */
async function drag(page: Page, id: string, dx: number, dy: number): Promise<[number, number]> {
  const box = (await page.getByTestId(`handle-${id}`).first().boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 + dx / 2, box.y + box.height / 2 + dy / 2, { steps: 4 });
  await page.mouse.move(box.x + box.width / 2 + dx, box.y + box.height / 2 + dy, { steps: 4 });
  await page.mouse.up();
  const after = (await page.getByTestId(`handle-${id}`).first().boundingBox())!;
  return [after.x - box.x, after.y - box.y];
}

// Marks and camera dragged on the wide screen.
test('marks and camera are dragged, the numbers follow, and what was dragged is there after a reload', async ({ page }) => {
  await signIn(page, 'wrangler', '/plan');
  await page.getByTestId('plan-41').click();
  await expect(page.getByTestId('forecast-sentence')).toContainText(' px');
  const sentence = await page.getByTestId('forecast-sentence').textContent();
  // a mark of the wall slides along the wall only
  const [dx, dy] = await drag(page, 'mark:K7', 30, 40);
  expect(dx).toBeGreaterThan(20);
  expect(Math.abs(dy)).toBeLessThan(3);
  await drag(page, 'station:0', -60, 0);
  await expect(page.getByTestId('forecast-sentence')).toHaveAttribute('aria-busy', 'false');
  await expect(page.getByTestId('forecast-sentence')).not.toHaveText(sentence!);
  await page.getByRole('radio', { name: 'move', exact: true }).click();
  const right = await page.getByLabel('To the right').first().inputValue();
  await page.reload();
  await page.getByRole('radio', { name: 'move', exact: true }).click();
  await expect(page.getByLabel('To the right').first()).toHaveValue(right);
  expect(Number(right)).toBeLessThan(-1);
  await audit(page, 'plan, wide', true);
});

test('a witness camera is dragged round the set and looked through; what both see follows', async ({ page }) => {
  await signIn(page, 'wrangler', '/plan');
  await page.getByTestId('plan-41').click();
  await page.getByRole('radio', { name: 'witness', exact: true }).click();
  const angle = page.getByTestId('B-cam-angle');
  const before = await angle.textContent();
  const handle = page.locator('[data-testid^="handle-witness:"]').first();
  const id = (await handle.getAttribute('data-testid'))!.slice('handle-'.length);
  await drag(page, id, -40, -30);
  await expect(angle).not.toHaveText(before!);
  await expect(page.getByTestId('B-cam-marks')).toContainText('mm');
  await page.getByRole('radio', { name: 'B-cam', exact: true }).click();
  await expect(page.getByText(/^Through B-cam: \d+ marks?/)).toBeVisible();
  const moved = await angle.textContent();
  await page.reload();
  await page.getByRole('radio', { name: 'witness', exact: true }).click();
  await expect(page.getByTestId('B-cam-angle')).toHaveText(moved!);
  await audit(page, 'plan, witness, wide', true);
});

test('what would help is drawn where it would go, and can be stopped', async ({ page }) => {
  await signIn(page, 'wrangler', '/plan');
  await page.getByTestId('plan-42').click();
  await page.getByRole('radio', { name: 'forecast', exact: true }).click();
  await page.getByTestId('next-best').click();
  await page.getByTestId('stop-work').click();
  await expect(page.getByTestId('next-best')).toBeVisible();
  await page.getByTestId('next-best').click();
  await expect(page.getByTestId('help-0')).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText(/Numbered flags: what would help/).first()).toBeVisible();
});
