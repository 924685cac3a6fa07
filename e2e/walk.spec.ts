import JSZip from 'jszip';
import { readFileSync } from 'node:fs';
import { expect, PAGES_NOT_KEPT, test } from './demo-test';
import { audit, choose, noSidewaysScroll, open, openPlate, sample, signIn } from './helpers';

test.use(PAGES_NOT_KEPT);

// The eight steps of a day, in order, on one demo day. They build on one another.
test.describe.configure({ mode: 'serial' });

test('sign in: a wrong password is said, the right one opens the day', async ({ page }) => {
  await open(page, '/');
  await audit(page, 'sign in');
  await page.getByTestId('sign-in').click();
  await expect(page.getByText('Enter your name')).toBeVisible();
  await page.getByTestId('sign-in-name').fill('wrangler');
  await page.getByTestId('sign-in-password').fill('wrong');
  await page.getByTestId('sign-in').click();
  await expect(page.getByText('The name or the password is not right.')).toBeVisible();
  await page.getByTestId('sign-in-password').fill('slack-water-9');
  await page.getByTestId('sign-in').click();
  await expect(page.getByText('Setups of the day')).toBeVisible();
  await audit(page, 'floor');
});

test('kit: numbers and drawings follow while a package is edited', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-A').click();
  const big = page.getByTestId('effective-focal');
  await page.getByRole('radio', { name: /^none/ }).first().click();
  await expect(big).toContainText('32.00');
  // on a demo day that an earlier walk corrected, the mistake is put back
  if (await page.getByTestId('save-package').isVisible()) await page.getByTestId('save-package').click();
  await page.getByRole('radio', { name: /reducer ×0\.71/ }).click();
  await expect(big).toContainText('22.72');
  await expect(page.getByRole('img', { name: /From above: 55\.7° wide/ })).toBeVisible();
  await page.getByTestId('package-focal').fill('90');
  await expect(page.getByText('Orrinel 32 is marked 32 mm')).toBeVisible();
  await page.getByRole('button', { name: 'Revert' }).click();
  await expect(big).toContainText('32.00');
  await expect(page.getByRole('img', { name: /inside 36 × 24 mm: crop 1\.59/ })).toBeVisible();
  await audit(page, 'package');
  await noSidewaysScroll(page);
});

test('kit: a body is entered by its pitch, mounted, and everything is taken back', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('add-body').click();
  await page.getByTestId('part-name').fill('Test body');
  await page.getByTestId('mode-width-px').fill('5000');
  await page.getByTestId('mode-pitch').fill('20');
  await expect(page.getByText(/the pixel pitch would be 20\.00 µm/).first()).toBeVisible();
  await page.getByTestId('mode-pitch').fill('5');
  await expect(page.getByTestId('mode-width-mm')).toHaveValue('25');
  await audit(page, 'body');
  await noSidewaysScroll(page);
  await page.getByTestId('save-part').click();
  await page.getByRole('button', { name: 'Back to the kit' }).click();
  await page.getByTestId('package-B').click();
  await page.getByTestId('copy-package').click();
  await expect(page.getByRole('heading', { name: 'D-cam' })).toBeVisible();
  await page.getByRole('radio', { name: 'Test body' }).click();
  await page.getByTestId('save-package').click();
  await expect(page.getByTestId('bench-field')).toContainText('3.00 ×'); // 25 mm wide, f 25 mm, at 3 m
  await audit(page, 'optics bench');
  await page.getByTestId('remove-package').click();
  await expect(page.getByTestId('package-D')).toHaveCount(0);
  await page.getByTestId('part-Test body').click();
  await page.getByTestId('remove-part').click();
  await expect(page.getByTestId('part-Test body')).toHaveCount(0);
  await expect(page.getByTestId('state-line')).toContainText('all sent');
});

