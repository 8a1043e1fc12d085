import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Somebody who is marked walks before a wall, in a crowd: others go the same way beside them, slower, and stand before what they
// hide in most of the frames near by. They are as light as the wall, and differ from it in colour.

const [W, H, FRAMES] = [256, 144, 60];
const WALKER = { width: 18, speed: 3, top: 30, bottom: 120 };

const work = new Workspace();
const at = (name: string): string => work.at(name);

const isWalker = (t: number, x: number, y: number): boolean => {
  const left = 20 + WALKER.speed * t;
  return y >= WALKER.top && y < WALKER.bottom && x >= left && x < left + WALKER.width;
};
const wall = (t: number, x: number, y: number): number => {
  const [dx, dy] = hand(t);
  return 120 + 40 * stones(x + dx + 40, y + dy + 40);
};
const SPEEDS = [2.3, 1.7, 2, 1.5];
/** Who else is there: number, or -1. */
const other = (t: number, x: number, y: number): number =>
  [0, 1, 2, 3, 4, 5, 6].findIndex((i) => {
    const left = -150 + 84 * i + SPEEDS[i % 4] * t;
    return y >= 40 && y < 130 && x >= left && x < left + 24;
  });
const COLOURS = [
  [150, 90],
  [90, 160],
  [160, 150],
  [90, 90],
];

beforeAll(() => {
  const film = new Uint8Array(W * H * 3 * FRAMES);
  for (let t = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        const [i, who] = [t * W * H * 3 + y * W + x, other(t, x, y)];
        const marked = isWalker(t, x, y);
        film[i] = marked ? 40 : who < 0 ? wall(t, x, y) : 118 + 8 * Math.sin((x - SPEEDS[who % 4] * t) / 3 + y / 5);
        const [u, v] = who < 0 || marked ? [128, 128] : COLOURS[who % 4];
        film[i + W * H] = u;
        film[i + 2 * W * H] = v;
      }
    }
  }
  work.write('clip.mkv', film, [W, H], 'yuv444p');
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isWalker(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Of the hole where nobody else is: error of luma, levels (rms), and mean distance of the colour from the wall's. */
function judge(samples: Buffer): { error: number; colour: number } {
  let [n, squares, colour] = [0, 0, 0];
  for (let t = 10; t < 50; t++) {
    for (let y = WALKER.top; y < WALKER.bottom; y++) {
      for (let x = 0; x < W; x++) {
        if (!isWalker(t, x, y) || [-2, 0, 2].some((d) => other(t, x + d, y) >= 0)) continue;
        const i = t * W * H * 3 + y * W + x;
        n++;
        squares += (samples[i] - wall(t, x, y)) ** 2;
        colour += Math.abs(samples[i + W * H] - 128) + Math.abs(samples[i + 2 * W * H] - 128);
      }
    }
  }
  return { error: Math.sqrt(squares / n), colour: colour / n };
}

describe('somebody who walks in a crowd', () => {
  it('leaves the wall behind, without a trace of the others', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet', '--no-grain');
    const { error, colour } = judge(work.samples('fill.mkv', 'yuv444p'));
    expect(error).toBeLessThan(6);
    expect(colour).toBeLessThan(2);
  });
});
