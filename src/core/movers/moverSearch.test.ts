import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { panning } from '../testing/panning.ts';
import { endRuns } from './endRuns.ts';
import { areaOf, shared, type MaskPatch } from './maskPatch.ts';
import { MoverSearch, type MovingFrame } from './moverSearch.ts';

const [W, H, FRAMES] = [200, 96, 100];
/** 0..15. */
const noise = (x: number, y: number): number => {
  const mixed = Math.imul((x * 7919) ^ (y * 104729), 0x9e3779b1);
  return Math.imul(mixed ^ (mixed >>> 15), 0x85ebca6b) >>> 28;
};
/** Goes right by 1 px a frame over the ground, and is longer than its way in 31 frames. */
const block: MaskPatch = { x: 30, y: 40, width: 32, height: 25, data: new Uint8Array(800).fill(1) };
/** A camera that pans along with the block: it stays in its place in the picture. */
const film = paintedFrames(smallFormat(W, H), FRAMES, (x, y, _, t) =>
  x >= 30 && x < 62 && y >= 40 && y < 65 ? 140 + 6 * noise(x, y) : 60 + noise(x + t, y),
);
const sum = (numbers: readonly number[]): number => numbers.reduce((a, b) => a + b, 0);
/** Px that were found of the block, and beside it. */
function px({ regions }: MovingFrame): { of: number; beside: number } {
  const of = sum(regions.map((r) => shared(r, block)));
  return { of, beside: sum(regions.map(areaOf)) - of };
}

describe('MoverSearch', () => {
  it('does not take the ground where a thing will be, or was, for the thing at the ends of a film', async () => {
    const search = new MoverSearch(await loadKernels(128 << 20), film, panning(W, H, FRAMES, 1));
    const [run] = endRuns({ tripod: false, sameScene: () => true }, FRAMES);
    // Those that the run's frames are compared with.
    const within = Array.from({ length: 48 }, (_, k) => run.length + k);
    const found = search.movingAtEnd(run, false, new Map(within.map((t) => [t, search.movingIn(t, false)])));
    const [alone, helped] = [px(search.movingIn(0, false)), px(found[run.indexOf(0)])];
    // A rim of one px is found around it. Most of the frames that the first one is compared with show the block where it will be.
    expect(alone.beside).toBeGreaterThan(280);
    expect(helped.beside).toBeLessThan(140);
    expect(helped.of).toBeGreaterThan(0.9 * 800);
  });
});
