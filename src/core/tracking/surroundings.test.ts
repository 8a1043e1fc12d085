import { expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import type { FrameReader } from '../image/format.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { gaussFrom } from '../testing/random.ts';
import type { Quad } from './regionModel.ts';
import { throughSurroundings } from './surroundings.ts';

const [WIDTH, HEIGHT, COUNT] = [640, 160, 11];
const NOISE_SIDE = 1024;
const gauss = gaussFrom(3);
const noise = Float32Array.from({ length: NOISE_SIDE * HEIGHT }, gauss);
/** Details of a few px: a mean of noise around a px, by hand faster than a loop under the test runner. */
const DETAILS = Float32Array.from(noise, (_, i) => {
  let sum = 0;
  for (let v = 0; v < 3; v++) for (let u = 0; u < 3; u++) sum += noise[(i + v * NOISE_SIDE + u) % noise.length];
  return sum;
});
const texture = (x: number, y: number): number => DETAILS[y * NOISE_SIDE + ((x + NOISE_SIDE) % NOISE_SIDE)];

/** Where the wall and the post before it are by frames, px to the right: neither goes straight, and not alike. */
const WALL = [0, 2, 3, 2, 0, -2, -3, -2, 0, 2, 3];
const POST = [0, -6, -11, -15, -18, -20, -21, -21, -20, -18, -15];
const POST_FROM = 140;
const POST_TO = 480;

/** A wall, with a post of more contrast before it, or none. */
const film = (post: boolean): FrameReader =>
  paintedFrames(smallFormat(WIDTH, HEIGHT), COUNT, (x, y, _plane, t) => {
    const onPost = x - POST[t];
    if (post && onPost >= POST_FROM && onPost < POST_TO) return 128 + 9 * texture(onPost + 300, y);
    return 128 + 4 * texture(x - WALL[t], y);
  });

/** A region of the wall that stands at x 260 when the wall is at 0. */
const regionAt = (t: number): Quad => {
  const x = 260 + WALL[t];
  return [
    { x, y: 70 },
    { x: x + 12, y: 70 },
    { x: x + 12, y: 82 },
    { x, y: 82 },
  ];
};

it.each([
  ['is led as the wall around it goes', false],
  ['is led as the wall beside it goes where something else fills most of what is around it', true],
])('a region that cannot be seen %s', async (_name, post) => {
  const [before, after] = [0, COUNT - 1].map((frame) => ({ frame, quad: regionAt(frame) }));
  const quadAt = throughSurroundings(await loadKernels(1 << 26), film(post), before, after, undefined);
  for (let t = 1; t < COUNT - 1; t++) {
    const [wanted, led] = [regionAt(t)[0], quadAt(t)[0]];
    expect(Math.hypot(led.x - wanted.x, led.y - wanted.y)).toBeLessThan(0.3);
  }
});
