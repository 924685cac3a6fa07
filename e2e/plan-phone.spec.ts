import { expect, PAGES_NOT_KEPT, test } from './demo-test';
import { audit, noSidewaysScroll, open, signIn } from './helpers';

test.use(PAGES_NOT_KEPT);

// From nothing to a forecast on the phone.
test.describe.configure({ mode: 'serial' });

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
  await expect(page.getByTestId('help-0')).toContainText(/makes scale known/);
  await tap(page.getByTestId('add-help-0'));
  await expect(page.getByTestId('fact-scale')).toContainText(/± %/);
  await expect(page.getByTestId('forecast-sentence')).toContainText(/scale ± [\d.]+ %, a still object slips [\d.]+ px at worst/);
  expect(taps).toBeLessThan(40);
  await audit(page, 'plan, forecast', true);
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
    await audit(page, `plan, ${view}`, true);
  }
  for (const part of ['set', 'move', 'marks', 'measure', 'witness', 'cautions']) {
    await page.getByRole('radio', { name: part, exact: true }).click();
    await audit(page, `plan, ${part}`, true);
    await noSidewaysScroll(page);
  }
});

test('a photo with three lengths says where it was taken from, and counts among the cautions', async ({ page }) => {
  await signIn(page, 'wrangler', '/plan');
  await page.getByTestId('plan-47').click();
  await page.getByTestId('open-recce').click();
  // the demo photo is drawn from 1.56 m, 11° down
  await expect(page.getByTestId('recce-sentence')).toContainText(/taken 1\.5\d m ± 0\.0\d m over the floor, looking 11° down/);
  await expect(page.getByTestId('recce-detail')).toContainText(/\d{3} corners/);
  await audit(page, 'recce');
  await noSidewaysScroll(page);
  await page.getByLabel('Remove length 3').click();
  await expect(page.getByRole('alert').first()).toContainText('2 lengths of at least three');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByTestId('recce-height')).toBeVisible();
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

test('a stills walk is laid, drawn and ticked off on the floor; the sun is followed', async ({ page }) => {
  await signIn(page, 'wrangler', '/plan');
  await page.getByTestId('plan-42').click();
  await page.getByRole('radio', { name: 'stills', exact: true }).click();
  await page.getByTestId('stills-distance').fill('1.5');
  await page.getByTestId('lay-stills').click();
  await expect(page.getByTestId('stills-count')).toContainText(/^[3-9] pictures, 0 taken/);
  await page.getByRole('radio', { name: 'cautions', exact: true }).click();
  await expect(page.getByTestId('caution-stills plan missing')).toHaveCount(0);
  await open(page, '/plan');
  await page.getByTestId('plan-47').click();
  await page.getByRole('radio', { name: 'light', exact: true }).click();
  await page.getByTestId('follow-sun').click();
  await page.getByTestId('light-Shot from').fill('2026-06-21 09:00');
  await page.getByTestId('light-until').fill('2026-06-21 12:00');
  await page.getByTestId('light-until').blur();
  await expect(page.getByTestId('sun-travel')).toContainText(/[34]\d\.\d °/);
  await audit(page, 'plan, light', true);
  await page.getByRole('radio', { name: 'cautions', exact: true }).click();
  await expect(page.getByTestId('caution-light reference missing')).toBeVisible();
  await open(page, '/floor');
  await page.getByTestId('setup-42').click();
  await page.getByTestId('open-walk').click();
  await page.getByTestId('station-1').click();
  await page.getByTestId('tick-still').click();
  await page.getByRole('button', { name: 'Close' }).click();
  await expect(page.getByTestId('walk-head')).toContainText('1 of');
  await page.reload();
  await expect(page.getByTestId('walk-head')).toContainText('1 of');
  await open(page, '/floor');
  await page.getByTestId('setup-42').click();
  await expect(page.getByTestId('floor-stills')).toContainText('1 of');
  await audit(page, 'floor with a plan');
});
