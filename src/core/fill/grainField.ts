import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import { GRAIN_SIDE, kernelNumber, PHASES, type GrainModel } from './grain.ts';
import type { GrainDrift } from './grainDrift.ts';
import { HOLE_TILE, planeSize, runsOf, TILE, type Region } from './region.ts';

/** Tiles of a square that share one shift of the pattern that stays, each way. */
const TOGETHER = 2;

/** Tiles under which the pattern that stays is shifted alike: whole samples, and the kernel for the rest. */
interface Shifted {
  x: number;
  y: number;
  kernel: number;
  tiles: number[];
}

/** Noise with a grain's correlation. Part of it is new in every frame, part stays with the scene: what a codec repeats. */
export class GrainField {
  constructor(
    private readonly kernels: Kernels,
    private readonly drift: GrainDrift,
    private readonly format: FrameFormat,
    /** Correlation from frame to frame, 0..1. */
    private readonly stillness: number,
    private readonly seed: number,
  ) {}

  /** Noise of variance 1, but for what is too slow for grain, on the tiles of the hole. It depends on frame and place alone. */
  make(model: GrainModel, region: Region, plane: number): Float32Array {
    const { stillness } = this;
    const hole = region.active.map((a) => (a === HOLE_TILE ? 1 : 0));
    const fresh = this.noise(model, region, plane, region.frame + 1, [
      { x: 0, y: 0, kernel: kernelNumber(0, 0), tiles: [...hole.keys()].filter((i) => hole[i] === 1) },
    ]);
    if (stillness <= 0) return fresh;
    const still = this.noise(model, region, plane, 0, this.shifts(region, hole, plane));
    const [a, b] = [Math.sqrt(1 - stillness), Math.sqrt(stillness)];
    const runs = runsOf(region, this.format, plane, HOLE_TILE);
    for (let k = 0; k < runs.length; k += 2) {
      for (let i = runs[k]; i < runs[k + 1]; i++) fresh[i] = a * fresh[i] + b * still[i];
    }
    return fresh;
  }

  /** How the pattern lies under squares of the hole's tiles. */
  private shifts(region: Region, hole: Uint8Array, plane: number): Shifted[] {
    const { rect, cols } = region;
    const { stepX, stepY } = this.format.planes[plane];
    const out = new Map<string, Shifted>();
    hole.forEach((inHole, tile) => {
      if (inHole === 0) return;
      const [dx, dy] = this.drift.at(
        region.frame,
        middleOfSquare(rect.x / TILE + (tile % cols)),
        middleOfSquare(rect.y / TILE + Math.floor(tile / cols)),
      );
      const [x, across] = parted(dx / stepX);
      const [y, down] = parted(dy / stepY);
      const key = `${x} ${y} ${across} ${down}`;
      const same = out.get(key);
      if (same) same.tiles.push(tile);
      else out.set(key, { x, y, kernel: kernelNumber(across, down), tiles: [tile] });
    });
    return [...out.values()];
  }

  private noise(
    model: GrainModel,
    region: Region,
    plane: number,
    pattern: number,
    groups: readonly Shifted[],
  ): Float32Array {
    const { kernels } = this;
    const { stepX, stepY } = this.format.planes[plane];
    const { width: w, height: h } = planeSize(region, this.format, plane);
    const tiles = [region.cols, TILE / stepX, TILE / stepY] as const;
    const [left, top] = [region.rect.x / stepX, region.rect.y / stepY];
    const seed = seedOf(this.seed, pattern, plane);
    return kernels.scoped(() => {
      const white = kernels.alloc(w * h * 4);
      const out = kernels.alloc(w * h * 4);
      const mask = kernels.alloc(region.active.length);
      for (const { x, y, kernel, tiles: own } of groups) {
        const only = kernels.u8(mask, region.active.length).fill(0);
        for (const i of own) only[i] = 1;
        kernels.run.whiteNoise(white, w, h, left + x, top + y, seed, mask, ...tiles);
        kernels.scoped(() => {
          const taps = kernels.put(model.kernels[kernel]);
          kernels.run.correlateTiles(white, w, h, taps, GRAIN_SIDE, out, mask, ...tiles);
        });
      }
      return kernels.f32(out, w * h).slice();
    });
  }
}

/** Middle of the square of tiles that a tile is in, px; squares are counted from the frame's corner. */
const middleOfSquare = (tile: number): number => (Math.floor(tile / TOGETHER) + 0.5) * TOGETHER * TILE;

/** A shift in whole samples, and in quarters what is left. */
function parted(shift: number): [number, number] {
  const quarters = Math.round(shift * PHASES);
  const whole = Math.floor((quarters + PHASES / 2) / PHASES);
  return [whole, quarters - whole * PHASES];
}

const seedOf = (seed: number, pattern: number, plane: number): number =>
  (Math.imul(seed, 0x9e3779b1) ^ Math.imul(pattern, 0x85ebca6b) ^ (plane * 0x27d4eb2f)) >>> 0;
