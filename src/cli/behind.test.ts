import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Somebody near, who is marked, walks to the left before a wall. Two pass behind them, on their way to the right and to the left: the first
// one's legs swing, and the second overtakes the marked one. Both stay, and are seen on both sides of the hole.

const [W, H, FRAMES] = [320, 180, 100];
const STRIDE = 16;

const work = new Workspace();
const at = (name: string): string => work.at(name);

/** Left edges, as the wall goes. */
const MARKED = (t: number): number => 240 - 2 * t;
const WALKER = (t: number): number => 20 + Math.round(1.5 * t);
const CART = (t: number): number => 330 - 4 * t;

const isMarked = (t: number, x: number, y: number): boolean =>
  y >= 20 && y < 172 && x >= MARKED(t) && x < MARKED(t) + 34;

/** Luma and colour of the walker, who has a trunk and two legs. */
function walker(t: number, x: number, y: number): [number, number] | undefined {
  const u = x - WALKER(t);
  if (y >= 70 && y < 110 && u >= 4 && u < 20) return [190 - ((y * 7 + u * 3) % 11), 90];
  const swing = 8 * Math.sin((2 * Math.PI * t) / STRIDE);
  const leg = (side: number): boolean => Math.abs(u - 12 - (side * swing * (y - 110)) / 40) < 3.5;
  return y >= 110 && y < 150 && (leg(1) || leg(-1)) ? [60, 128] : undefined;
}

function cart(t: number, x: number, y: number): [number, number] | undefined {
  const u = x - CART(t);
  if (u < 0 || u >= 40 || y < 40 || y >= 66) return undefined;
  return [185 + 30 * stones(4 * u, 2 * (y - 40)), 170];
}

/** What the film shows without the one who is marked: luma and colour, and who it is. */
function truth(t: number, x: number, y: number): { luma: number; colour: number; who?: 'walker' | 'cart' } {
  const [dx, dy] = hand(t);
  const [wx, wy] = [x + dx, y + dy];
  const passing = walker(t, wx, wy);
  if (passing) return { luma: passing[0], colour: passing[1], who: 'walker' };
  const rolling = cart(t, wx, wy);
  if (rolling) return { luma: rolling[0], colour: rolling[1], who: 'cart' };
  return { luma: 120 + 40 * stones(wx + 40, wy + 40), colour: 128 };
}

const isHole = (t: number, x: number, y: number): boolean => {
  const [dx, dy] = hand(t);
  return isMarked(t, x + dx, y + dy);
};

beforeAll(() => {
  const film = new Uint8Array(W * H * 3 * FRAMES);
  for (let t = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        const i = t * W * H * 3 + y * W + x;
        const { luma, colour } = isHole(t, x, y) ? { luma: 30, colour: 110 } : truth(t, x, y);
        film[i] = luma;
        film[i + W * H] = colour;
        film[i + 2 * W * H] = 128;
      }
    }
  }
  work.write('clip.mkv', film, [W, H], 'yuv444p');
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isHole(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Mean difference of luma in the hole from the truth, levels, by what is there. */
function judge(samples: Buffer): Record<'walker' | 'cart' | 'wall', { px: number; error: number }> {
  const out = { walker: { px: 0, error: 0 }, cart: { px: 0, error: 0 }, wall: { px: 0, error: 0 } };
  for (let t = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        if (!isHole(t, x, y)) continue;
        const { luma, who = 'wall' } = truth(t, x, y);
        out[who].px++;
        out[who].error += Math.abs(samples[t * W * H * 3 + y * W + x] - luma);
      }
    }
  }
  for (const one of Object.values(out)) one.error /= one.px;
  return out;
}

describe('those who pass behind somebody who goes away', () => {
  it('are seen in the hole, limbs and all, and the wall is where they are not', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet', '--no-grain');
    const { walker: one, cart: other, wall } = judge(work.samples('fill.mkv', 'yuv444p'));
    expect(one.px).toBeGreaterThan(5000);
    expect(other.px).toBeGreaterThan(5000);
    // Both would be 65 if only the wall were seen.
    expect(one.error).toBeLessThan(14);
    expect(other.error).toBeLessThan(8);
    expect(wall.error).toBeLessThan(2);
  });
});
