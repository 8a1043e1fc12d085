import { expect, test, type Page } from '@playwright/test';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dragOn, dragRow, film, H, openShot, picture, screenOf, stepTo, W } from './film.ts';

/** Keys and frames chosen on the strip. Each test goes on from the one before. */
test.describe.configure({ mode: 'serial' });

let dir: string;
let page: Page;

test.beforeAll(async ({ browser, baseURL, viewport }) => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-e2e-'));
  film(
    join(dir, 'strip.mp4'),
    `nullsrc=s=${W}x${H}:r=25:d=2,geq=lum='120+40*sin(X/3)*cos(Y/5)':cb=120:cr=130,` +
      `noise=alls=20:all_seed=11,format=yuv420p`,
  );
  page = await (await browser.newContext({ baseURL, viewport })).newPage();
  await openShot(page, join(dir, 'strip.mp4'));
});
test.afterAll(async () => {
  await page.context().close();
  rmSync(dir, { recursive: true, force: true });
});

const key = (shape: string, frame: number) => page.getByTestId(`key-${shape}-${frame}`);
const middle = async (target: ReturnType<typeof key>): Promise<[number, number]> => {
  const box = (await target.boundingBox())!;
  return [box.x + box.width / 2, box.y + box.height / 2];
};
/** Frames with a key of a shape. */
async function keysOf(shape: string): Promise<number[]> {
  const ids = await page
    .locator(`[data-testid^="key-${shape}-"]`)
    .evaluateAll((list) => list.map((e) => e.getAttribute('data-testid')!));
  return ids.map((id) => Number(id.split('-').at(-1))).sort((a, b) => a - b);
}
/** Screen px of a frame's middle on the strip, told by two keys. */
async function columnOf(frame: number): Promise<number> {
  const [[x0], [x1]] = [await middle(key('Box 1', 0)), await middle(key('Box 2', 10))];
  return x0 + ((x1 - x0) * frame) / 10;
}

test('keys of two shapes are chosen with a band and dragged together', async () => {
  for (const [x, n] of [
    [40, 1],
    [180, 2],
  ]) {
    await stepTo(page, 0);
    await page.keyboard.press('r');
    await dragOn(page, await screenOf(page, x, 40), await screenOf(page, x + 60, 100));
    for (const frame of [10, 20]) {
      await stepTo(page, frame);
      await page.keyboard.press('k');
    }
    await expect.poll(() => keysOf(`Box ${n}`)).toEqual([0, 10, 20]);
  }
  const [x] = await middle(key('Box 1', 10));
  const [toX, toY] = await middle(key('Box 2', 20));
  const [, fromY] = await middle(key('Box 1', 10));
  await page.keyboard.down('Shift');
  await dragOn(page, [x - 12, fromY], [toX + 6, toY]);
  await page.keyboard.up('Shift');
  await expect(page.getByTestId('chosen-keys')).toContainText('4 keys');
  const at20 = await middle(key('Box 1', 20));
  await dragOn(page, at20, [await columnOf(30), at20[1]]);
  await expect.poll(() => keysOf('Box 1')).toEqual([0, 20, 30]);
  expect(await keysOf('Box 2')).toEqual([0, 20, 30]);
});

test('they are stretched by an end of their bar, placed by numbers, and all of it is one step of undo each', async () => {
  const end = await middle(page.getByTestId('key-group-last'));
  const per = ((await middle(key('Box 1', 30)))[0] - (await middle(key('Box 1', 20)))[0]) / 10;
  await dragOn(page, end, [end[0] + 10 * per, end[1]]);
  await expect.poll(() => keysOf('Box 1')).toEqual([0, 20, 40]);
  const chosen = page.getByTestId('chosen-keys');
  await chosen.getByRole('spinbutton', { name: 'From frame' }).fill('15');
  await chosen.getByRole('spinbutton', { name: 'From frame' }).press('Enter');
  await expect.poll(() => keysOf('Box 2')).toEqual([0, 15, 35]);
  await page.mouse.click(...(await screenOf(page, 300, 170)));
  await page.keyboard.press('Control+z');
  await expect.poll(() => keysOf('Box 2')).toEqual([0, 20, 40]);
  await page.keyboard.press('Control+z');
  await expect.poll(() => keysOf('Box 2')).toEqual([0, 20, 30]);
});

test('keys are copied into another removal', async () => {
  await key('Box 1', 20).click();
  await key('Box 1', 30).click({ modifiers: ['Shift'] });
  await expect(page.getByTestId('chosen-keys')).toContainText('2 keys');
  await page.keyboard.press('Control+c');
  await page.getByRole('button', { name: 'Add a thing' }).click();
  await stepTo(page, 5);
  await page.keyboard.press('Control+v');
  await expect.poll(() => keysOf('Box 1')).toEqual([5, 15]);
  await page.keyboard.press('Delete');
  // The last key of a shape stays.
  await expect.poll(() => keysOf('Box 1')).toEqual([15]);
});

