import { afterAll, beforeAll, expect, it } from '@jest/globals';
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

/** A wall with detail: values of squares, smoothly joined. */
function wall(x: number, y: number): number {
  const value = (i: number, j: number): number => {
    const h = Math.imul(i * 73856093 + j * 19349663 + 5, 2654435761) >>> 0;
    return h / 2 ** 32;
  };
  const [u, v] = [x / 5, y / 5];
  const [i, j] = [Math.floor(u), Math.floor(v)];
  const [a, b] = [u - i, v - j];
  const top = value(i, j) * (1 - a) + value(i + 1, j) * a;
  const bottom = value(i, j + 1) * (1 - a) + value(i + 1, j + 1) * a;
  return 100 + 90 * (top * (1 - b) + bottom * b);
}

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
