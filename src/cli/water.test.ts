import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { detail } from './testing/detail.ts';
import { Workspace } from './testing/workspace.ts';

// A camera travels past a shore: above the waterline two patterns run through one another, below all rests. Somebody who is marked
// walks before both. What the water looks like behind them is shown by no other frame.

const [W, H, FRAMES] = [256, 160, 40];
const WATERLINE = 84;
const WALKER = { width: 24, top: 24, bottom: 140 };

const work = new Workspace();
const at = (name: string): string => work.at(name);

const left = (t: number): number => 20 + 4 * t;
const isWalker = (t: number, x: number, y: number): boolean =>
  x >= left(t) && x < left(t) + WALKER.width && y >= WALKER.top && y < WALKER.bottom;
/** The camera goes a px to the right with each frame. */
const background = (t: number, x: number, y: number): number => {
  const place = x + t;
  if (y >= WATERLINE) return 130 + 40 * detail(place, y, 5, 1) + 25 * detail(place, y, 11, 2);
  return 120 + 35 * detail(place + 1.5 * t, y, 9, 3) + 35 * detail(place - 2 * t, y + 0.7 * t, 11, 4);
};

beforeAll(() => {
  const write = (name: string, sample: (t: number, x: number, y: number) => number): void =>
    work.writeGrey(name, [W, H], FRAMES, sample);
  write('clip.mkv', (t, x, y) => (isWalker(t, x, y) ? 20 : background(t, x, y)));
  write('matte.mkv', (t, x, y) => (isWalker(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Of the part of the hole from row `top` to `bottom`, in the middle frames: contrast and error, levels (standard deviation, rms). */
function judge(samples: Buffer, top: number, bottom: number): { contrast: number; wanted: number; error: number } {
  let [n, sum, squares, trueSum, trueSquares, errors] = [0, 0, 0, 0, 0, 0];
  for (let t = 12; t < 28; t++) {
    for (let y = top; y < bottom; y++) {
      for (let x = left(t); x < left(t) + WALKER.width; x++) {
        const [is, should] = [samples[(t * H + y) * W + x], background(t, x, y)];
        n++;
        sum += is;
        squares += is * is;
        trueSum += should;
        trueSquares += should * should;
        errors += (is - should) ** 2;
      }
    }
  }
  const spread = (s: number, q: number): number => Math.sqrt(q / n - (s / n) ** 2);
  return {
    contrast: spread(sum, squares),
    wanted: spread(trueSum, trueSquares),
    error: Math.sqrt(errors / n),
  };
}

describe('somebody who walks before water', () => {
  it.each([['full'], ['draft']])(
    'leaves water behind that goes on moving, and ground that rests (%s)',
    (size) => {
      const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
      const draft = size === 'draft' ? ['--draft'] : [];
      work.run('fill', ...files, '--report', at('r.json'), '--quiet', '--no-grain', ...draft);
      const samples = work.samples('fill.mkv', 'gray');
      const water = judge(samples, WALKER.top + 2, WATERLINE - 8);
      expect(water.contrast / water.wanted).toBeGreaterThan(0.8);
      // Water of any other time would be off by √2 times its contrast.
      expect(water.error / water.wanted).toBeLessThan(1.15);
      const ground = judge(samples, WATERLINE + 16, WALKER.bottom - 2);
      expect(ground.error).toBeLessThan(size === 'draft' ? 12 : 4);
      const { fill } = JSON.parse(readFileSync(at('r.json'), 'utf8')) as { fill: { hole: number; unseen: number }[] };
      const unseen = fill.reduce((n, f) => n + f.unseen, 0) / fill.reduce((n, f) => n + f.hole, 0);
      expect(unseen).toBeLessThan(0.05);
    },
    60_000,
  );

  it('is promised what the shot shows of both', () => {
    work.run('reveal', '--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--json', at('r.json'), '--quiet');
    const { total } = JSON.parse(readFileSync(at('r.json'), 'utf8')) as { total: { hole: number; seen: number } };
    expect(total.seen / total.hole).toBeGreaterThan(0.95);
  });
});
