import { expect, test, type Page } from '@playwright/test';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { colourAt, dragOn, film, H, openShot, screenOf, stepTo, W } from './film.ts';

/** A sign on a wall that no frame shows without it, filled from beside it. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

let dir: string;
let page: Page;

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  const seed = 1 + (Date.now() % 1000);
  // Three parts of a wall: dark at the left, bright in the middle, bright with the sign at the right.
  film(
    join(dir, 'wall.mp4'),
    `nullsrc=s=${W}x${H}:r=25:d=0.6,geq=lum='if(between(X,220,259)*between(Y,60,99),30,if(lt(X,110),70,180)+20*sin(X/3)*cos(Y/5))':` +
      `cb=120:cr=130,noise=alls=8:all_seed=${seed},format=yuv420p`,
  );
  page = await (await browser.newContext({ baseURL, viewport })).newPage();
  await openShot(page, join(dir, 'wall.mp4'));
});
test.afterAll(async () => {
  await page.context().close();
  rmSync(dir, { recursive: true, force: true });
});

const donor = () => page.getByTestId('donor').locator('path').last();

test('a donor area starts beside the thing, and is dragged to where the fill is to come from', async () => {
  await stepTo(page, 4);
  await page.keyboard.press('r');
  await dragOn(page, await screenOf(page, 216, 56), await screenOf(page, 264, 104));
  await page.getByText('Donor area').click();
  await expect(donor()).toBeVisible();
  await expect(page.getByRole('list', { name: 'From, in this order' }).getByRole('listitem').first()).toContainText(
    'Donor area',
  );
  await dragOn(page, await screenOf(page, 296, 80), await screenOf(page, 166, 80));
  const across = page.getByRole('spinbutton', { name: 'Donor across' });
  await expect.poll(async () => Number((await across.inputValue()).replace(' px', ''))).toBeLessThan(-60);
  await stepTo(page, 6);
  await expect(donor()).toHaveCount(0);
});

test('the take shows what lies there, and another source when the order is changed', async () => {
  await page.getByRole('button', { name: 'Full take' }).click();
  const takes = page.getByRole('list', { name: 'Takes' }).getByRole('listitem');
  await expect(takes.first()).toContainText('pick', { timeout: 90_000 });
  await page.keyboard.press('3');
  await expect.poll(async () => (await colourAt(page, 240, 80))[1], { timeout: 20_000 }).toBeGreaterThan(120);
  // Undo takes the donor's move back, and the one before it the donor itself.
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('spinbutton', { name: 'Donor across' })).toHaveCount(0);
});

test('what is invented can be tried again, as a take of its own', async () => {
  await page.getByRole('button', { name: 'Draft', exact: true }).click();
  const again = page.getByRole('button', { name: 'Another try' });
  await again.click({ timeout: 90_000 });
  await expect(page.getByRole('list', { name: 'Takes' })).toContainText('try 2');
});
