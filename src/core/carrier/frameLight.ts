import type { Kernels } from '../../kernels/index.ts';
import { FREE, type MatteCells } from '../image/matteCells.ts';
import type { Pyramids } from '../motion/pyramids.ts';

/** A picture's light at a place, 8-bit levels; not a number where it has none or something covers it. Px of the mattes. */
export type LightAt = (x: number, y: number) => number;

/** What free places of frames show, from pictures that are made for the motion anyway. */
export class FrameLight {
  constructor(
    private readonly kernels: Kernels,
    private readonly pyramids: Pyramids,
    private readonly cells: MatteCells,
    /** Px of the mattes per px of the frames. */
    private readonly factor: number,
    /** Values of a sample per 8-bit level. */
    private readonly perLevel: number,
  ) {}

  of(frame: number): LightAt {
    const { cell, cols, rows, state } = this.cells;
    const [{ at, width, height }] = this.pyramids.get(frame);
    const light = this.kernels.u16(at, width * height).slice();
    const scale = this.pyramids.scale * this.factor;
    const first = frame * cols * rows;
    return (x, y) => {
      const [c, r] = [Math.floor((x + 0.5) / cell), Math.floor((y + 0.5) / cell)];
      if (c < 0 || r < 0 || c >= cols || r >= rows || state[first + r * cols + c] !== FREE) return NaN;
      const [u, v] = [x / scale, y / scale];
      const [i, j] = [Math.floor(u), Math.floor(v)];
      if (i < 0 || j < 0 || i + 1 >= width || j + 1 >= height) return NaN;
      const k = j * width + i;
      const [p, q] = [u - i, v - j];
      const above = light[k] + (light[k + 1] - light[k]) * p;
      const below = light[k + width] + (light[k + width + 1] - light[k + width]) * p;
      return (above + (below - above) * q) / this.perLevel;
    };
  }
}
