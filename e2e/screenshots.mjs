#!/usr/bin/env node
// Refreshes docs/screenshots from a running demo:  node e2e/screenshots.mjs http://127.0.0.1:PORT
// Needs a fresh demo day (bin/demo --fresh): the check pictures show the contradiction before it is put right.
import { chromium } from '@playwright/test';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const address = process.argv[2];
const out = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../docs/screenshots');
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--headless', '--no-sandbox', '--disable-gpu'] });

async function visit(kind, viewport, steps) {
  const page = await browser.newPage({ viewport });
  const shot = async (name) => {
    await page.waitForTimeout(900);
    await page.screenshot({ path: path.join(out, `${name}-${kind}.png`) });
  };
  const go = async (where) => {
    await page.goto(`${address}${where}`);
    await page.waitForTimeout(1200);
  };
  await go('/');
  await page.getByTestId('sign-in-name').fill('wrangler');
  await page.getByTestId('sign-in-password').fill('slack-water-9');
  await page.getByTestId('sign-in').click();
  await page.getByTestId('state-line').waitFor();
  await steps({ page, shot, go });
  await page.close();
}

const PHONE = { width: 390, height: 844 };
const WIDE = { width: 1280, height: 800 };
await visit('phone', PHONE, async ({ page, shot, go }) => {
  await go('/floor');
  await shot('floor');
  await page.getByTestId('where').click();
  await shot('days');
  await go('/floor');
  await page.getByTestId('setup-41').click();
  await page.getByTestId('take-41A-2').click();
  await shot('take');
  await go('/kit');
  await page.getByTestId('package-A').click();
  await shot('kit');
  await go('/kit');
  await page.getByTestId('package-C').click();
  await page.getByTestId('open-book').click();
  await page.getByTestId('book-focal').fill('36');
  await shot('book');
  await go('/floor');
  await page.getByTestId('setup-47').click();
  await page.getByTestId('open-net').click();
  await page.getByTestId('net-head').waitFor();
  await shot('net');
  await go('/floor');
  await page.getByTestId('setup-47').click();
  await page.getByTestId('open-walk').click();
  await page.getByTestId('gap-2-3').waitFor();
  await shot('stills');
  await go('/kit/lens-day');
  await shot('lens-day');
  await go('/plan');
  await page.getByTestId('plan-41').click();
  await page.waitForTimeout(1500);
  await shot('plan');
  await page.getByRole('radio', { name: 'camera', exact: true }).click();
  await page.getByRole('radio', { name: 'forecast', exact: true }).click();
  await page.getByTestId('next-best').click();
  await page.getByTestId('help-0').waitFor();
  await shot('plan-camera');
  await go('/check');
  await page.getByTestId('check-41A-2').click();
  await page.getByTestId('start-solve').click();
  await page.getByTestId('take-verdict').waitFor({ timeout: 60_000 });
  await shot('check');
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 11').click();
  await go('/check');
  await page.getByRole('button', { name: 'Switch to Daylight' }).click();
  await page.getByTestId('check-39A-1').click();
  await page.getByTestId('open-clip').click();
  await page.getByTestId('tracks-sentence').waitFor();
  await page.waitForTimeout(1500);
  await page.getByTestId('strip').click({ position: { x: 150, y: 30 } });
  await shot('clip');
});
await visit('wide', WIDE, async ({ page, shot, go }) => {
  await go('/plan');
  await page.getByTestId('plan-41').click();
  await page.waitForTimeout(1500);
  await shot('plan');
  await go('/floor/table');
  await shot('floor');
  await go('/kit');
  await page.getByText('Optics bench').scrollIntoViewIfNeeded();
  await page.mouse.move(800, 500);
  await page.mouse.wheel(0, 500);
  await shot('bench');
  await go('/kit');
  await page.getByTestId('plate-A_orrinel32_grid.jpg').click();
  await page.waitForTimeout(1500);
  await shot('plate');
  await go('/kit');
  await page.getByTestId('package-B').click();
  await page.getByTestId('edges-B_passage_wall.jpg').click();
  await page.waitForTimeout(2500);
  await shot('edges');
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 11').click();
  await go('/check');
  await page.getByTestId('check-39A-1').click();
  await page.getByText('Picture and tracks').waitFor();
  await page.waitForTimeout(1500);
  await page.getByTestId('strip').click({ position: { x: 170, y: 30 } });
  await shot('check');
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 12').click();
  await go('/wrap');
  await shot('wrap');
});
await browser.close();