test('lens grid: a picture is measured and judged', async ({ page }) => {
  await signIn(page, 'wrangler', '/kit');
  await page.getByTestId('package-B').click();
  await choose(page, 'add-plate', sample('grid-good.jpg'));
  await expect(page.getByTestId('look-grid-good.jpg')).toContainText(/Worth keeping: \d+ corners/);
  await page.getByTestId('measure-plate').click();
  await openPlate(page, 'grid-good.jpg');
  await expect(page.getByTestId('plate-sentence')).toContainText(/Good to use: 0\.0\d px/, { timeout: 90_000 });
  await expect(page.getByRole('img', { name: /Lattice of \d+ × \d+ over the plate/ })).toBeVisible();
  await expect(page.getByTestId('plate-rms')).toContainText('px');
  await expect(page.getByText(/Undistorted it is \d+ × \d+ px: overscan/)).toBeVisible();
  await expect(page.getByRole('img', { name: /Undistorted, with a straight-edge/ })).toBeVisible();
  await expect(page.getByRole('table', { name: 'Models compared' }).getByRole('row')).toHaveCount(5);
  await audit(page, 'plate');
  await noSidewaysScroll(page);
});

test('floor: the next take is counted up, its height kept as it was measured; a tie', async ({ page }) => {
  await signIn(page, 'wrangler', '/floor');
  await page.getByTestId('setup-42').click();
  const button = page.getByTestId('log-take');
  const number = Number(/\d+/.exec((await button.textContent())!)![0]);
  await button.click();
  await expect(page.getByRole('heading', { name: `42B take ${number}` })).toBeVisible();
  await expect(page.getByText(/↷ carried over/).first()).toBeVisible();
  await page.getByTestId('length-field').fill('3\' 9 1/2"');
  await page.getByTestId('length-field').press('Enter');
  await page.getByRole('radio', { name: 'body base' }).click();
  await expect(page.getByTestId('pupil-height')).toContainText('3\' 11 7/8"'); // 45.5 in + 6 cm up to the entrance pupil
  await page.getByRole('radio', { name: 'lens axis' }).click();
  await expect(page.getByTestId('pupil-height')).toContainText('3\' 9 1/2"');
  // a bare number that can be two lengths is asked about, and kept only by an answer
  await page.getByTestId('length-field').fill('141');
  await page.getByTestId('length-field').press('Enter');
  await expect(page.getByText(/Which is it\?/)).toBeVisible();
  await expect(page.getByTestId('pupil-height')).toContainText('3\' 9 1/2"');
  await page.getByRole('slider', { name: 'Height as measured on the tape' }).focus();
  await page.keyboard.press('ArrowRight');
  // the tape is in the person's unit
  await expect(page.getByTestId('length-field')).toHaveValue(/^1\.1[67]\d m$/);
  const height = await page.getByTestId('length-field').inputValue();
  await page.getByTestId('field-focusM').fill('4.2');
  await page.getByTestId('field-focusM').press('Enter');
  await audit(page, 'take');
  await page.getByTestId('take-done').click();
  await expect(page.getByTestId(`take-42B-${number}`)).toContainText(`focus 4.200 m · height ${height}`);
  await page.getByTestId('add-tie').click();
  await page.getByTestId('tie-from').fill('J1');
  await page.getByTestId('tie-to').fill('J3');
  await page.getByTestId('length-field').fill('2.062 m');
  await page.getByTestId('length-field').press('Enter');
  await page.getByTestId('save-tie').click();
  await expect(page.getByTestId('tie-J1-J3').first()).toContainText('2.062 m');
  await expect(page.getByTestId('state-line')).toContainText('all sent');
  await audit(page, 'setup');
  // the tie was an example, not a measurement: it can be taken back
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByTestId('tie-J1-J3')).toHaveCount(0);
});

