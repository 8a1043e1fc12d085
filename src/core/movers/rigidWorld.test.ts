import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { box } from '../testing/movingFilm.ts';
import { panning } from '../testing/panning.ts';
import { gaussFrom } from '../testing/random.ts';
import { RigidWorld, type Explained } from './rigidWorld.ts';
import { stands } from './standing.ts';

// A camera travels along a wall; a shelf and a hedge are nearer, and so is a post in the hedge. Somebody walks along the wall.

const [W, H, COUNT] = [320, 180, 80];
const FRAME = 40;
/** Px that each goes to the left per frame. */
const [WALL, SHELF, HEDGE] = [1, 1.5, 2];
const [SHELF_ROWS, HEDGE_TOP] = [[20, 50], 140] as const;
const post = box(250, 60, 18, 80);
const walker = box(120, 70, 24, 60);
/** The walker goes as fast as the camera, and up and down as people do. */
const gone = (t: number): [number, number] => [0, Math.round(6 * Math.sin((t - FRAME) / 12))];

const gauss = gaussFrom(9);
const WIDE = 1024;
const noise = Float32Array.from({ length: WIDE * H }, gauss);
/** A texture whose details are a few px wide, between px by what is beside them. */
function texture(x: number, y: number): number {
  const left = Math.floor(x);
  const at = (u: number): number => {
    let sum = 0;
    for (let v = 0; v < 3; v++)
      for (let k = 0; k < 3; k++) sum += noise[((y + v + H) % H) * WIDE + ((u + k + WIDE) % WIDE)];
    return sum;
  };
  return 120 + 6 * (at(left) + (x - left) * (at(left + 1) - at(left)));
}

const frames = (travels: number): ReturnType<typeof paintedFrames> =>
  paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, t) => {
    const by = (speed: number): number => travels * speed * (t - FRAME);
    const isPost = y < HEDGE_TOP && y >= post.y && x + by(HEDGE) >= post.x && x + by(HEDGE) < post.x + post.width;
    if (isPost) return texture(x + by(HEDGE) + 300, y);
    const [dx, dy] = gone(t);
    const [u, v] = [x - dx - walker.x, y - dy - walker.y];
    if (u >= 0 && v >= 0 && u < walker.width && v < walker.height) return texture(u + 700, v);
    if (y >= HEDGE_TOP) return texture(x + by(HEDGE) + 300, y);
    return y >= SHELF_ROWS[0] && y < SHELF_ROWS[1] ? texture(x + by(SHELF) + 500, y) : texture(x + by(WALL), y);
  });

async function explained(travels: number): Promise<(Explained | undefined)[]> {
  const kernels = await loadKernels(64 << 20);
  const film = frames(travels);
  const world = new RigidWorld(kernels, film, panning(W, H, COUNT, travels * WALL), new Pyramids(kernels, film, 16));
  return world.explain(FRAME, [walker, post]);
}

describe('a rigid world', () => {
  it('explains what stands nearer than the wall, and not who walks', async () => {
    const [walking, standing] = await explained(1);
    expect(walking!.unlikeness).toBeGreaterThan(0.75);
    expect(walking!.corners).toBeGreaterThan(4);
    expect(walking!.deep).toBeLessThan(0.3 * walking!.corners);
    expect(standing!.unlikeness).toBeLessThan(0.3);
    expect(standing!.corners).toBeGreaterThan(8);
    expect(standing!.deep).toBeGreaterThan(0.8 * standing!.corners);
    expect([walking, standing].map((one) => stands([one]))).toEqual([false, true]);
  });

  it('says nothing where the camera stays in its place', async () => {
    expect(await explained(0)).toEqual([undefined, undefined]);
  });
});
