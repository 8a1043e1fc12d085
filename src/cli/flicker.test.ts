import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { gaussFrom } from '../core/testing/random.ts';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Somebody walks before a wall under lamps that flicker: bands of light and dark wander over the picture.

const [W, H, FRAMES] = [320, 192, 48];
const WALKER = { width: 26, speed: 4, top: 20, bottom: 170 };
const BLACK = 16;
const GRAIN = 1.5;

const work = new Workspace();
const at = (name: string): string => work.at(name);
const isWalker = (t: number, x: number, y: number): boolean => {
  const left = 20 + WALKER.speed * t;
  return y >= WALKER.top && y < WALKER.bottom && x >= left && x < left + WALKER.width;
};
const lamp = (t: number, y: number): number => 1 + 0.1 * Math.sin(2 * Math.PI * (y / 150 + 0.37 * t));

const truth: Float32Array[] = [];
let film: Uint8Array;
beforeAll(() => {
  const gauss = gaussFrom(37);
  film = new Uint8Array(W * H * FRAMES);
  for (let t = 0; t < FRAMES; t++) {
    const [dx, dy] = hand(t);
    truth[t] = Float32Array.from({ length: W * H }, (_, i) => {
      const [x, y] = [i % W, Math.floor(i / W)];
      return BLACK + lamp(t, y) * (120 + 40 * stones(x + dx + 40, y + dy + 40));
    });
    for (let i = 0; i < W * H; i++) {
      film[t * W * H + i] = Math.round((isWalker(t, i % W, Math.floor(i / W)) ? 40 : truth[t][i]) + GRAIN * gauss());
    }
  }
  work.write('clip.mkv', film, [W, H], 'gray');
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isWalker(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Error in the hole (rms), and samples that are changed outside. */
function judge(samples: Buffer): { off: number; changed: number } {
  let [sum, n, changed] = [0, 0, 0];
  for (let t = 0; t < FRAMES; t++) {
    for (let i = 0; i < W * H; i++) {
      if (isWalker(t, i % W, Math.floor(i / W))) {
        sum += (samples[t * W * H + i] - truth[t][i]) ** 2;
        n++;
      } else if (samples[t * W * H + i] !== film[t * W * H + i]) changed++;
    }
  }
  return { off: Math.sqrt(sum / n), changed };
}

describe('lamps that flicker', () => {
  it('light what is behind a hole as they light the rest of the row', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet');
    const { off, changed } = judge(work.samples('fill.mkv', 'gray'));
    expect(changed).toBe(0);
    expect(off).toBeLessThan(4);
  });
});
