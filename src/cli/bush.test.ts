import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Before a wall, which rests, leaves stir in a bush. Somebody who is marked walks along before both; a dark box goes the other way behind them, and stays.

const [W, H, FRAMES] = [320, 180, 90];
const BUSH = { left: 120, right: 210, top: 30, bottom: 96 };
const BOX = { width: 30, top: 118, bottom: 168 };

const work = new Workspace();
const at = (name: string): string => work.at(name);

/** Left edges, as the wall goes. */
const marked = (t: number): number => 16 + 3 * t;
const box = (t: number): number => 300 - 2.5 * t;

const isMarked = (t: number, x: number, y: number): boolean =>
  y >= 24 && y < 170 && x >= marked(t) && x < marked(t) + 30;
const isBush = (x: number, y: number): boolean => x >= BUSH.left && x < BUSH.right && y >= BUSH.top && y < BUSH.bottom;
const isBox = (t: number, x: number, y: number): boolean =>
  x >= box(t) && x < box(t) + BOX.width && y >= BOX.top && y < BOX.bottom;

/** Two layers of leaves that sway by some px, each in its own time. */
const leaves = (t: number, x: number, y: number): number =>
  150 +
  35 * stones(1.7 * x + 40 * Math.sin(0.5 * t), 1.7 * y) +
  35 * stones(1.3 * x + 500, 1.3 * y + 40 * Math.sin(0.37 * t + 1));

/** What the film shows without the one who is marked. */
function truth(t: number, x: number, y: number): number {
  const [dx, dy] = hand(t);
  const [wx, wy] = [x + dx, y + dy];
  if (isBox(t, wx, wy)) return 30 + ((Math.floor(wx - box(t)) * 5 + Math.floor(wy) * 3) % 13);
  return isBush(wx, wy) ? leaves(t, wx, wy) : 110 + 40 * stones(wx + 40, wy + 40);
}

const isHole = (t: number, x: number, y: number): boolean => {
  const [dx, dy] = hand(t);
  return isMarked(t, x + dx, y + dy);
};

beforeAll(() => {
  work.writeGrey('clip.mkv', [W, H], FRAMES, (t, x, y) => Math.round(isHole(t, x, y) ? 230 : truth(t, x, y)));
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isHole(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Luma in the hole where the box is behind it, and what should be there. */
function boxInHole(samples: Buffer): [number, number][] {
  const out: [number, number][] = [];
  for (let t = 46; t < 60; t++) {
    const [dx, dy] = hand(t);
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        if (isHole(t, x, y) && isBox(t, x + dx, y + dy)) out.push([samples[(t * H + y) * W + x], truth(t, x, y)]);
      }
    }
  }
  return out;
}

describe('leaves that stir', () => {
  it('do not keep somebody who passes behind a hole from being seen in it', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet', '--no-grain');
    const box = boxInHole(work.samples('fill.mkv', 'gray'));
    expect(box.length).toBeGreaterThan(4000);
    const right = box.filter(([is, should]) => Math.abs(is - should) < 30).length;
    expect(right / box.length).toBeGreaterThan(0.8);
  });
});
