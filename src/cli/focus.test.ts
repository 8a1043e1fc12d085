import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { gaussFrom } from '../core/testing/random.ts';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Somebody walks before a wall, and half-way the camera looks for its focus: for a while all of the picture is soft, and its codec
// leaves little grain on it.

const [W, H, FRAMES] = [320, 192, 60];
const WALKER = { width: 24, speed: 4, top: 40, bottom: 150 };
const SIGMA = 2.4;
const GRAIN = 3;
const isSoft = (t: number): boolean => t >= 22 && t < 38;

const work = new Workspace();
const at = (name: string): string => work.at(name);
const isWalker = (t: number, x: number, y: number): boolean => {
  const left = 20 + WALKER.speed * t;
  return y >= WALKER.top && y < WALKER.bottom && x >= left && x < left + WALKER.width;
};

/** A picture as if its edge went on, blurred. */
function blurred(picture: Float32Array): Float32Array {
  const reach = 7;
  const taps = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-((k - reach) ** 2) / (2 * SIGMA ** 2)));
  const sum = taps.reduce((a, b) => a + b);
  const pass = (from: Float32Array, dx: number, dy: number): Float32Array =>
    from.map((_, i) => {
      let s = 0;
      for (let k = -reach; k <= reach; k++) {
        const x = Math.min(W - 1, Math.max(0, (i % W) + k * dx));
        const y = Math.min(H - 1, Math.max(0, Math.floor(i / W) + k * dy));
        s += (taps[k + reach] / sum) * from[y * W + x];
      }
      return s;
    });
  return pass(pass(picture, 1, 0), 0, 1);
}

const truth: Float32Array[] = [];
/** As it would have been filmed without the walker. */
const clean = Buffer.alloc(W * H * FRAMES);
beforeAll(() => {
  const gauss = gaussFrom(21);
  const film = new Uint8Array(W * H * FRAMES);
  for (let t = 0; t < FRAMES; t++) {
    const [dx, dy] = hand(t);
    const sharp = Float32Array.from({ length: W * H }, (_, i) => {
      const [x, y] = [i % W, Math.floor(i / W)];
      return 120 + 60 * stones(x + dx + 40, y + dy + 40);
    });
    truth[t] = isSoft(t) ? blurred(sharp) : sharp;
    const grain = isSoft(t) ? GRAIN / 4 : GRAIN;
    for (let i = 0; i < W * H; i++) {
      const [shown, noise] = [truth[t][i], grain * gauss()];
      clean[t * W * H + i] = Math.round(shown + noise);
      film[t * W * H + i] = Math.round((isWalker(t, i % W, Math.floor(i / W)) ? 40 : shown) + noise);
    }
  }
  work.write('clip.mkv', film, [W, H], 'gray');
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isWalker(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Of the hole in some frames: error against the wall, and strength of the Laplacian (both rms). */
function judge(samples: Buffer, frames: (t: number) => boolean): { error: number; fine: number } {
  let [n, squares, fine] = [0, 0, 0];
  for (let t = 4; t < FRAMES - 4; t++) {
    if (!frames(t)) continue;
    for (let i = 0; i < W * H; i++) {
      if (!isWalker(t, i % W, Math.floor(i / W))) continue;
      const p = t * W * H + i;
      n++;
      squares += (samples[p] - truth[t][i]) ** 2;
      fine += (4 * samples[p] - samples[p - 1] - samples[p + 1] - samples[p - W] - samples[p + W]) ** 2;
    }
  }
  return { error: Math.sqrt(squares / n), fine: Math.sqrt(fine / n) };
}

describe('a camera that looks for its focus', () => {
  it('gets a fill that is as soft as its frames, with as little grain', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet');
    const samples = work.samples('fill.mkv', 'gray');
    const soft = judge(samples, isSoft);
    expect(soft.error).toBeLessThan(3.5);
    expect(Math.abs(Math.log2(soft.fine / judge(clean, isSoft).fine))).toBeLessThan(0.4);
    const isSharp = (t: number): boolean => !isSoft(t);
    expect(Math.abs(Math.log2(judge(samples, isSharp).fine / judge(clean, isSharp).fine))).toBeLessThan(0.2);
  });
});
