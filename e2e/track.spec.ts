import { expect, test, type Page } from '@playwright/test';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dragOn, film, H, openShot, screenOf, stepTo, W } from './film.ts';

/** Following a region by hand and by itself. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

const FRAMES = 50;
let dir: string;
let page: Page;

/** A texture that moves 2 px left a frame; from frame 20 to 27 something grey hides all of it. */
const DRIFT =
  `nullsrc=s=480x200:r=25:d=${FRAMES / 25},` +
  `geq=lum='120+40*sin(X/3)*cos(Y/5)+30*sin((X+2*Y)/11)':cb=120:cr=130,` +
  `noise=alls=90:all_seed=15,gblur=sigma=1.3,crop=${W}:${H}:x='2*n':y=10[ground];` +
  `color=c=gray:s=${W}x${H}:r=25:d=${FRAMES / 25},noise=alls=8:allf=t[veil];` +
  `[ground][veil]overlay=enable='between(n,20,27)',format=yuv420p`;

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  film(join(dir, 'track.mp4'), DRIFT);
  page = await (await browser.newContext({ baseURL, viewport })).newPage();
});
test.afterAll(async () => {
  await page.context().close();
  rmSync(dir, { recursive: true, force: true });
});

const state = () => page.getByTestId('track-state');
/** Left edge of the shape on the picture, px of the frame. */
async function shapeLeft(): Promise<number> {
  const box = (await page.getByTestId('shape-Box 1').boundingBox())!;
  const [x0] = await screenOf(page, 0, 0);
  const [x1] = await screenOf(page, 100, 0);
  return ((box.x - x0) / (x1 - x0)) * 100;
}

test('a shape is followed with one key: it rides where the picture goes, and says where it was lost', async () => {
  await openShot(page, join(dir, 'track.mp4'));
  await page.keyboard.press('r');
  await dragOn(page, await screenOf(page, 200, 60), await screenOf(page, 260, 120));
  const start = await shapeLeft();
  await page.keyboard.press('f');
  await expect(state()).toContainText(`Followed on ${FRAMES} frames`, { timeout: 30_000 });
  await expect(page.getByText('Frames 20–27')).toBeVisible();
  await stepTo(page, 15);
  expect(await shapeLeft()).toBeCloseTo(start - 30, 0);
});

test('next says where it is lost, and one press goes there', async () => {
  const next = page.getByRole('region', { name: 'Next' });
  await expect(next).toContainText('is lost from 20 to 27');
  await next.getByRole('button', { name: 'Go to frame 24' }).click();
  await expect(page.getByTestId('picture')).toHaveAttribute('data-frame', '24');
  await expect(page.getByTestId('region')).toHaveAttribute('data-state', 'lost');
  const lost = await shapeLeft();
  await stepTo(page, 40);
  expect(Math.abs((await shapeLeft()) - (lost - 32))).toBeLessThan(1.5);
  await stepTo(page, 24);
});

test('steered by hand, the region holds where it was put, and only its neighbourhood is solved again', async () => {
  await page.keyboard.press('s');
  const [x, y] = await screenOf(page, 200, 90);
  const [, lower] = await screenOf(page, 200, 100);
  await dragOn(page, [x, y], [x, lower]);
  await expect(page.getByTestId('anchor-24')).toBeVisible();
  await expect(page.getByTestId('region')).toHaveAttribute('data-state', 'sure');
  await expect(state()).toContainText('2 anchors', { timeout: 30_000 });
  await page.keyboard.press('q');
  await stepTo(page, 15);
  const left = await shapeLeft();
  await stepTo(page, 10);
  expect(await shapeLeft()).toBeCloseTo(left + 10, 0);
});

test('held while the frames go by, it stays under the pointer on each of them', async () => {
  await stepTo(page, 20);
  await page.keyboard.press('s');
  const [x, y] = await screenOf(page, 190, 90);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 6, y);
  for (const frame of [21, 22, 23]) {
    await page.keyboard.press('ArrowRight');
    await expect(page.getByTestId('picture')).toHaveAttribute('data-frame', String(frame));
    await page.mouse.move(x + 6 + (frame - 20) * 3, y);
  }
  await page.keyboard.press(']');
  await page.mouse.up();
  for (const frame of [20, 21, 22, 23]) await expect(page.getByTestId(`anchor-${frame}`)).toBeVisible();
  await expect(state()).toContainText('6 anchors', { timeout: 30_000 });
});

