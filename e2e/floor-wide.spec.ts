import { expect, PAGES_NOT_KEPT, test } from './demo-test';
import { audit, open, signIn } from './helpers';

test.use(PAGES_NOT_KEPT);

test('the day as a table: worked with keys, copied and pasted, a CSV brought in, all taken back with one step each', async ({ page, context }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await signIn(page, 'wrangler', '/floor');
  await page.getByTestId('open-table').waitFor();
  await open(page, '/floor/table');
  const cell = (name: string) => page.getByTestId(`cell-${name}`);
  await cell('41A-1-stop').click();
  await page.keyboard.type('2.8');
  await page.keyboard.press('Enter');
  await page.keyboard.type('4');
  await page.keyboard.press('Enter');
  await expect(cell('41A-1-stop')).toHaveText('2.8');
  await expect(cell('41A-2-stop')).toHaveText('4');
  // both cells, laid over two others further down
  await cell('41A-1-stop').click();
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Control+C');
  await cell('42B-1-stop').click();
  await page.keyboard.press('Control+V');
  await expect(cell('42B-1-stop')).toHaveText('2.8');
  await expect(cell('42B-2-stop')).toHaveText('4');
  await page.keyboard.press('Control+Z');
  await expect(cell('42B-1-stop')).toHaveText('');
  await page.keyboard.type('wide');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/must be a number from 0\.5 to 64/)).toBeVisible();
  await page.keyboard.press('Escape');
  await audit(page, 'table');

  await page.getByTestId('open-import').click();
  const picker = page.waitForEvent('filechooser');
  await page.getByTestId('choose-csv').click();
  await (await picker).setFiles({ name: 'day.csv', mimeType: 'text/csv', buffer: Buffer.from('Slate,Take,T-stop,ISO,Notes\n41A,1,5.6,800,from the table\n41A,99,8,,a new one\n41A,2,wide,,\n') });
  await expect(page.getByTestId('import-preview')).toContainText('1 changed, 1 new, 0 the same, 1 cannot be read');
  await audit(page, 'bring in a CSV');
  await page.getByTestId('apply-import').click();
  await expect(cell('41A-1-stop')).toHaveText('5.6');
  await expect(page.getByTestId('row-41A-99')).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(cell('41A-1-stop')).toHaveText('2.8');
  await expect(page.getByTestId('row-41A-99')).toHaveCount(0);
  await expect(page.getByTestId('state-line')).toContainText('all sent');
});
