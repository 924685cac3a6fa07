import { start, stopDemo } from './demo-process';
import { expect, nowRunning, running, test } from './demo-test';
import { remember } from './demos';
import { open, signIn } from './helpers';

test('Ctrl-C ends what bin/demo started; a second start keeps the data and the session', async ({ page }) => {
  const first = running();
  expect(first.output).toMatch(/Sign in\s+owner, supervisor, wrangler, solver or guest/);
  await signIn(page, 'wrangler', '/floor');
  await page.getByTestId('setup-47').click();
  await page.getByTestId('log-take').click();
  const take = await page.getByRole('heading', { name: /^47 take \d+$/ }).textContent();
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await stopDemo(first.pid);
  await expect(fetch(`${first.address}/api/health`)).rejects.toThrow();
  const second = { ...(await start('bin/demo', first.dataDir)), readySeconds: first.readySeconds };
  remember(test.info().project.name, second);
  nowRunning(second);
  // a time is printed and not asserted: a busy machine is slower
  process.stdout.write(`first start ${first.readySeconds.toFixed(1)} s, second ${second.readySeconds.toFixed(1)} s\n`);
  // the session is in the database too: nobody has to sign in again
  await open(page, '/check');
  await expect(page.getByTestId(`check-${take!.replace(' take ', '-')}`)).toBeVisible();
  await expect(page.getByTestId('check-42B-2')).toContainText('agrees');
});
