import { expect, PAGES_NOT_KEPT, test } from './demo-test';
import { audit, noSidewaysScroll, open, signIn } from './helpers';

test.use(PAGES_NOT_KEPT);

test('the tape net names the tie that was written in the wrong unit; a further tie determines what was open', async ({ page }) => {
  await signIn(page, 'wrangler', '/floor');
  await page.getByTestId('setup-47').click();
  await page.getByTestId('open-net').click();
  await expect(page.getByTestId('net-head')).toContainText('of 8 marks determined, 1 entry contradicts the rest');
  await expect(page.getByTestId('suspect-L2 – L6')).toContainText('inches were written down as centimetres');
  await expect(page.getByTestId('open-L8')).toContainText('Missing: one further tie');
  await audit(page, 'tape net');
  await noSidewaysScroll(page);
  const net = page.url();
  // L8 is 2.166 m from L3 in the demo's set; what is entered without a network counts at once, and is there after a reload
  await page.context().setOffline(true);
  await page.getByTestId('add-tie').click();
  await page.getByTestId('tie-from').fill('L3');
  await page.getByTestId('tie-to').fill('L8');
  await page.getByTestId('length-field').fill('2.166 m');
  await page.getByTestId('length-field').blur();
  await page.getByTestId('save-tie').click();
  await expect(page.getByTestId('place-L8')).toBeVisible();
  await page.context().setOffline(false);
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await open(page, new URL(net).pathname);
  await expect(page.getByTestId('place-L8')).toBeVisible();
  await expect(page.getByTestId('net-head')).toContainText('8');
  // a mark that is on no plan, tied to three marks of the wall only: before it or behind it
  for (const [to, length] of [
    ['L6', '2.377 m'],
    ['L7', '1.658 m'],
    ['L8', '2.049 m'],
  ]) {
    await page.getByTestId('add-tie').click();
    await page.getByTestId('tie-from').fill('N1');
    await page.getByTestId('tie-to').fill(to);
    await page.getByTestId('length-field').fill(length);
    await page.getByTestId('length-field').blur();
    await page.getByTestId('save-tie').click();
    await expect(page.getByTestId('save-tie')).toHaveCount(0);
  }
  const question = page.getByTestId('side-question-N1');
  await expect(question).toContainText(/Walk from L\d over N1 to L\d: at N1, do you turn left or right\?/);
  await audit(page, 'tape net, a side is asked');
  await question.getByTestId('turn-left').click();
  await expect(question).toHaveCount(0);
  const told = (await page.getByTestId('place-N1').textContent())!;
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await question.getByTestId('turn-right').click();
  await expect(page.getByTestId('place-N1')).not.toHaveText(told);
  await expect(page.getByLabel(/^Remove N1 stands where the way from L\d over it to L\d turns right/)).toBeVisible();
});
