import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { Workspace } from './testing/workspace.ts';

// Somebody who stands for long before a camera that rests, and whom others pass: the background is seen at the end alone.

const [W, H, FRAMES] = [192, 128, 240];
/** The first frame in which nobody stands there. */
const GONE = 220;
const STANDS = { x: 80, y: 40, width: 24, height: 56 };
const work = new Workspace();
const at = (name: string): string => work.at(name);

const { sin, round } = Math;
const ground = (x: number, y: number): number =>
  round(120 + 35 * sin(x / 3.1) * sin(y / 4.3) + 25 * sin((x + 2 * y) / 7) + 15 * sin(x * y));
const stands = (t: number, x: number, y: number): boolean =>
  t < GONE && x >= STANDS.x && x < STANDS.x + STANDS.width && y >= STANDS.y && y < STANDS.y + STANDS.height;
/** Passes through the place, unmarked, once it is free: a px per frame. */
const passes = (t: number, x: number, y: number): boolean =>
  t >= GONE && x - 60 - (t - GONE) < 6 && x - 60 >= t - GONE && y >= 60 && y < 96;

const encode = (name: string, value: (t: number, x: number, y: number) => number, frames = FRAMES): void =>
  work.writeGrey(name, [W, H], frames, value);

/** Fills a clip. @returns Its frames, one after the other. */
function fill(clip: string, matte: string, ...more: string[]): Buffer {
  const files = ['--input', at(clip), '--matte', at(matte), '--output', at('fill.mkv'), '--report', at('r.json')];
  work.run('fill', ...files, '--quiet', '--no-grain', ...more);
  const { motion } = JSON.parse(readFileSync(at('r.json'), 'utf8')) as { motion: { tripod: boolean } };
  expect(motion.tripod).toBe(true);
  return work.samples('fill.mkv', 'gray');
}

/** Fills, and tells by how much the hole of a frame differs from the ground, levels. */
function differenceAt(frame: number, ...more: string[]): number {
  const filled = fill('clip.mkv', 'matte.mkv', ...more);
  let sum = 0;
  for (let y = STANDS.y; y < STANDS.y + STANDS.height; y++) {
    for (let x = STANDS.x; x < STANDS.x + STANDS.width; x++) {
      sum += Math.abs(filled[frame * W * H + y * W + x] - ground(x, y));
    }
  }
  return sum / (STANDS.width * STANDS.height);
}

beforeAll(() => {
  encode('clip.mkv', (t, x, y) => (stands(t, x, y) ? 30 + ((x + y) % 7) : passes(t, x, y) ? 220 : ground(x, y)));
  encode('matte.mkv', (t, x, y) => (stands(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

describe('somebody who stands until shortly before the end', () => {
  it('is replaced by what the end shows, from the first frame on', () => {
    expect(differenceAt(10)).toBeLessThan(3);
  }, 60_000);

  it('is replaced by something like the surroundings where the fill may not look so far', () => {
    const invented = differenceAt(10, '--reach', '60');
    expect(invented).toBeGreaterThan(8);
    expect(invented).toBeLessThan(60);
  }, 60_000);
});

describe('something that never goes, and that somebody else passes', () => {
  /** Px from the thing, which never goes: 0 within. */
  const away = (x: number, y: number): number =>
    Math.max(STANDS.x - x, x - STANDS.x - STANDS.width + 1, STANDS.y - y, y - STANDS.y - STANDS.height + 1, 0);
  const MARGIN = 4;
  /** Stays before the thing's left side for a while. */
  const stops = (t: number, x: number, y: number): boolean =>
    t >= 8 && t < 16 && x >= STANDS.x - 20 && x < STANDS.x + 10 && y >= 50 && y < 80;

  it('is kept as frames show it up to its matte, while others cover that too', () => {
    encode('thing.mkv', (t, x, y) => (stops(t, x, y) ? 210 : away(x, y) === 0 ? 30 : ground(x, y)), 24);
    encode('thing-matte.mkv', (t, x, y) => (stops(t, x, y) || away(x, y) <= MARGIN ? 255 : 0), 24);
    const filled = fill('thing.mkv', 'thing-matte.mkv');
    let [worst, n] = [0, 0];
    for (let y = 52; y < 78; y++) {
      for (let x = STANDS.x - 18; x < STANDS.x; x++) {
        // Sources are left out up to three px from a matte; what touches it may be softened by it.
        if (away(x, y) <= MARGIN + 1) continue;
        worst = Math.max(worst, Math.abs(filled[12 * W * H + y * W + x] - ground(x, y)));
        n++;
      }
    }
    expect(n).toBeGreaterThan(200);
    expect(worst).toBeLessThan(12);
  }, 60_000);
});

describe('something that never goes, where light moves over the ground', () => {
  const thing = { x: 90, y: 58, width: 8, height: 12 };
  const isThing = (x: number, y: number): boolean =>
    x >= thing.x && x < thing.x + thing.width && y >= thing.y && y < thing.y + thing.height;
  /** A soft edge of light that goes to the right by two px a frame, over ground. */
  const lit = (t: number, x: number, y: number): number =>
    round(0.7 * ground(x, y) + 10 + 40 / (1 + Math.exp((x - 70 - 2 * t) / 7)));
  /** By how much the fill is lighter or darker than the ground in a part of the hole, levels. */
  function offAt(filled: Buffer, t: number, fromX: number, toX: number): number {
    let [sum, n] = [0, 0];
    for (let y = thing.y; y < thing.y + thing.height; y++) {
      for (let x = fromX; x < toX; x++, n++) sum += filled[t * W * H + y * W + x] - lit(t, x, y);
    }
    return Math.abs(sum / n);
  }

  it('is filled with ground that lies in the light of each frame', () => {
    encode('lit.mkv', (t, x, y) => (isThing(x, y) ? 220 : lit(t, x, y)), 24);
    encode('lit-matte.mkv', (_, x, y) => (isThing(x, y) ? 255 : 0), 24);
    const filled = fill('lit.mkv', 'lit-matte.mkv');
    for (const t of [2, 8, 10, 12, 14, 22]) {
      for (const x of [90, 94]) expect(offAt(filled, t, x, x + 4)).toBeLessThan(8);
    }
  }, 60_000);
});
