import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { detail } from './testing/detail.ts';
import { Workspace } from './testing/workspace.ts';

// A camera that is shaken faster than its sensor is read goes along a wall: the rows of every frame lie to and fro. Somebody walks by.

const [W, H, FRAMES] = [320, 200, 24];
/** Px by which rows lie aside at most. */
const ASIDE = 1.2;

const work = new Workspace();
const at = (name: string): string => work.at(name);

beforeAll(() => {
  work.writeGrey('film.mkv', [W, H], FRAMES, (t, x, y) => (isMarked(t, x, y) ? 30 : seen(t, x, y)));
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isMarked(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

const isMarked = (t: number, x: number, y: number): boolean => Math.abs(x - 90 - 5 * t) < 16 && y > 40 && y < 170;

const seen = (t: number, x: number, y: number): number =>
  wall(x + 2 * t + ASIDE * Math.sin((5 * Math.PI * y) / H + 2.1 * t), y);

const wall = (x: number, y: number): number => 145 + 45 * detail(x, y, 5, 1);

it('shows what is behind a hole where the rows of each frame lie', () => {
  work.run('fill', '--input', at('film.mkv'), '--matte', at('matte.mkv'), '--output', at('out.mkv'), '--quiet');
  const film = work.samples('out.mkv', 'gray');
  let [sum, n] = [0, 0];
  for (let t = 0, i = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++, i++) {
        if (isMarked(t, x, y)) [sum, n] = [sum + Math.abs(film[i] - seen(t, x, y)), n + 1];
      }
    }
  }
  expect(sum / n).toBeLessThan(2.5);
});
