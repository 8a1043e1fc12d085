import { evenly } from '../evenly.ts';
import { median } from '../geometry/linear.ts';
import { bilinear } from '../image/bilinear.ts';
import { CHANNELS } from '../outline/colourModel.ts';
import type { MaskPatch } from './maskPatch.ts';

/** Side of the blocks of which each has a depth of its own, px, and how many of them are looked at. */
const BLOCK = 8;
const MOST_BLOCKS = 16;
/** Less than this on the camera's plane, nothing is told from noise: sum of the channels, 8-bit levels. */
const LEAST_UNLIKENESS = 4;
/** Sources that must show a px. */
const LEAST_SOURCES = 2;

/** Colours of a frame, {@link CHANNELS} a px, 8-bit levels. */
export interface SeenColours {
  width: number;
  height: number;
  colours: Float32Array;
}

/** Another frame, and where it shows places (interleaved x, y, px) of the one that is looked at. */
export interface SweptSource extends SeenColours {
  /** @param depth - Without it, as the camera's plane goes. */
  place: (places: Float64Array, depth?: number) => Float64Array;
}

/** Px of a frame, interleaved x, y. */
type Block = Float64Array;

/** Looks for what a frame shows in other ones, at depths that are tried (plane sweep: Collins 1996). */
export class DepthSweep {
  constructor(
    private readonly frame: SeenColours,
    private readonly sources: readonly SweptSource[],
  ) {}

  /**
   * How unlike what lies under a mask is in other frames at the likeliest of some depths, block by block, against how unlike it is on the
   * camera's plane; undefined where too little is seen of it, or it is like there.
   */
  unlikeness(mask: MaskPatch, depths: readonly number[]): number | undefined {
    let [onPlane, atBest] = [0, 0];
    let told = 0;
    for (const block of evenly(blocksOf(mask), MOST_BLOCKS)) {
      const plane = this.cost(block);
      const best = Math.min(...depths.map((depth) => this.cost(block, depth)).filter((v) => !Number.isNaN(v)));
      if (Number.isNaN(plane) || !Number.isFinite(best)) continue;
      onPlane += plane * block.length;
      atBest += best * block.length;
      told += block.length;
    }
    return onPlane > LEAST_UNLIKENESS * told ? atBest / onPlane : undefined;
  }

  /** The mean over a block's px of what half of the sources at least differ by. */
  private cost(block: Block, depth?: number): number {
    const differences = this.sources.map((source) => this.differences(source, block, depth));
    let [sum, n] = [0, 0];
    for (let i = 0; i < block.length / 2; i++) {
      const own = differences.map((d) => d[i]).filter((v) => !Number.isNaN(v));
      if (own.length < LEAST_SOURCES) continue;
      sum += median(own);
      n++;
    }
    return sum / n;
  }

  /** Per px the sum over the channels; NaN where a source does not show it. */
  private differences(source: SweptSource, block: Block, depth?: number): Float32Array {
    const { width, height, colours } = source;
    const to = source.place(block, depth);
    return Float32Array.from({ length: block.length / 2 }, (_, i) => {
      const [x, y] = [to[2 * i], to[2 * i + 1]];
      if (!(x >= 0 && y >= 0 && x < width - 1 && y < height - 1)) return NaN;
      const own = CHANNELS * (block[2 * i + 1] * this.frame.width + block[2 * i]);
      let sum = 0;
      for (let c = 0; c < CHANNELS; c++)
        sum += Math.abs(bilinear(colours, width, x, y, CHANNELS, c) - this.frame.colours[own + c]);
      return sum;
    });
  }
}

/** The px of a mask, by the blocks of the frame that they lie in. */
function blocksOf({ x, y, width, data }: MaskPatch): Block[] {
  const blocks = new Map<string, number[]>();
  data.forEach((v, i) => {
    if (!v) return;
    const [px, py] = [x + (i % width), y + Math.floor(i / width)];
    const key = `${Math.floor(px / BLOCK)} ${Math.floor(py / BLOCK)}`;
    const block = blocks.get(key) ?? [];
    block.push(px, py);
    blocks.set(key, block);
  });
  return [...blocks.values()].map((block) => Float64Array.from(block));
}
