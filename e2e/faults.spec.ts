import { expect, test } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { serverEnvironment } from '../playwright.config.ts';

let dir: string;

test.beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  const source = `testsrc2=s=320x180:r=25:d=1,hue=h=${Date.now() % 360}`;
  const args = ['-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', source, '-pix_fmt', 'yuv420p'];
  spawnSync('ffmpeg', [...args, '-c:v', 'libx264', join(dir, 'fault.mp4')]);
});
test.afterAll(() => rmSync(dir, { recursive: true, force: true }));

/** Stops or starts the server's own database, as an administrator would. */
function database(verb: 'start' | 'stop'): void {
  const script = `
    const { Cluster } = await import('${join(process.cwd(), 'dist/src/server/host/cluster.js')}');
    const { readConfig } = await import('${join(process.cwd(), 'dist/src/server/config.js')}');
    new Cluster(readConfig()).${verb}();`;
  const env = { ...process.env, ...serverEnvironment };
  const { status, stderr } = spawnSync('node', ['--input-type=module', '-e', script], { env });
  if (status !== 0) throw new Error(stderr.toString());
}

test('the database stops while a person edits: the page says so, keeps the edits, and sends them when it is back', async ({
  page,
}) => {
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles(join(dir, 'fault.mp4'));
  const clip = page.getByRole('listitem').filter({ hasText: 'fault.mp4' });
  await expect(clip).toHaveAttribute('data-state', 'ready', { timeout: 60_000 });
  await clip.getByRole('button', { name: 'New shot' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Make the shot' }).click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-frame', '0');

  const draw = async (key: string, x: number): Promise<void> => {
    const box = (await page.getByTestId('picture').boundingBox())!;
    await page.keyboard.press(key);
    await page.mouse.move(box.x + x, box.y + 200);
    await page.mouse.down();
    await page.mouse.move(box.x + x + 60, box.y + 290);
    await page.mouse.up();
  };
  await draw('e', 150);
  await expect(page.getByTestId('shape-Ellipse 1')).toHaveCount(1);
  await expect(page.getByRole('button', { name: 'Undo' })).toBeEnabled();

  database('stop');
  try {
    await draw('r', 300);
    await draw('r', 450);
    await expect(page.getByText('2 changes wait here')).toBeVisible({ timeout: 30_000 });
    await expect(page.getByTestId('shape-Box 2')).toHaveCount(1);
  } finally {
    database('start');
  }
  await expect(page.getByText('changes wait here')).toHaveCount(0, { timeout: 30_000 });
  await page.reload();
  await expect(page.getByTestId('shape-Box 2')).toHaveCount(1);
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('shape-Box 2')).toHaveCount(0);
  await expect(page.getByTestId('shape-Box 1')).toHaveCount(1);
});
