import { median } from '../geometry/linear.ts';
import { BLOCK_FLOATS, blockFineness, expectedFineness, grainModel, type GrainModel } from './grain.ts';

/** Share of a frame's blocks, those with the least texture, that tell: errors of registration tell least there. */
const SMOOTH_SHARE = 0.4;
/** Blocks that are needed. */
const NEEDED = 4;
/** What chance alone makes smaller is no other grain: times the variance that is found. */
const CHANCE = 1.15;

/**
 * Grain of a shot, per plane; undefined for a plane of which too little can be told.
 * @param measured - Blocks of {@link measureGrain} of each frame, per plane.
 * @param full - Largest sample.
 */
export function grainOf(measured: readonly Float32Array[][], full: number): (GrainModel | undefined)[] {
  const planes = measured[0]?.length ?? 0;
  return Array.from({ length: planes }, (_, plane) =>
    grainModel(
      measured.map((blocks) => blocks[plane]),
      full,
    ),
  );
}

/**
 * How much of a shot's grain one frame has, per plane, as a share of its standard deviation, at most 1: a codec leaves less of it on frames
 * that are out of focus, and on those that it predicts from others. More than the shot's is no grain, but an error of the estimate.
 * @param blocks - The frame's, per plane.
 */
export function grainShares(
  shot: readonly (GrainModel | undefined)[],
  blocks: readonly Float32Array[],
  full: number,
): number[] {
  return shot.map((model, plane) => (model ? shareOf(model, blocks[plane], full) : 1));
}

function shareOf(model: GrainModel, blocks: Float32Array, full: number): number {
  const all = Array.from({ length: blocks.length / BLOCK_FLOATS }, (_, k) =>
    blocks.subarray(k * BLOCK_FLOATS, (k + 1) * BLOCK_FLOATS),
  );
  const smooth = all.sort((a, b) => a[2] - b[2]).slice(0, Math.ceil(all.length * SMOOTH_SHARE));
  if (smooth.length < NEEDED) return 1;
  const shares = smooth.map((block) => {
    const expected = expectedFineness(model, block, full);
    return expected > 0 ? blockFineness(block) / expected : 1;
  });
  return Math.min(1, Math.sqrt(CHANCE * median(shares)));
}