test('check and reconcile: the solve contradicts the record, names the cause, and one tap puts it right', async ({ page }) => {
  await signIn(page, 'wrangler', '/check');
  await page.getByTestId('check-41A-1').click();
  await choose(page, 'give-tracks', sample('tracks-galley.csv'));
  await page.getByTestId('start-solve').click();
  await expect(page.getByTestId('take-verdict')).toContainText('contradicts', { timeout: 90_000 });
  await expect(page.getByTestId('reconcile-sentence')).toContainText('×0.71 focal reducer');
  await expect(page.getByTestId('causes')).toContainText('32.00 mm × 0.710 = 22.72 mm');
  await expect(page.getByTestId('item-focalLength-focal length')).toContainText('solved 22.');
  await expect(page.getByTestId('solve-rms')).toContainText('px');
  await expect(page.getByRole('img', { name: /Error per frame/ })).toBeVisible();
  await expect(page.getByRole('img', { name: /From above: the camera travels/ })).toBeVisible();
  await expect(page.getByRole('img', { name: /From the side: camera height 1\.\d+ m/ })).toBeVisible();
  await audit(page, 'check');
  await noSidewaysScroll(page);
  await page.getByTestId('correct').click();
  await expect(page.getByTestId('take-verdict')).toContainText('agrees', { timeout: 90_000 });
  await expect(page.getByTestId('item-focalLength-focal length')).toContainText('recorded 22.72');
  await open(page, '/check');
  await expect(page.getByTestId('check-41A-1')).toContainText('agrees');
  await audit(page, 'verdicts');
});

test('a pan is not solved into a wild camera', async ({ page }) => {
  await signIn(page, 'supervisor', '/check');
  await page.getByTestId('check-47-1').click();
  await page.getByTestId('start-solve').click();
  await expect(page.getByText(/No parallax: the camera turns but does not move/)).toBeVisible({ timeout: 90_000 });
  // and what a turn does tell is told
  await expect(page.getByText(/^Where the camera looked: it turns/)).toBeVisible();
});

test('a take of each kind: a whip, a zoom, an object, two cameras on one rig, and a height with its digits changed about', async ({ page }) => {
  await signIn(page, 'supervisor', '/check');
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 10').click();
  const look = async (take: string) => {
    await open(page, '/check');
    await page.getByTestId(`check-${take}`).click();
    await expect(page.getByRole('heading', { name: take.replace('-', ' take ') })).toBeVisible();
    await expect(page.getByTestId('take-verdict')).toBeVisible();
  };
  await look('36A-1');
  await expect(page.getByTestId('stretch-1')).toContainText(/Frames 1 to 35|Frames 44 to 78/);
  await expect(page.getByText(/joined by what both sides see: K3, K7, W1, W2/)).toBeVisible();
  await audit(page, 'a parted shot');
  await noSidewaysScroll(page);
  await look('36B-1');
  await expect(page.getByTestId('solve-facts')).toContainText(/24\.\d.*36\.\d/);
  await look('36C-1');
  await expect(page.getByRole('heading', { name: 'Way of the object, and its points' })).toBeVisible();
  await look('36D-1');
  await expect(page.getByTestId('witness-facts')).toContainText('K3');
  await expect(page.getByTestId('item-witnessOffset-X-cam, to the right')).toContainText('agrees');
  await audit(page, 'two cameras');
  await noSidewaysScroll(page);
  await look('36E-1');
  await expect(page.getByTestId('take-verdict')).toContainText('contradicts');
  await expect(page.getByTestId('causes')).toContainText(/1\.42/);
  // one picture and the lengths between its marks say the same of it
  await page.getByTestId('lineup-36E_t1_frame_1.jpg').click();
  await expect(page.getByTestId('lineup-verdict')).toContainText('contradicts');
  await expect(page.getByTestId('lineup-found')).toContainText(/1\.(3[89]|4\d)\d m high/);
  await expect(page.getByTestId('lineup-fact-the length K3 – K7')).toBeVisible();
  await audit(page, 'a picture by its lengths');
  await noSidewaysScroll(page);
  await look('36F-1');
  await expect(page.getByTestId('take-verdict')).toContainText('agrees');
  await expect(page.getByTestId('solve-facts')).toContainText('readout skew of 15.5 ms taken out');
  await look('36G-1');
  await expect(page.getByTestId('reconcile-sentence')).toContainText('The readout of the picture takes another time than was written down');
  await expect(page.getByTestId('causes')).toContainText(/a readout of 15\.[3-7] ± 0\.\d ms fits, and 5\.2 ms was taken out/);
  await audit(page, 'rows that were read otherwise');
  await noSidewaysScroll(page);
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 12').click();
});