test('things are dragged into order by their grips, in one step of undo', async () => {
  const rows = page.getByRole('list', { name: 'What goes away' }).getByRole('listitem');
  const names = (): Promise<string[]> => rows.getByRole('heading').allTextContents();
  const before = await names();
  expect(before).toHaveLength(2);
  await dragRow(page, rows.nth(1), (await rows.nth(0).boundingBox())!.y + 4);
  await expect.poll(names).toEqual([before[1], before[0]]);
  await page.reload();
  await expect.poll(names).toEqual([before[1], before[0]]);
  await page.keyboard.press('Control+z');
  await expect.poll(names).toEqual(before);
});

test('chosen frames are played, and filled, by themselves', async () => {
  await stepTo(page, 12);
  await page.keyboard.press('y');
  await stepTo(page, 18);
  await page.keyboard.press('u');
  const chosen = page.getByTestId('chosen-frames');
  await expect(chosen.getByRole('spinbutton', { name: 'From frame' })).toHaveValue('12');
  await expect(chosen.getByRole('spinbutton', { name: 'To frame' })).toHaveValue('18');
  await page.keyboard.press('Space');
  const seen = new Set<number>();
  for (let i = 0; i < 25; i++) {
    seen.add(Number(await picture(page).getAttribute('data-frame')));
    await page.waitForTimeout(30);
  }
  await page.keyboard.press('Space');
  expect(Math.min(...seen)).toBeGreaterThanOrEqual(12);
  expect(Math.max(...seen)).toBeLessThanOrEqual(18);
  await chosen.getByRole('button', { name: 'Draft', exact: true }).click();
  const take = page.getByRole('list', { name: 'Takes' }).getByRole('listitem').first();
  await expect(take).toHaveAttribute('data-state', 'done', { timeout: 60_000 });
  await expect(take).toContainText('frames 12–18 alone');
  await page.mouse.click(...(await screenOf(page, 300, 170)));
  await page.keyboard.press('Escape');
  await expect(chosen).toHaveCount(0);
});

test('a shape is placed by numbers, which become a key', async () => {
  await stepTo(page, 45);
  await page.getByTestId('shape-Box 1').click();
  await page.getByText('Place in numbers').click();
  const field = (name: string) => page.getByRole('spinbutton', { name });
  const enter = async (name: string, value: string): Promise<void> => {
    await field(name).fill(value);
    await field(name).press('Enter');
  };
  const width = async (): Promise<number> => {
    const [x0] = await screenOf(page, 0, 0);
    const [x1] = await screenOf(page, 100, 0);
    return ((await page.getByTestId('shape-Box 1').boundingBox())!.width / (x1 - x0)) * 100;
  };
  // Its line is a little wider than the shape.
  const [before, line] = [Number((await field('Width').inputValue()).split(' ')[0]), await width()];
  await enter('Width', '100');
  await expect.poll(async () => (await width()) - line).toBeCloseTo(100 - before, 0);
  await enter('Middle across', '150.5');
  await expect(field('Middle across')).toHaveValue('150.5 px');
  await expect(field('Width')).toHaveValue('100 px');
  await expect.poll(() => keysOf('Box 1')).toContain(45);
  await enter('Turn by', '90');
  await expect(field('Height')).toHaveValue('100 px');
  await expect(field('Turn by')).toHaveValue('0 °');
  await page.keyboard.press('Control+z');
  await expect(field('Width')).toHaveValue('100 px');
});

test('a shape is lined up with the picture, and held by its middle when it is dragged near', async () => {
  const middle = page.getByRole('spinbutton', { name: 'Middle across' });
  await page.getByText('Line up', { exact: true }).click();
  await page.getByRole('group', { name: 'Across' }).getByRole('button', { name: 'Left' }).click();
  await expect(middle).toHaveValue('49.5 px');
  await page.getByRole('group', { name: 'Across' }).getByRole('button', { name: 'Middle' }).click();
  const inTheMiddle = await middle.inputValue();
  const [x, y] = await screenOf(page, Number(inTheMiddle.split(' ')[0]), 90);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 60, y, { steps: 4 });
  await expect(page.getByTestId('line-x')).toHaveCount(0);
  // Another shape's side lies half a px to the right.
  await page.mouse.move(x - 2, y, { steps: 4 });
  await expect(page.getByTestId('line-x')).toHaveCount(1);
  await page.mouse.up();
  await expect(page.getByTestId('line-x')).toHaveCount(0);
  await expect(middle).toHaveValue(inTheMiddle);
});