test('one undo takes the steering back, over a reload', async () => {
  // What the worker made of it goes with it.
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('anchor-22')).toHaveCount(0);
  await page.reload();
  await expect(page.getByTestId('anchor-24')).toBeVisible();
  await expect(page.getByTestId('anchor-22')).toHaveCount(0);
});

test('a region of its own, on which a shape can ride; let go, the shape stands still', async () => {
  await stepTo(page, 40);
  await page.keyboard.press('g');
  await dragOn(page, await screenOf(page, 60, 40), await screenOf(page, 120, 100));
  await expect(page.getByText('Track 2').first()).toBeVisible();
  await expect(state()).toContainText(`Followed on ${FRAMES} frames`, { timeout: 30_000 });
  await page.keyboard.press('q');
  await page.getByTestId('shape-Box 1').click();
  const here = await shapeLeft();
  await page.getByRole('combobox', { name: 'What the shape rides on' }).click();
  await page.getByRole('option', { name: 'Track 2' }).click();
  await stepTo(page, 45);
  expect(await shapeLeft()).toBeCloseTo(here - 10, 0);
  await page.getByRole('combobox', { name: 'What the shape rides on' }).click();
  await page.getByRole('option', { name: 'nothing' }).click();
  await stepTo(page, 35);
  expect(await shapeLeft()).toBeCloseTo(here - 10, 0);
});

test('chosen frames of it are held and smoothed, each with one undo; what it holds on to is shown', async () => {
  await page.getByRole('combobox', { name: 'What the shape rides on' }).click();
  await page.getByRole('option', { name: 'Track 2' }).click();
  await page.mouse.click(...(await screenOf(page, 300, 170)));
  await page.getByTestId('shape-Box 1').click();
  await stepTo(page, 30);
  const left = await shapeLeft();
  await page.keyboard.press('y');
  await stepTo(page, 33);
  const here = await shapeLeft();
  await page.keyboard.press('u');
  const chosen = page.getByTestId('chosen-frames');
  await chosen.getByRole('button', { name: 'Hold', exact: true }).click();
  await expect.poll(shapeLeft).toBeCloseTo(left, 0);
  await expect(page.getByTestId('anchor-33')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect.poll(shapeLeft).toBeCloseTo(here, 0);
  await chosen.getByRole('button', { name: 'Smooth', exact: true }).click();
  await expect.poll(shapeLeft).toBeCloseTo(here, 0);
  await page.keyboard.press('Escape');
  await expect(chosen).toHaveCount(0);
  await stepTo(page, 15);
  await page.getByText('Show what it holds on to').click();
  await expect(page.getByTestId('region').locator('.held.trusted').first()).toBeVisible();
  await page.getByText('Show what it holds on to').click();
});

test('what is drawn on the followed region rides on it, and C puts another one where the pointer is; the picture does not move', async () => {
  const rides = page.getByRole('combobox', { name: 'What the shape rides on' });
  const before = await page.getByTestId('picture').boundingBox();
  await page.keyboard.press('e');
  await dragOn(page, await screenOf(page, 130, 60), await screenOf(page, 140, 70));
  await expect(page.getByTestId('shape-Ellipse 1')).toBeVisible();
  await expect(rides).toHaveText('Track 2');
  const one = (await page.getByTestId('shape-Ellipse 1').boundingBox())!;
  for (const [k, x] of [150, 220, 240].entries()) {
    await page.mouse.move(...(await screenOf(page, x, 90)));
    await page.keyboard.press('c');
    const box = page.getByTestId(`shape-Ellipse ${k + 2}`);
    await expect(box).toBeVisible();
    const { x: left, width } = (await box.boundingBox())!;
    expect(left + width / 2).toBeCloseTo((await screenOf(page, x, 90))[0], 0);
    expect(width).toBeCloseTo(one.width, 0);
    await expect(rides).toHaveText('Track 2');
  }
  expect(await page.getByTestId('picture').boundingBox()).toEqual(before);
});

test('a shape that is drawn beside it is followed by itself, and not the track of the others again', async () => {
  const rides = page.getByRole('combobox', { name: 'What the shape rides on' });
  await page.keyboard.press('r');
  await dragOn(page, await screenOf(page, 220, 130), await screenOf(page, 280, 180));
  await expect(rides).toHaveText('nothing');
  await expect(state()).toHaveCount(0);
  await page.keyboard.press('f');
  await expect(rides).toHaveText('Track 3');
  await expect(state()).toContainText(`Followed on ${FRAMES} frames`, { timeout: 30_000 });
});
