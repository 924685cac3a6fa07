import { expect, test } from '@playwright/test';
import { audit, noSidewaysScroll, open, signIn } from './helpers';

// Plan: on the phone from nothing to a forecast; on the wide screen marks and camera are dragged.
test.describe.configure({ mode: 'serial' });

test.describe('phone', () => {
  test.skip(({ viewport }) => (viewport?.width ?? 0) > 500, 'phone size');

  test('a setup is planned from an empty set to a forecast with a scale, in under 40 taps', async ({ page }) => {
    await signIn(page, 'wrangler', '/plan');
    let taps = 0;
    const tap = async (target: import('@playwright/test').Locator) => {
      await target.click();
      taps += 1;
    };
    await tap(page.getByTestId('plan-47'));
    // the passage is planned in the demo day: its pieces and marks are taken away, so that all begins with nothing
    await tap(page.getByRole('radio', { name: 'set', exact: true }));
    for (const piece of ['Passage floor', 'Bulkhead']) {
      await tap(page.getByTestId(`piece-${piece}`));
      await tap(page.getByRole('button', { name: `Remove ${piece}` }));
      await expect(page.getByTestId(`piece-${piece}`)).toHaveCount(0);
    }
    await tap(page.getByRole('radio', { name: 'move', exact: true }));
    await tap(page.getByRole('radio', { name: 'dolly', exact: true }));
    await tap(page.getByRole('radio', { name: 'set', exact: true }));
    await tap(page.getByTestId('recce'));
    await expect(page.getByTestId('piece-Near')).toBeVisible();
    await tap(page.getByRole('radio', { name: 'marks', exact: true }));
    await tap(page.getByTestId('lay-marks'));
    await expect(page.getByTestId('mark-M1')).toBeVisible();
    await tap(page.getByRole('radio', { name: 'forecast', exact: true }));
    await expect(page.getByTestId('fact-slip')).toContainText(/\d+\.\d\d px/);
    await tap(page.getByTestId('next-best'));
    await expect(page.getByTestId('help-0')).toContainText(/makes scale known/, { timeout: 30_000 });
    await tap(page.getByTestId('add-help-0'));
    await expect(page.getByTestId('fact-scale')).toContainText(/± %/);
    await expect(page.getByTestId('forecast-sentence')).toContainText(/scale ± [\d.]+ %, a still object slips [\d.]+ px at worst/);
    expect(taps).toBeLessThan(40);
    await audit(page, 'plan, forecast');
    await noSidewaysScroll(page);
    // with another tap it is undone
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect(page.getByTestId('fact-scale')).toContainText('not observable');
  });

  test('each view and part of the plan is readable by all', async ({ page }) => {
    await signIn(page, 'wrangler', '/plan');
    await page.getByTestId('plan-41').click();
    for (const view of ['side', 'camera', 'above']) {
      await page.getByRole('radio', { name: view, exact: true }).click();
      await audit(page, `plan, ${view}`);
    }
    for (const part of ['set', 'move', 'marks', 'measure', 'cautions']) {
      await page.getByRole('radio', { name: part, exact: true }).click();
      await audit(page, `plan, ${part}`);
      await noSidewaysScroll(page);
    }
  });

  test('a remedy changes the number, a note is kept, and the floor shows both', async ({ page }) => {
    await signIn(page, 'wrangler', '/plan');
    await page.getByTestId('plan-47').click();
    await page.getByRole('radio', { name: 'cautions', exact: true }).click();
    await page.getByTestId('note-no scale').click();
    await page.getByTestId('note-reason').fill('Lengths come from the drawing');
    await page.getByTestId('note-keep').click();
    await expect(page.getByTestId('answered-no scale')).toContainText('wrangler: Lengths come from the drawing');
    await open(page, '/floor');
    await page.getByTestId('setup-47').click();
    await expect(page.getByTestId('floor-caution-no scale')).toContainText('Lengths come from the drawing');
  });
});

test.describe('wide', () => {
  test.skip(({ viewport }) => (viewport?.width ?? 0) < 900, 'wide screen');

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
    await audit(page, 'plan, wide');
  });
});
