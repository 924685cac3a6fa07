import { expect, test } from '@playwright/test';
import { audit, signIn } from './helpers';

// Marks and camera dragged on the wide screen.
test('marks and camera are dragged, the numbers follow, and what was dragged is there after a reload', async ({ page }) => {
  await signIn(page, 'wrangler', '/plan');
  await page.getByTestId('plan-41').click();
  const drag = async (id: string, dx: number, dy: number) => {
    const box = (await page.getByTestId(`handle-${id}`).first().boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + dx / 2, box.y + box.height / 2 + dy / 2, { steps: 4 });
    await page.mouse.move(box.x + box.width / 2 + dx, box.y + box.height / 2 + dy, { steps: 4 });
    await page.mouse.up();
    const after = (await page.getByTestId(`handle-${id}`).first().boundingBox())!;
    return [after.x - box.x, after.y - box.y];
  };
  await expect(page.getByTestId('forecast-sentence')).toContainText(' px');
  const sentence = await page.getByTestId('forecast-sentence').textContent();
  // a mark of the wall slides along the wall only
  const [dx, dy] = await drag('mark:K7', 30, 40);
  expect(dx).toBeGreaterThan(20);
  expect(Math.abs(dy)).toBeLessThan(3);
  await drag('station:0', -60, 0);
  await expect(page.getByTestId('forecast-sentence')).not.toHaveText(sentence!);
  await page.getByRole('radio', { name: 'move', exact: true }).click();
  const right = await page.getByLabel('To the right').first().inputValue();
  await page.reload();
  await page.getByRole('radio', { name: 'move', exact: true }).click();
  await expect(page.getByLabel('To the right').first()).toHaveValue(right);
  expect(Number(right)).toBeLessThan(-1);
  await audit(page, 'plan, wide', true);
});