test('stills of a walk by two cameras tell where they were taken; a mark taken off makes that old, and they are placed anew', async ({ page }) => {
  await signIn(page, 'supervisor', '/floor');
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 10').click();
  await open(page, '/floor');
  await page.getByText('Boat on its table').first().click();
  await page.getByTestId('open-walk').click();
  await expect(page.getByTestId('walk-placed')).toContainText('of 8 placed');
  await expect(page.getByTestId('walk-lens-Sorrel P1, 9 mm')).toContainText(/5 pictures: (8\.99|9\.0[01])\d? ± 0\.0(0[1-9]|1) mm, noted 9\.00/);
  await expect(page.getByTestId('walk-metre')).toContainText('taped between marks');
  await expect(page.getByTestId('station-2')).toContainText(/taken 0\.(3|4)\d m from its station/);
  await expect(page.getByTestId('orbit')).toBeVisible();
  await audit(page, 'a walk that is placed');
  await noSidewaysScroll(page);
  await page.getByTestId('station-1').click();
  await page.getByTestId('still-marks').click();
  await expect(page.getByTestId('still-mark-O4')).toContainText('in 2 other pictures too');
  await audit(page, 'marks in a still');
  await page.getByTestId('off-O4').click();
  await page.getByRole('button', { name: 'Back to the walk' }).click();
  await expect(page.getByTestId('walk-stale')).toContainText('S_boat_01.jpg');
  await page.getByTestId('place-walk').click();
  await expect(page.getByTestId('walk-stale')).toHaveCount(0);
  await expect(page.getByTestId('walk-placed')).toContainText('of 8 placed', { timeout: 120_000 });
  // taken back, the mark is in the picture again, and what was placed without it is old in its turn
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('walk-stale')).toContainText('S_boat_01.jpg');
  await page.getByTestId('place-walk').click();
  await expect(page.getByTestId('walk-stale')).toHaveCount(0);
  await expect(page.getByTestId('walk-placed')).toContainText('of 8 placed', { timeout: 120_000 });
  await page.getByTestId('where').click();
  await page.getByTestId('day-Day 12').click();
});

test('wrap: what is missing is listed, and the handover leaves as one zip', async ({ page }) => {
  await signIn(page, 'supervisor', '/wrap');
  await expect(page.getByTestId('missing-count')).toContainText('missing');
  await audit(page, 'wrap');
  await page.getByTestId('hand-over').click();
  await audit(page, 'handing over');
  await page.getByTestId('hand-over-to').fill('Post house');
  // the phone's run has handed it over before: then what is new is offered first
  const whole = page.getByRole('radio', { name: /^All of it/ });
  if ((await whole.count()) > 0) await whole.click();
  const download = page.waitForEvent('download');
  await page.getByTestId('hand-over-now').click();
  const file = await download;
  expect(file.suggestedFilename()).toBe('2026-11-23-Day-12-handover.zip');
  const zip = await JSZip.loadAsync(readFileSync((await file.path())!));
  expect(Object.keys(zip.files)).toEqual(
    expect.arrayContaining([
      'CONTENTS.txt',
      'MANIFEST.sha256',
      'report.html',
      'report.pdf',
      'kit.csv',
      'readings.csv',
      'takes/41A-take-1/camera.glb',
      'takes/41A-take-1/points.csv',
      'takes/42B-take-2/camera.csv',
    ]),
  );
  await expect(page.getByText(/Handed over to Post house: 2026-11-23/)).toBeVisible();
  // handed over is a state that everybody sees; the next one offers what is new
  await expect(page.getByTestId('handed-over').first()).toContainText('to Post house');
  await page.getByTestId('hand-over').click();
  const supplement = page.waitForEvent('download');
  await page.getByTestId('hand-over-now').click();
  expect((await supplement).suggestedFilename()).toBe('2026-11-23-Day-12-supplement.zip');
});

test('both lights pass the audit', async ({ page }) => {
  await signIn(page, 'wrangler', '/floor');
  await page.getByRole('button', { name: 'Switch to Daylight' }).click();
  await page.getByTestId('setup-41').click();
  await audit(page, 'setup in daylight');
  await open(page, '/check');
  await expect(page.getByText('Does the record hold?')).toBeVisible();
  await audit(page, 'verdicts in daylight');
  await page.getByTestId('check-42B-2').click();
  await expect(page.getByTestId('take-verdict')).toBeVisible();
  await audit(page, 'check in daylight');
});
