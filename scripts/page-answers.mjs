// usage: node scripts/page-answers.mjs [SHOT [VIEW]]
// How soon the page answers while a shot is played: the longest waits of a timer of 4 ms, and how many of the shot's
// frames were shown, in six seconds. On the demo project of the server that runs on this machine (./start); VIEW is the
// name of a button above the picture (Original, Matte, Result, Wipe …).
import { chromium } from '@playwright/test';

const BASE = `http://127.0.0.1:${process.env.MNESTRA_PORT ?? 7373}`;
const [name = 'boardwalk', view = 'Original'] = process.argv.slice(2);

const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = (await (await fetch(`${BASE}/api/shots`)).json()).find((s) => s.name === name);
if (!shot) throw new Error(`The demo project has no shot “${name}”.`);
await page.goto(`${BASE}/shots/${shot.id}`);
await page.locator('[data-testid="picture"][data-frame="0"]').waitFor();
await page.getByRole('button', { name: view, exact: true }).click();
await page.waitForTimeout(3000);
await page.mouse.click(640, 620);
await page.keyboard.press('Space');
const { gaps, frames } = await page.evaluate(async () => {
  const picture = document.querySelector('[data-testid=picture]');
  const gaps = [];
  const shown = new Set();
  const end = performance.now() + 6000;
  for (let last = performance.now(); last < end; last += gaps.at(-1)) {
    await new Promise((done) => setTimeout(done, 4));
    gaps.push(performance.now() - last);
    shown.add(picture.dataset.frame);
  }
  return { gaps: gaps.sort((a, b) => a - b), frames: shown.size };
});
const at = (share) => gaps[Math.floor(share * (gaps.length - 1))].toFixed(1);
console.log(`${name}, ${view}: half of the waits up to ${at(0.5)} ms, 95 % up to ${at(0.95)}, longest ${at(1)};`);
console.log(`${frames} of ${shot.last - shot.first + 1} frames were shown`);
await browser.close();
