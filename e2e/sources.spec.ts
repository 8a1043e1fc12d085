import { expect, test, type Page } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { colourAt, dragOn, dragRow, film, H, openShot, screenOf, stepTo, W } from './film.ts';

/** A sign on a wall that no frame shows without it, filled from beside it. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

let dir: string;
let page: Page;

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  // Three parts of a wall: dark at the left, bright in the middle, bright with the sign at the right.
  film(
    join(dir, 'wall.mp4'),
    `nullsrc=s=${W}x${H}:r=25:d=0.6,geq=lum='if(between(X,220,259)*between(Y,60,99),30,if(lt(X,110),70,180)+20*sin(X/3)*cos(Y/5))':` +
      `cb=120:cr=130,noise=alls=8:all_seed=21,format=yuv420p`,
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
  await dragOn(page, await screenOf(page, 184, 80), await screenOf(page, 166, 80));
  const across = page.getByRole('spinbutton', { name: 'Donor across' });
  await expect.poll(async () => Number((await across.inputValue()).replace(' px', ''))).toBeLessThan(-60);
  await stepTo(page, 6);
  await expect(donor()).toHaveCount(0);
});

test('it fits itself in: the pattern of the wall goes on; one undo puts it back', async () => {
  await stepTo(page, 4);
  const across = page.getByRole('spinbutton', { name: 'Donor across' });
  const [before, period] = [await across.inputValue(), 6 * Math.PI];
  await page.getByRole('button', { name: 'Let it fit' }).click();
  await expect.poll(async () => (await across.inputValue()) !== before).toBe(true);
  expect(Math.abs(parseFloat((await across.inputValue()).replace('−', '-')) + 4 * period)).toBeLessThan(0.6);
  await page.keyboard.press('Control+z');
  await expect(across).toHaveValue(before);
  await stepTo(page, 6);
});

test('the take shows what lies there, and another source when the order is changed', async () => {
  await page.getByRole('button', { name: 'Full take', exact: true }).click();
  const takes = page.getByRole('list', { name: 'Takes' }).getByRole('listitem');
  await expect(takes.first()).toContainText('pick', { timeout: 90_000 });
  await page.keyboard.press('3');
  await expect.poll(async () => (await colourAt(page, 240, 80))[1]).toBeGreaterThan(120);
  // Undo takes the donor's move back, and the one before it the donor itself.
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('spinbutton', { name: 'Donor across' })).toHaveCount(0);
  // Texture before other frames, by dragging: what is in use changes places, the rest stays below.
  const rows = page.getByRole('list', { name: 'From, in this order' }).getByRole('listitem');
  await expect(rows).toHaveText(['Other frames', 'Texture', 'Plate', 'Donor area', 'Colours']);
  await dragRow(page, rows.nth(1), (await rows.nth(0).boundingBox())!.y + 3);
  await expect(rows).toHaveText(['Texture', 'Other frames', 'Plate', 'Donor area', 'Colours']);
  await page.keyboard.press('Control+z');
  await expect(rows).toHaveText(['Other frames', 'Texture', 'Plate', 'Donor area', 'Colours']);
});

test('what is invented can be tried again, as a take of its own', async () => {
  await page.getByRole('button', { name: 'Draft', exact: true }).click();
  const again = page.getByRole('button', { name: 'Another try' });
  await again.click({ timeout: 90_000 });
  await expect(page.getByRole('list', { name: 'Takes' })).toContainText('try 2', { timeout: 90_000 });
});

const green = async (): Promise<number> => (await colourAt(page, 240, 80))[1];
const field = (name: string) => page.getByRole('spinbutton', { name, exact: true });

test('the fill is trimmed by hand: seen at once, over time, and taken back', async () => {
  await page.keyboard.press('3');
  await page.getByText('Trim by hand').click();
  const before = await green();
  await field('Brighter').fill('-1.5');
  await field('Brighter').press('Enter');
  await expect.poll(green).toBeLessThan(before - 30);
  // At another frame a second key; between the two it goes from one to the other.
  await stepTo(page, 12);
  await field('Brighter').fill('0');
  await field('Brighter').press('Enter');
  await expect(page.getByRole('group', { name: 'Keys of the trim' }).getByRole('button')).toHaveCount(2);
  await stepTo(page, 9);
  await expect(field('Brighter')).toHaveValue('-0.75 stops');
  await page.getByRole('button', { name: 'Trim key at 6' }).click();
  await expect(field('Brighter')).toHaveValue('-1.5 stops');
  // Its keys are on the strip as well: the second is dragged two frames on.
  const [a, b] = [6, 12].map((frame) => page.getByTestId(`key-Trim by hand-${frame}`));
  const [at6, at12] = [(await a.boundingBox())!, (await b.boundingBox())!];
  const [x, y] = [at12.x + at12.width / 2, at12.y + at12.height / 2];
  await dragOn(page, [x, y], [x + (at12.x - at6.x) / 3, y]);
  await expect(page.getByRole('button', { name: 'Trim key at 14' })).toBeVisible();
  await expect(page.getByTestId('chosen-keys')).toContainText('A key');
  await stepTo(page, 10);
  await expect(field('Brighter')).toHaveValue('-0.75 stops');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(field('Brighter')).toHaveValue('0 stops');
  await expect.poll(green).toBeGreaterThan(before - 10);
});

test('a plate is built, and one that was painted elsewhere is filled from', async () => {
  await page.getByText('Plate', { exact: true }).click();
  await page.getByRole('button', { name: 'Build it' }).click();
  const plate = page.getByRole('region', { name: 'Plate' });
  await expect(plate.getByRole('img')).toBeVisible({ timeout: 60_000 });
  await expect
    .poll(() => plate.getByRole('img').evaluate((i: HTMLImageElement) => i.naturalWidth))
    .toBeGreaterThan(100);
  const painted = join(dir, 'painted.png');
  const blue = ['-f', 'lavfi', '-i', `color=blue:s=${W}x${H}`, '-frames:v', '1', painted];
  expect(spawnSync('ffmpeg', ['-loglevel', 'error', '-y', ...blue]).status).toBe(0);
  await plate.getByLabel('Picture for a plate').setInputFiles(painted);
  await expect(plate).toContainText('painted.png, lies at frame', { timeout: 30_000 });
  // Matched to the wall's light it would be a wall again.
  await field('Light match').fill('0');
  await field('Light match').press('Enter');
  await page.getByRole('button', { name: 'Full take', exact: true }).click();
  const takes = page.getByRole('list', { name: 'Takes' }).getByRole('listitem');
  await takes.filter({ hasText: 'Full 2' }).getByRole('button', { name: 'Look' }).click({ timeout: 90_000 });
  await expect
    .poll(async () => {
      const [r, , b] = await colourAt(page, 240, 80);
      return b - r;
    })
    .toBeGreaterThan(100);
});
