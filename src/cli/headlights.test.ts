import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { gaussFrom } from '../core/testing/random.ts';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Somebody walks before a wall at night, and headlights wander over it: the same way, faster. What other frames show behind the walker
// was seen in other light.

const [W, H, FRAMES] = [320, 192, 60];
const WALKER = { width: 24, speed: 4, top: 40, bottom: 150 };
const BEAM = { from: -60, speed: 9, radius: 70, times: 1.2 };
const BLACK = 16;
const GRAIN = 2;

const work = new Workspace();
const at = (name: string): string => work.at(name);
const isWalker = (t: number, x: number, y: number): boolean => {
  const left = 20 + WALKER.speed * t;
  return y >= WALKER.top && y < WALKER.bottom && x >= left && x < left + WALKER.width;
};
/** How much lighter a place is than by night alone. */
const lit = (t: number, x: number, y: number): number => {
  const r = Math.hypot(x - BEAM.from - BEAM.speed * t, y - 80) / BEAM.radius;
  return 1 + BEAM.times * Math.exp(-r * r);
};

const truth: Float32Array[] = [];
beforeAll(() => {
  const gauss = gaussFrom(31);
  const film = new Uint8Array(W * H * FRAMES);
  for (let t = 0; t < FRAMES; t++) {
    const [dx, dy] = hand(t);
    truth[t] = Float32Array.from({ length: W * H }, (_, i) => {
      const [x, y] = [i % W, Math.floor(i / W)];
      return BLACK + lit(t, x + dx, y + dy) * (40 + 30 * stones(x + dx + 40, y + dy + 40));
    });
    for (let i = 0; i < W * H; i++) {
      film[t * W * H + i] = Math.round((isWalker(t, i % W, Math.floor(i / W)) ? 24 : truth[t][i]) + GRAIN * gauss());
    }
  }
  work.write('clip.mkv', film, [W, H], 'gray');
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isWalker(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Error in the hole where it is lit, and where it is not (rms). */
function judge(samples: Buffer): { lit: number; dark: number } {
  const sums = { lit: [0, 0], dark: [0, 0] };
  for (let t = 0; t < FRAMES; t++) {
    for (let i = 0; i < W * H; i++) {
      const [x, y] = [i % W, Math.floor(i / W)];
      if (!isWalker(t, x, y)) continue;
      const of = sums[lit(t, x, y) > 1.3 ? 'lit' : 'dark'];
      of[0] += (samples[t * W * H + i] - truth[t][i]) ** 2;
      of[1]++;
    }
  }
  return { lit: Math.sqrt(sums.lit[0] / sums.lit[1]), dark: Math.sqrt(sums.dark[0] / sums.dark[1]) };
}

describe('headlights that wander over a wall', () => {
  it('light what is behind the hole, too', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet');
    const off = judge(work.samples('fill.mkv', 'gray'));
    expect(off.dark).toBeLessThan(4);
    expect(off.lit).toBeLessThan(6);
  });
});
