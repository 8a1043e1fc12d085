// usage: node scripts/screenshots.mjs [VIEW ...]
// Takes the pictures in docs/screenshots anew, from the demo project of the server that runs on this machine (./start).
// Each view is reached as a person would; what it changed in the document is undone. Views with long jobs come last.
import { chromium } from '@playwright/test';

const BASE = `http://127.0.0.1:${process.env.MNESTRA_PORT ?? 7373}`;
const FOLDER = new URL('../docs/screenshots/', import.meta.url).pathname;

const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });

const take = (name) => page.screenshot({ path: `${FOLDER}${name}.png` });
const field = (name) => page.getByRole('spinbutton', { name, exact: true });
const press = (name) => page.getByRole('button', { name, exact: true }).click();

async function openShot(name) {
  const shots = await (await fetch(`${BASE}/api/shots`)).json();
  const shot = shots.find((s) => s.name === name);
  if (!shot) throw new Error(`The demo project has no shot “${name}”.`);
  await page.goto(`${BASE}/shots/${shot.id}`);
  await page.getByTestId('picture').waitFor();
  await page.waitForTimeout(4000);
}

/** Goes to a frame and waits until it is shown. */
async function goTo(frame) {
  await page.mouse.click(640, 620);
  await page.keyboard.press('Home');
  for (let i = 0; i < Math.floor(frame / 10); i++) await page.keyboard.press('Shift+ArrowRight');
  for (let i = 0; i < frame % 10; i++) await page.keyboard.press('ArrowRight');
  await page.locator(`[data-testid="picture"][data-frame="${frame}"]`).waitFor({ timeout: 20_000 });
}

async function undo(steps) {
  for (let i = 0; i < steps; i++) {
    await press('Undo');
    await page.waitForTimeout(600);
  }
}

const VIEWS = {
  async footage() {
    await page.goto(BASE);
    await page.waitForTimeout(2500);
    await take('footage');
  },
  async range() {
    await page.goto(BASE);
    await page
      .getByRole('listitem')
      .filter({ hasText: 'boardwalk.mp4' })
      .getByRole('button', { name: 'New shot' })
      .click();
    await page.getByRole('dialog').getByText('out: frame 124').waitFor();
    const loaded = () => [...document.querySelectorAll('[role=dialog] img')].every((img) => img.naturalWidth > 0);
    await page.waitForFunction(loaded);
    await page.waitForTimeout(500);
    await take('shot-range');
    await press('Cancel');
  },
  async mark() {
    await openShot('boardwalk');
    await goTo(60);
    await page.locator('text', { hasText: /^Body$/ }).click();
    await page.getByText('Looking up').waitFor({ state: 'hidden', timeout: 120_000 });
    await page.waitForTimeout(800);
    await take('workbench-mark');
  },
  async reveal() {
    await openShot('boardwalk');
    await goTo(112);
    await page.keyboard.press('6');
    await page.waitForTimeout(2000);
    await take('workbench-reveal');
  },
  async wipe() {
    await openShot('boardwalk');
    await goTo(60);
    await page.keyboard.press('4');
    await page.waitForTimeout(3000);
    await take('workbench-wipe');
  },
  /** Keys of two shapes and frames that are chosen, and a trim with keys of its own. */
  async strip() {
    await openShot('boardwalk');
    await page.locator('summary', { hasText: 'Trim by hand' }).click({ position: { x: 20, y: 10 } });
    for (const [frame, value] of [
      [36, '0.1'],
      [72, '-0.15'],
      [108, '0'],
    ]) {
      await goTo(frame);
      await field('Brighter').fill(value);
      await field('Brighter').press('Enter');
      await page.waitForTimeout(600);
    }
    await goTo(64);
    await page.keyboard.press('1');
    await page.getByTestId('key-Body-48').click();
    for (const key of ['Body-60', 'Body-72', 'Shadow-48', 'Shadow-60', 'Shadow-72', 'Trim by hand-72'])
      await page.getByTestId(`key-${key}`).click({ modifiers: ['Shift'] });
    await goTo(46);
    await page.keyboard.press('y');
    await goTo(86);
    await page.keyboard.press('u');
    await goTo(64);
    await page.getByTestId('chosen-keys').scrollIntoViewIfNeeded();
    await page.waitForTimeout(1500);
    await take('workbench-strip');
    await page.keyboard.press('Escape');
    await undo(3);
  },
  async plate() {
    await openShot('boardwalk');
    await goTo(0);
    await page.locator('#source-plate').click({ force: true });
    const plate = page.getByRole('region', { name: 'Plate' });
    if ((await plate.getByRole('img').count()) === 0) await press('Build it');
    await plate.getByRole('img').waitFor({ timeout: 120_000 });
    await plate.getByText('Take it along as').scrollIntoViewIfNeeded();
    await page.waitForTimeout(2500);
    await take('workbench-plate');
    // Switching it on was a step, and so was what the worker made of it.
    while (await page.locator('#source-plate').isChecked()) await undo(1);
  },
  /** What moves, one of it chosen to go and the other to stay in front. */
  async movers() {
    await openShot('boardwalk');
    const search = page.getByRole('button', { name: 'Search the shot' });
    if (await search.isVisible()) await search.click();
    const movers = page.getByRole('list', { name: 'Movers' }).getByRole('listitem');
    await movers.nth(1).waitFor({ timeout: 180_000 });
    // The first is marked by hand already.
    await movers.nth(1).getByRole('button', { name: 'Stays in front' }).click();
    await page.waitForTimeout(2500);
    await goTo(75);
    await page.getByText('Looking up').waitFor({ state: 'hidden', timeout: 120_000 });
    await page.waitForTimeout(1500);
    await take('workbench-movers');
    await undo(1);
  },
  async standing() {
    await openShot('granary');
    const search = page.getByRole('button', { name: 'Search the shot' });
    if (await search.isVisible()) await search.click();
    await page.getByText(/seems? to stand/).click({ timeout: 180_000 });
    const stands = page.getByRole('list', { name: 'What seems to stand' }).getByRole('listitem').first();
    await stands.getByRole('button', { name: /To frame/ }).click();
    await stands.hover();
    await page.waitForTimeout(2500);
    await take('workbench-standing');
  },
};

try {
  const wanted = process.argv.slice(2);
  for (const [name, view] of Object.entries(VIEWS)) if (wanted.length === 0 || wanted.includes(name)) await view();
} finally {
  await browser.close();
}
