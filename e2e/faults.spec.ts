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

const SPOILT = 'no_such_setting = on';

/** Works on the server's own database, as an administrator would. */
function onDatabase(commands: string): void {
  const script = `
    const { readFileSync, writeFileSync } = await import('node:fs');
    const { Cluster } = await import('${join(process.cwd(), 'dist/src/server/host/cluster.js')}');
    const { readConfig } = await import('${join(process.cwd(), 'dist/src/server/config.js')}');
    const cluster = new Cluster(readConfig());
    const settings = cluster.folder + '/postgresql.auto.conf';
    ${commands}`;
  const env = { ...process.env, ...serverEnvironment };
  const { status, stderr } = spawnSync('node', ['--input-type=module', '-e', script], { env });
  if (status !== 0) throw new Error(stderr.toString());
}

/** Stops it so that it cannot be started: the program would bring it back before anything could be looked at. */
const breakDatabase = (): void =>
  onDatabase(`
    writeFileSync(settings, readFileSync(settings, 'utf8') + '${SPOILT}\\n');
    cluster.stop();`);

/** From here on the program can bring it back, and does. */
const mendDatabase = (): void =>
  onDatabase(`writeFileSync(settings, readFileSync(settings, 'utf8').replaceAll('${SPOILT}\\n', ''));`);

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
  const taken = page.waitForResponse((response) => response.url().endsWith('/edits') && response.ok());
  await draw('e', 150);
  await taken;
  await expect(page.getByTestId('shape-Ellipse 1')).toHaveCount(1);
  await expect(page.getByRole('button', { name: 'Undo' })).toBeEnabled();

  breakDatabase();
  try {
    await draw('r', 300);
    await draw('r', 450);
    await expect(page.getByText('2 changes wait here')).toBeVisible({ timeout: 30_000 });
    await expect(page.getByTestId('shape-Box 2')).toHaveCount(1);
  } finally {
    mendDatabase();
  }
  await expect(page.getByText('changes wait here')).toHaveCount(0, { timeout: 30_000 });
  await page.reload();
  await expect(page.getByTestId('shape-Box 2')).toHaveCount(1);
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('shape-Box 2')).toHaveCount(0);
  await expect(page.getByTestId('shape-Box 1')).toHaveCount(1);
});
