import { CELL, offsetGrid } from './offsetGrid.ts';
import type { Region } from './region.ts';

/** How far a luma is from all that is shown around a cell, in the planes' levels; 0 within it, Infinity where nothing is shown. */
export type Beyond = (luma: number, cell: number) => number;

/** The darkest and the brightest luma that is shown in each cell of a region's offset grid. */
export class ShownLuma {
  private readonly cols: number;
  private readonly rows: number;
  private readonly darkest: Float32Array;
  private readonly brightest: Float32Array;

  constructor(region: Region) {
    const { cols, rows } = offsetGrid(region);
    [this.cols, this.rows] = [cols, rows];
    this.darkest = new Float32Array(cols * rows).fill(Infinity);
    this.brightest = new Float32Array(cols * rows).fill(-Infinity);
  }

  /** Adds what is shown of a row of px, whose first one is a cell's first. @param luma, isShown - Per px of the region. */
  add(luma: Float32Array, isShown: Uint8Array, from: number, to: number, firstCell: number): void {
    const { darkest, brightest } = this;
    for (let i = from; i < to; i++) {
      if (isShown[i] === 0) continue;
      const cell = firstCell + Math.floor((i - from) / CELL);
      if (luma[i] < darkest[cell]) darkest[cell] = luma[i];
      if (luma[i] > brightest[cell]) brightest[cell] = luma[i];
    }
  }

  /** Tells lumas from what is shown in the 3 by 3 cells around one, from the darkest to the brightest of it. */
  around(): Beyond {
    const darkest = this.ofNeighbours(this.darkest, Math.min);
    const brightest = this.ofNeighbours(this.brightest, Math.max);
    return (luma, cell) => Math.max(0, darkest[cell] - luma, luma - brightest[cell]);
  }

  /** Of each cell and those around it one value. */
  private ofNeighbours(of: Float32Array, pick: (a: number, b: number, c: number) => number): Float32Array {
    const { cols, rows } = this;
    const across = of.map((v, i) => pick(i % cols > 0 ? of[i - 1] : v, v, (i + 1) % cols > 0 ? of[i + 1] : v));
    const last = (rows - 1) * cols;
    return across.map((v, i) => pick(i >= cols ? across[i - cols] : v, v, i < last ? across[i + cols] : v));
  }
}
