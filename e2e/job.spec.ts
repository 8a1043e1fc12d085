import { expect, test, type Locator, type Page } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { colourAt, dragOn, film, H, picture as pictureOf, screenOf, stepTo, W } from './film.ts';

/** The whole job, once, by hand: from a file to a clean file. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

const FRAMES = 60;
let dir: string;
let page: Page;
let shotUrl: string;
const at = (name: string): string => join(dir, name);

/** A texture that moves by 2 px per frame, and a red box that walks 3.2 px per frame from (20, 60). */
const WALK =
  `nullsrc=s=480x200:r=25:d=${FRAMES / 25},` +
  `geq=lum='120+40*sin(X/3)*cos(Y/5)+30*sin((X+2*Y)/11)':cb='120+20*sin(X/17)':cr='130+20*cos(Y/13)',` +
  `noise=alls=70:all_seed=14,gblur=sigma=1.3,crop=${W}:${H}:x='2*n':y=10[ground];` +
  `color=c=red:s=30x70:r=25:d=${FRAMES / 25}[box];` +
  `[ground][box]overlay=x='20+3.2*n':y=60,format=yuv420p`;

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  film(at('job.mp4'), WALK);
  page = await (await browser.newContext({ baseURL, viewport })).newPage();
});
test.afterAll(async () => {
  await page.context().close();
  rmSync(dir, { recursive: true, force: true });
});

const picture = (p: Page = page): Locator => pictureOf(p);
const screen = (x: number, y: number): Promise<[number, number]> => screenOf(page, x, y);
const drag = (from: [number, number], to: [number, number]): Promise<void> => dragOn(page, from, to);
const goTo = (frame: number): Promise<void> => stepTo(page, frame);

/** How red the picture is at a place of the frame: red less the mean of green and blue. */
async function redAt(x: number, y: number): Promise<number> {
  const [r, g, b] = await colourAt(page, x, y);
  return r - (g + b) / 2;
}

const keys = (): Promise<number> => page.locator('[data-testid^="key-Box 1-"]').count();

