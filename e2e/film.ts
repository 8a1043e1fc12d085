import { type Locator, type Page } from '@playwright/test';
import { spawnSync } from 'node:child_process';

/** Size of the films that the tests make, px. */
export const [W, H] = [320, 180];

/** A film from a filter graph without inputs. Its frames are the same each time; its file is not: else a run would find that of the last. */
export function film(path: string, graph: string): void {
  const source = ['-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', graph];
  const { status, stderr } = spawnSync('ffmpeg', [
    ...source,
    '-metadata',
    `comment=${Date.now()}`,
    '-c:v',
    'libx264',
    '-crf',
    '14',
    path,
  ]);
  if (status !== 0) throw new Error(stderr.toString());
}

export const picture = (page: Page): Locator => page.getByTestId('picture');

/** Screen place of a place of the frame, while the whole picture is in view. */
export async function screenOf(page: Page, x: number, y: number): Promise<[number, number]> {
  const box = (await picture(page).boundingBox())!;
  const scale = Math.min((box.width - 20) / W, (box.height - 20) / H);
  const [left, top] = [(box.width - W * scale) / 2, (box.height - H * scale) / 2];
  return [box.x + left + (x + 0.5) * scale, box.y + top + (y + 0.5) * scale];
}

export async function dragOn(page: Page, from: [number, number], to: [number, number]): Promise<void> {
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2);
  await page.mouse.move(...to);
  await page.mouse.up();
}

/** Drags a row of a list by its grip to a height, as slowly as a hand: the list looks twenty times a second where it is. */
export async function dragRow(page: Page, row: Locator, toY: number): Promise<void> {
  const grip = (await row.locator('.grip').boundingBox())!;
  const [x, y] = [grip.x + grip.width / 2, grip.y + grip.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  for (const share of [0.3, 0.7, 1, 1]) {
    await page.mouse.move(x, y + (toY - y) * share);
    await page.waitForTimeout(120);
  }
  await page.mouse.up();
}

/** Adds a film on the footage page and makes a shot of all of it. */
export async function openShot(page: Page, path: string): Promise<void> {
  const name = path.split('/').at(-1)!;
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles(path);
  const clip = page.getByRole('listitem').filter({ hasText: name });
  await clip.and(page.locator('[data-state=ready]')).waitFor({ timeout: 60_000 });
  await clip.getByRole('button', { name: 'New shot' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Make the shot' }).click();
  await page.locator('[data-testid=picture][data-frame="0"]').waitFor();
}

/** The frame on the screen once it stays: keys step from the frame that is wanted, and on a busy machine that is drawn later. */
async function restingFrame(page: Page): Promise<number> {
  const shown = async (): Promise<number> => Number(await picture(page).getAttribute('data-frame'));
  let [before, now] = [NaN, await shown()];
  while (before !== now) {
    await page.waitForTimeout(150);
    [before, now] = [now, await shown()];
  }
  return now;
}

/** Steps to a frame as a person does. */
export async function stepTo(page: Page, frame: number): Promise<void> {
  const by = frame - (await restingFrame(page));
  for (let i = 0; i < Math.floor(Math.abs(by) / 10); i++)
    await page.keyboard.press(by < 0 ? 'Shift+ArrowLeft' : 'Shift+ArrowRight');
  for (let i = 0; i < Math.abs(by) % 10; i++) await page.keyboard.press(by < 0 ? 'ArrowLeft' : 'ArrowRight');
  await page.locator(`[data-testid=picture][data-frame="${frame}"]`).waitFor();
}

/** Colour of the picture on the screen at a place of the frame: red, green, blue, 0..255, mean of a few px around it. */
export async function colourAt(page: Page, x: number, y: number): Promise<[number, number, number]> {
  const [sx, sy] = await screenOf(page, x, y);
  const png = await page.screenshot({ clip: { x: sx - 2, y: sy - 2, width: 4, height: 4 }, animations: 'disabled' });
  return page.evaluate(async (base64) => {
    const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
    const bitmap = await createImageBitmap(new Blob([bytes], { type: 'image/png' }));
    const context = new OffscreenCanvas(1, 1).getContext('2d')!;
    context.drawImage(bitmap, 0, 0, 1, 1);
    const [r, g, b] = context.getImageData(0, 0, 1, 1).data;
    return [r, g, b] as [number, number, number];
  }, png.toString('base64'));
}
