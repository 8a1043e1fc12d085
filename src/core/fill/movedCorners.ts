import { tileCorners, type Region } from './region.ts';

/** Corners of some of a region's tiles, which are moved to where they lie in other frames: the others are not asked for. */
export class MovedCorners {
  /** Of all tiles. */
  private readonly all: Float32Array;
  private readonly numbers: Int32Array;
  private readonly places: Float32Array;

  /** @param isWanted - Whether a tile's corners are wanted, by its number. */
  constructor(region: Region, isWanted: (tile: number) => boolean) {
    const { cols, active } = region;
    const wanted = new Set<number>();
    for (let tile = 0; tile < active.length; tile++) {
      if (!isWanted(tile)) continue;
      const first = Math.floor(tile / cols) * (cols + 1) + (tile % cols);
      for (const k of [first, first + 1, first + cols + 1, first + cols + 2]) wanted.add(k);
    }
    this.all = tileCorners(region);
    this.numbers = Int32Array.from(wanted);
    this.places = new Float32Array(2 * this.numbers.length);
    this.numbers.forEach((k, i) => {
      this.places[2 * i] = this.all[2 * k];
      this.places[2 * i + 1] = this.all[2 * k + 1];
    });
  }

  /**
   * @param move - Overwrites places, interleaved x, y, frame px.
   * @returns Of all corners, (cols + 1)·(rows + 1), interleaved; those that are not wanted stay where they are.
   */
  by(move: (places: Float32Array) => void): Float32Array {
    const moved = this.places.slice();
    move(moved);
    const out = this.all.slice();
    this.numbers.forEach((k, i) => {
      out[2 * k] = moved[2 * i];
      out[2 * k + 1] = moved[2 * i + 1];
    });
    return out;
  }
}