test('a clip becomes a shot with in, out and handles', async () => {
  await page.goto('/');
  await page.getByTestId('chooser').setInputFiles(at('job.mp4'));
  const clip = page.getByRole('listitem').filter({ hasText: 'job.mp4' });
  await expect(clip).toHaveAttribute('data-state', 'ready', { timeout: 60_000 });
  await clip.getByRole('button', { name: 'New shot' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('spinbutton', { name: 'In', exact: true }).focus();
  // Who types at once keeps the focus.
  await page.waitForTimeout(400);
  await expect(dialog.getByRole('spinbutton', { name: 'In', exact: true })).toBeFocused();
  await dialog.getByRole('spinbutton', { name: 'In', exact: true }).fill('5');
  await dialog.getByRole('spinbutton', { name: 'In', exact: true }).press('Tab');
  await expect(dialog).toContainText('in: frame 5');
  await dialog.getByRole('spinbutton', { name: 'Out', exact: true }).fill('54');
  await dialog.getByRole('spinbutton', { name: 'Out', exact: true }).press('Tab');
  await expect(dialog).toContainText('out: frame 54');
  await dialog.getByRole('spinbutton', { name: 'Handle before' }).fill('5');
  await dialog.getByRole('spinbutton', { name: 'Handle after' }).fill('5');
  await dialog.getByRole('spinbutton', { name: 'Handle after' }).press('Tab');
  await expect(dialog).toContainText('50 frames, 2.0 s');
  await dialog.getByRole('button', { name: 'Make the shot' }).click();
  await expect(picture()).toHaveAttribute('data-frame', '5');
  shotUrl = page.url();
  await expect(page.getByRole('region', { name: 'Next' })).toContainText('Nothing is marked yet');
});

test('another shot of the clip is offered a name of its own, and goes on where the first one ends', async () => {
  await page.goto('/');
  await page.getByRole('listitem').filter({ hasText: 'job.mp4' }).getByRole('button', { name: 'New shot' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('textbox', { name: 'Name' })).toHaveValue('job 2');
  await expect(dialog.getByRole('spinbutton', { name: 'In', exact: true })).toHaveValue('55');
  await page.keyboard.press('Escape');
  await expect(dialog).toHaveCount(0);
  await page.goto(shotUrl);
  await expect(picture()).toHaveAttribute('data-frame', '5');
});

test('the frame number is that of the frame drawn, stepping and playing', async () => {
  // The box stands at 20 + 3.2·n: where it is red tells the frame.
  for (const frame of [5, 6, 16, 54]) {
    await goTo(frame);
    const x = 20 + 3.2 * frame;
    await expect.poll(() => redAt(x + 15, 95)).toBeGreaterThan(120);
    expect(await redAt(x - 6, 95)).toBeLessThan(120);
    expect(await redAt(x + 36, 95)).toBeLessThan(120);
  }
  await page.keyboard.press('Home');
  await page.keyboard.press('Space');
  await expect.poll(async () => Number(await picture().getAttribute('data-frame'))).toBeGreaterThan(20);
  await page.keyboard.press('Space');
  // The frame that was being drawn when it was stopped still comes.
  const shown = async (): Promise<number> => Number(await picture().getAttribute('data-frame'));
  await expect.poll(async () => redAt(20 + 3.2 * (await shown()) + 15, 95)).toBeGreaterThan(120);
});

test('a thing is marked with a box and three keys', async () => {
  await goTo(5);
  await page.keyboard.press('r');
  await drag(await screen(28, 52), await screen(76, 138));
  await expect(page.getByTestId('shape-Box 1')).toHaveCount(1);
  for (const frame of [30, 54]) {
    await goTo(frame);
    const here = await page.getByTestId('shape-Box 1').boundingBox();
    const cx = here!.x + here!.width / 2;
    const [wanted, y] = await screen(20 + 3.2 * frame + 16, 95);
    await drag([cx, y], [wanted, y]);
    await expect.poll(keys).toBe(frame === 30 ? 2 : 3);
  }
  await expect(page.getByRole('list', { name: 'What goes away' })).toContainText('3 keys');
});

test('undo and redo work across a reload', async () => {
  await page.keyboard.press('Control+z');
  await expect.poll(keys).toBe(2);
  await page.reload();
  await expect.poll(keys).toBe(2);
  await expect(picture()).toHaveAttribute('data-frame', '5');
  await page.keyboard.press('Control+Shift+z');
  await expect.poll(keys).toBe(3);
});

test('what the shot remembers is shown over time and on the picture', async () => {
  await expect(page.getByRole('list', { name: 'What goes away' })).toContainText('remembered', { timeout: 40_000 });
  await expect(page.getByTestId('memory').locator('.seen')).toHaveAttribute('d', /M/);
  await page.keyboard.press('6');
  await expect(page.getByTestId('reveal-map')).toBeVisible();
  await goTo(15);
  await expect(page.getByTestId('here')).toContainText('seen');
  await page.keyboard.press('1');
});

test('another page sees the marks, and this page its edits', async () => {
  const other = await page.context().newPage();
  await other.goto(shotUrl);
  await expect(other.getByTestId('key-Box 1-30')).toHaveCount(1);
  await expect(picture(other)).toHaveAttribute('data-frame', '5');
  await stepTo(other, 20);
  await other.getByTestId('shape-Box 1').click();
  await other.keyboard.press('k');
  await expect.poll(keys).toBe(4);
  await other.keyboard.press('Control+z');
  await expect.poll(keys).toBe(3);
  await other.close();
});

test('edits made and undone while the server is away are kept over a reload and sent when it is back', async () => {
  const changes = /\/api\/shots\/[^/]+\/(edits|undo|redo)$/;
  await page.route(changes, (route) => route.abort());
  await goTo(40);
  await page.getByTestId('shape-Box 1').click();
  await page.keyboard.press('k');
  await expect(page.getByText('1 change waits here')).toBeVisible();
  await page.reload();
  await expect.poll(keys).toBe(4);
  await page.keyboard.press('Control+z');
  await expect(page.getByText('2 changes wait here')).toBeVisible();
  await page.reload();
  await expect.poll(keys).toBe(3);
  await page.keyboard.press('Control+Shift+z');
  await expect.poll(keys).toBe(4);
  await page.unroute(changes);
  await expect(page.getByText('change waits here')).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect.poll(keys).toBe(3);
});

test('a draft shows the thing gone; a full take becomes the pick; a stopped one can be gone on with', async () => {
  const takes = page.getByRole('list', { name: 'Takes' });
  await page.getByRole('button', { name: 'Draft', exact: true }).click();
  await expect(takes.getByRole('listitem').first()).toHaveAttribute('data-state', 'done', { timeout: 60_000 });
  await goTo(30);
  await page.keyboard.press('1');
  await expect.poll(() => redAt(131, 95)).toBeGreaterThan(120);
  await page.keyboard.press('3');
  await expect.poll(() => redAt(131, 95)).toBeLessThan(120);

  await page.getByRole('button', { name: 'Full take', exact: true }).click();
  const full = takes.getByRole('listitem').filter({ hasText: 'Full 1' });
  await full.getByRole('button', { name: 'Stop' }).click();
  await expect(full).toHaveAttribute('data-state', 'cancelled');
  await full.getByRole('button', { name: 'Go on' }).click();
  await expect(full).toHaveAttribute('data-state', 'done', { timeout: 60_000 });
  await expect(full).toContainText('pick');
  await page.keyboard.press('4');
  await expect(page.getByRole('slider', { name: 'Edge of the wipe' })).toBeVisible();
  await page.keyboard.press('2');
  await expect.poll(() => redAt(131, 95)).toBeLessThan(20);
});

test('the clean shot is exported, saved, and holds nothing of the thing', async () => {
  await page.getByRole('button', { name: 'Export', exact: true }).last().click();
  const row = page.getByRole('list', { name: 'Exports' }).getByRole('listitem').first();
  await expect(row).toHaveAttribute('data-state', 'done', { timeout: 60_000 });
  const download = page.waitForEvent('download');
  await row.getByRole('link', { name: 'Save' }).click();
  await (await download).saveAs(at('clean.mkv'));
  expect((await download).suggestedFilename()).toBe('job_clean.mkv');
  expect(statSync(at('clean.mkv')).size).toBeGreaterThan(10_000);
  const { stdout } = spawnSync(
    'ffmpeg',
    ['-nostdin', '-loglevel', 'error', '-i', at('clean.mkv'), '-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-'],
    { maxBuffer: 1 << 27 },
  );
  const size = (W * H * 3) / 2;
  expect(stdout.length).toBe(50 * size);
  let red = 0;
  for (let t = 0; t < 50; t++) {
    for (let k = W * H * 1.25; k < size; k++) if (stdout[t * size + k] > 210) red++;
  }
  expect(red).toBe(0);
});

test('a take says when its marks have changed since', async () => {
  await page.getByRole('spinbutton', { name: 'Grow' }).fill('3');
  await page.getByRole('spinbutton', { name: 'Grow' }).press('Enter');
  await expect(page.getByRole('list', { name: 'Takes' }).getByText('outdated').first()).toBeVisible();
  await page.locator('main').click({ position: { x: 5, y: 300 } });
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('list', { name: 'Takes' }).getByText('outdated')).toHaveCount(0);
});

test('full screen shows nothing but the picture, and Escape comes back', async () => {
  await page.keyboard.press('0');
  await expect(page.getByTestId('memory')).toBeHidden();
  await expect(picture()).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('memory')).toBeVisible();
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys and pointer' })).toBeVisible();
});
