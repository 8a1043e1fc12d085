import { median } from '../geometry/linear.ts';
import { BLOCK_FLOATS, blockFineness, expectedFineness, grainModel, type GrainModel } from './grain.ts';

/** Share of a frame's blocks, those with the least texture, that tell: errors of registration tell least there. */
const SMOOTH_SHARE = 0.4;
/** Blocks that are needed. */
const NEEDED = 4;
/** Of the frames' grain, the quantile that counts as all of it. */
const USUAL = 0.75;
/** What chance alone makes smaller is no other grain: times the variance that is found. */
const CHANCE = 1.15;

/** Grain of a shot, per plane. */
export interface ShotGrain {
  /** Undefined for a plane of which too little can be told. */
  models: (GrainModel | undefined)[];
  /**
   * How much of it each frame has, as a share of its standard deviation, per frame and plane: at most 1. A codec leaves less of it on frames
   * that are out of focus. More than the shot's is no grain, but an error of the estimate.
   */
  shares: number[][];
}

/**
 * @param measured - Blocks of {@link measureGrain} of each frame, per plane.
 * @param full - Largest sample.
 */
export function shotGrain(measured: readonly Float32Array[][], full: number): ShotGrain {
  const planes = measured[0]?.length ?? 0;
  const ofPlane = (plane: number): Float32Array[] => measured.map((blocks) => blocks[plane]);
  const models = Array.from({ length: planes }, (_, plane) => grainModel(ofPlane(plane), full));
  const shares = models.map((model, plane) =>
    model ? sharesOf(ofPlane(plane).map((blocks) => levelOf(model, blocks, full))) : [],
  );
  return { models, shares: measured.map((_, k) => shares.map((ofFrames) => ofFrames[k] ?? 1)) };
}

/** Shares of standard deviations. @param levels - Variances, as times those of the model; NaN where nothing tells. */
function sharesOf(levels: readonly number[]): number[] {
  const told = levels.filter((v) => !Number.isNaN(v)).sort((a, b) => a - b);
  const usual = Math.min(1, told[Math.floor(USUAL * told.length)]);
  return levels.map((v) => (v >= 0 && usual > 0 ? Math.min(1, Math.sqrt((CHANCE * v) / usual)) : 1));
}

/** Variance of a frame's grain, as times that of the model. */
function levelOf(model: GrainModel, blocks: Float32Array, full: number): number {
  const all = Array.from({ length: blocks.length / BLOCK_FLOATS }, (_, k) =>
    blocks.subarray(k * BLOCK_FLOATS, (k + 1) * BLOCK_FLOATS),
  );
  const smooth = all.sort((a, b) => a[2] - b[2]).slice(0, Math.ceil(all.length * SMOOTH_SHARE));
  if (smooth.length < NEEDED) return NaN;
  const found = smooth.map((block) => {
    const expected = expectedFineness(model, block, full);
    return expected > 0 ? blockFineness(block) / expected : 1;
  });
  return median(found);
}
