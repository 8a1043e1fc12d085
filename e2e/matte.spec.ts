import { expect, test, type Page } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { colourAt, film, H, openShot, stepTo, W } from './film.ts';

/** A matte that was made elsewhere, brought in on the page. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

let dir: string;
let page: Page;
const at = (name: string): string => join(dir, name);

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  film(
    at('brought.mp4'),
    `nullsrc=s=420x${H}:r=25:d=1,geq=lum='120+40*sin(X/3)*cos(Y/5)':cb=120:cr=130,` +
      `noise=alls=60:all_seed=22,gblur=sigma=1.3,crop=${W}:${H}:x='2*n':y=0,format=yuv420p`,
  );
  // A white square of 40 px, whose left side is at 100 + 2·n.
  const graph = `nullsrc=s=${W}x${H}:r=25:d=1,format=gray,geq=lum='255*between(X,100+2*N,139+2*N)*between(Y,60,99)'`;
  const args = ['-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', graph, '-c:v', 'ffv1', '-pix_fmt', 'gray'];
  expect(spawnSync('ffmpeg', [...args, at('square.mkv')]).status).toBe(0);
  page = await (await browser.newContext({ baseURL, viewport })).newPage();
  await openShot(page, at('brought.mp4'));
});
test.afterAll(async () => {
  await page.context().close();
  rmSync(dir, { recursive: true, force: true });
});

/** Brightness of the picture at a place of the frame, 0..255. */
const brightAt = async (x: number, y: number): Promise<number> => (await colourAt(page, x, y))[1];

test('a matte becomes a thing that goes away, is seen on the picture and as a matte', async () => {
  await page.getByTestId('bring-in').setInputFiles(at('square.mkv'));
  const list = page.getByRole('list', { name: 'What goes away' });
  await expect(list).toContainText('square', { timeout: 30_000 });
  await list.getByText('square').click();
  await expect(list).toContainText('a matte');
  await expect(page.getByTestId('brought-matte')).toBeVisible();
  await stepTo(page, 10);
  await page.keyboard.press('2');
  for (const [x, bright] of [
    [121, 255],
    [158, 255],
    [117, 0],
    [162, 0],
  ]) {
    await expect.poll(() => brightAt(x, 80)).toBe(bright);
  }
});

test('it is moved in time and grown, and the shot is looked at behind it', async () => {
  await page.getByText('Matte', { exact: true }).last().click();
  await page.getByRole('spinbutton', { name: 'Begins at frame' }).fill('5');
  await page.getByRole('spinbutton', { name: 'Begins at frame' }).press('Enter');
  // Frame 10 now has the matte's frame 5: from 110 to 149.
  await expect.poll(() => brightAt(112, 80)).toBe(255);
  await expect.poll(() => brightAt(153, 80)).toBe(0);
  await page.getByRole('spinbutton', { name: 'Grow' }).fill('8');
  await page.getByRole('spinbutton', { name: 'Grow' }).press('Enter');
  await expect.poll(() => brightAt(154, 80)).toBe(255);
  await expect.poll(() => brightAt(161, 80)).toBe(0);
  await page.keyboard.press('1');
  await expect(page.getByRole('list', { name: 'What goes away' })).toContainText('remembered', { timeout: 40_000 });
});

test('a matte of another size is refused with a sentence, which can be put away', async () => {
  const small = ['-f', 'lavfi', '-i', 'color=c=white:s=100x80:r=25:d=0.2', '-c:v', 'ffv1', at('small.mkv')];
  expect(spawnSync('ffmpeg', ['-nostdin', '-loglevel', 'error', '-y', ...small]).status).toBe(0);
  await page.getByTestId('bring-in').setInputFiles(at('small.mkv'));
  const coming = page.getByRole('list', { name: 'Mattes that come in' });
  await expect(coming).toContainText('The matte is 100x80', { timeout: 30_000 });
  await coming.getByRole('button', { name: 'Delete small.mkv' }).click();
  await expect(coming).toHaveCount(0);
});
