import { expect, test } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

let dir: string;
const at = (name: string): string => join(dir, name);

test.beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  const film = (name: string, hue: number): void => {
    const source = `testsrc2=s=320x180:r=25:d=2,hue=h=${hue}`;
    spawnSync('ffmpeg', [
      '-nostdin',
      '-loglevel',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      source,
      '-pix_fmt',
      'yuv420p',
      '-c:v',
      'libx264',
      at(name),
    ]);
  };
  // The hue makes each run's files new to the server.
  film('walk one.mp4', Date.now() % 360);
  film('walk two.mp4', (Date.now() % 360) + 0.5);
  writeFileSync(at('letter.mp4'), `This is a letter of ${Date.now()}. `.repeat(400));
});
test.afterAll(() => rmSync(dir, { recursive: true, force: true }));

test('clips are added, read, survive a reload, are deleted and brought back', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles([at('walk one.mp4'), at('walk two.mp4')]);
  const clips = page.getByRole('list', { name: 'Clips' });
  const one = clips.getByRole('listitem').filter({ hasText: 'walk one.mp4' });
  await expect(one).toHaveAttribute('data-state', 'ready', { timeout: 60_000 });
  await expect(one).toContainText('320 × 180 · 50 frames · 25 fps · 2.0 s · h264');
  await expect(clips.getByRole('listitem').filter({ hasText: 'walk two.mp4' })).toHaveAttribute('data-state', 'ready', {
    timeout: 60_000,
  });
  const strip = one.locator('img');
  await expect.poll(() => strip.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(500);

  await page.reload();
  await expect(one).toBeVisible();

  await one.getByRole('button', { name: 'Delete walk one.mp4' }).click();
  await expect(one).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(one).toHaveAttribute('data-state', 'ready');
});

test('the same file twice is one clip', async ({ page }) => {
  await page.goto('/');
  const two = page.getByRole('listitem').filter({ hasText: 'walk two.mp4' });
  await expect(two).toHaveCount(1);
  await page.getByTestId('chooser').setInputFiles(at('walk two.mp4'));
  await expect(page.getByRole('list', { name: 'Uploads' })).toHaveCount(0);
  await expect(two).toHaveCount(1);
});

test('a file that is no video says so, in a sentence with a next step', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles(at('letter.mp4'));
  const letter = page.getByRole('listitem').filter({ hasText: 'letter.mp4' });
  await expect(letter.getByRole('alert')).toContainText('Choose another file', { timeout: 30_000 });
  await letter.getByRole('button', { name: 'Delete letter.mp4' }).click();
  await expect(letter).toHaveCount(0);
});

test('another page sees what is added here', async ({ page, context }) => {
  const other = await context.newPage();
  await other.goto('/');
  await page.goto('/');
  const clip = (p: typeof page) => p.getByRole('listitem').filter({ hasText: 'walk one.mp4' });
  await expect(clip(other)).toHaveCount(1);
  await clip(page)
    .getByRole('button', { name: /Delete/ })
    .click();
  await expect(clip(other)).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(clip(other)).toHaveCount(1);
});
