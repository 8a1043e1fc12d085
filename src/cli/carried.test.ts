import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { detail } from './testing/detail.ts';
import { Workspace } from './testing/workspace.ts';

// A camera travels along a wall, before which a board with stripes is carried past, the other way. A sticker on it is to go. No frame shows
// what is behind the sticker; the wall that other frames show at that place is not it.

const [W, H, FRAMES] = [352, 192, 40];
/** Px by which the wall moves per frame to the left, and the board to the right. */
const [WALL, BOARD] = [1, 3];

const work = new Workspace();
const at = (name: string): string => work.at(name);

beforeAll(() => {
  work.writeGrey('film.mkv', [W, H], FRAMES, (t, x, y) => (isSticker(t, x, y) ? 235 : scene(t, x, y)));
  work.writeGrey('sticker.mkv', [W, H], FRAMES, (t, x, y) => (isSticker(t, x, y) ? 255 : 0));
  work.writeGrey('board.mkv', [W, H], FRAMES, (t, x, y) => (isBoard(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

const left = (t: number): number => 20 + BOARD * t;
const isBoard = (t: number, x: number, y: number): boolean => x >= left(t) && x < left(t) + 140 && y >= 40 && y < 152;
const isSticker = (t: number, x: number, y: number): boolean =>
  x >= left(t) + 50 && x < left(t) + 86 && y >= 80 && y < 110;
const wall = (t: number, x: number, y: number): number => 170 + 45 * detail(x + WALL * t, y, 5, 3);
const board = (t: number, x: number, y: number): number =>
  60 + (Math.floor(y / 10) % 2) * 30 + 10 * detail(x - left(t), y, 4, 7);
const scene = (t: number, x: number, y: number): number => (isBoard(t, x, y) ? board(t, x, y) : wall(t, x, y));

interface Report {
  motion: { carried: boolean };
  notices: string[];
}

/** Mean difference to what is to be seen where something was marked. */
function fill(
  matte: string,
  isMarked: typeof isSticker,
  truth: typeof scene,
  ...more: string[]
): Report & { off: number } {
  const files = ['--input', at('film.mkv'), '--matte', at(matte), '--output', at('out.mkv'), '--report', at('r.json')];
  work.run('fill', ...files, ...more, '--quiet');
  const film = work.samples('out.mkv', 'gray');
  let [sum, n] = [0, 0];
  for (let t = 0, i = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++, i++) {
        if (isMarked(t, x, y)) [sum, n] = [sum + Math.abs(film[i] - truth(t, x, y)), n + 1];
      }
    }
  }
  return { ...(JSON.parse(readFileSync(at('r.json'), 'utf8')) as Report), off: sum / n };
}

describe('what goes away and is on something that moves', () => {
  it.each([[[]], [['--draft']]])('is filled from that, and not from the background %j', (more: string[]) => {
    const { off, motion, notices } = fill('sticker.mkv', isSticker, scene, ...more);
    expect(motion.carried).toBe(true);
    expect(notices.join()).toContain('on something that moves');
    // The wall is a hundred levels brighter; a board without stripes would be 15 off.
    expect(off).toBeLessThan(13);
  });

  it('counts as never seen', () => {
    const files = ['--input', at('film.mkv'), '--matte', at('sticker.mkv'), '--json', at('reveal.json')];
    work.run('reveal', ...files, '--quiet');
    const { carried, total } = JSON.parse(readFileSync(at('reveal.json'), 'utf8')) as {
      carried: boolean;
      total: { hole: number; unseen: number };
    };
    expect(carried).toBe(true);
    expect(total.unseen / total.hole).toBeGreaterThan(0.95);
  });
});

describe('what moves as a whole', () => {
  it('is filled from the background', () => {
    const { off, motion } = fill('board.mkv', isBoard, wall);
    expect(motion.carried).toBe(false);
    expect(off).toBeLessThan(6);
  });
});
