import { expect, test, type Page } from '@playwright/test';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dragOn, film, openShot, screenOf, stepTo } from './film.ts';

/** An outline by pointing, followed over the shot and mended. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

const FRAMES = 40;
let dir: string;
let page: Page;

/** A green ground, and a red block whose corner goes from (20, 70) to the right by 4 px a frame. */
const GOING =
  `color=c=0x4a7040:s=320x180:r=25:d=${FRAMES / 25},noise=alls=20:all_seed=13,gblur=sigma=1[ground];` +
  `color=c=0xb03028:s=40x60:r=25:d=${FRAMES / 25},noise=alls=24:all_seed=5,gblur=sigma=1[block];` +
  `[ground][block]overlay=x='16+4*n':y=70,format=yuv420p`;

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  film(join(dir, 'going.mp4'), GOING);
  page = await (await browser.newContext({ baseURL, viewport })).newPage();
});
test.afterAll(async () => {
  await page.context().close();
  rmSync(dir, { recursive: true, force: true });
});

const outline = () => page.getByTestId('shape-Outline 1');
const state = () => page.getByTestId('outline-state');

/** Width and height of the outline on the picture, px of the frame. */
async function sizeOf(): Promise<[number, number]> {
  const box = (await outline().boundingBox())!;
  const [[x0, y0], [x1, y1]] = [await screenOf(page, 0, 0), await screenOf(page, 100, 100)];
  return [box.width / ((x1 - x0) / 100), box.height / ((y1 - y0) / 100)];
}
const near = (v: number, truth: number): boolean => Math.abs(v - truth) < 5;

test('one click outlines a thing', async () => {
  await openShot(page, join(dir, 'going.mp4'));
  await stepTo(page, 10);
  await page.keyboard.press('a');
  await page.mouse.click(...(await screenOf(page, 80, 100)));
  await expect(state()).toHaveText(/Outlined on 1 frame, 1 anchor/, { timeout: 30_000 });
  const [width, height] = await sizeOf();
  expect(near(width, 40) && near(height, 60)).toBe(true);
});

test('it is followed over the shot', async () => {
  await page.keyboard.press('f');
  await expect(state()).toHaveText(/Outlined on 40 frames/, { timeout: 60_000 });
  await stepTo(page, 30);
  const [left] = await screenOf(page, 20 + 120, 0);
  expect(Math.abs((await outline().boundingBox())!.x - left)).toBeLessThan(15);
});

test('a brush adds to it, and only what lies around is followed again', async () => {
  await page.keyboard.press('b');
  await dragOn(page, await screenOf(page, 160, 75), await screenOf(page, 160, 40));
  await expect(state()).toHaveText(/2 anchors/, { timeout: 60_000 });
  await expect(state()).toHaveText(/Outlined on (3\d|40) frames/, { timeout: 60_000 });
  expect((await sizeOf())[1]).toBeGreaterThan(75);
  await stepTo(page, 5);
  expect(near((await sizeOf())[1], 60)).toBe(true);
});

test('a click with Alt takes away, and undo goes back', async () => {
  await stepTo(page, 30);
  await page.keyboard.press('a');
  await page.keyboard.down('Alt');
  await page.mouse.click(...(await screenOf(page, 160, 45)));
  await page.keyboard.up('Alt');
  await expect.poll(async () => near((await sizeOf())[1], 60), { timeout: 30_000 }).toBe(true);
});

test('a box outlines another thing once the first is let go', async () => {
  await page.keyboard.press('q');
  await page.mouse.click(...(await screenOf(page, 5, 5)));
  await page.keyboard.press('a');
  await dragOn(page, await screenOf(page, 130, 60), await screenOf(page, 190, 140));
  await expect(page.getByTestId('shape-Outline 2')).toBeVisible({ timeout: 30_000 });
});

test('its edge is softened: a matte counts in its place, and its outline stays as a variant', async () => {
  await page.getByRole('button', { name: 'Soften its edge' }).click();
  const soft = page.getByText('Outline 2, soft').first();
  await expect(soft).toBeVisible({ timeout: 30_000 });
  const chosen = page.locator('summary', { hasText: /^Outline 2$/ });
  await expect(chosen).toBeVisible();
  await page.getByRole('button', { name: 'Use it' }).click();
  await expect(page.getByRole('button', { name: 'Use it' })).toHaveCount(0);
  await page.keyboard.press('i');
  await expect(page.locator('summary', { hasText: 'Outline 2, soft' })).toBeVisible();
  await expect(page.getByRole('spinbutton', { name: 'Begins at frame' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Use it' })).toHaveCount(0);
});

test('a track and shapes come in from files, and a file that is neither says so', async () => {
  const chooser = page.getByTestId('bring-in');
  const row = (t: number): string => [t, 0.9, 10 + t, 20, 40 + t, 20, 40 + t, 50, 10 + t, 50].join(',');
  const csv = ['frame,confidence,x0,y0,x1,y1,x2,y2,x3,y3', ...[0, 1, 2, 3].map(row)].join('\r\n');
  await chooser.setInputFiles({ name: 'wall.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) });
  await expect(page.getByText('Followed on 4 frames')).toBeVisible();
  const points = [
    [30, 30],
    [80, 30],
    [80, 90],
  ];
  const json = JSON.stringify({ name: 'From a file', shapes: [{ name: 'Sail', keys: [{ frame: 0, points }] }] });
  await chooser.setInputFiles({ name: 'sail.json', mimeType: 'application/json', buffer: Buffer.from(json) });
  await expect(page.getByRole('heading', { name: 'From a file' })).toBeVisible();
  await expect(page.getByTestId('shape-Sail')).toBeVisible();
  await chooser.setInputFiles({ name: 'bad.json', mimeType: 'application/json', buffer: Buffer.from('{') });
  await expect(page.getByText('The file is no JSON.')).toBeVisible();
});
