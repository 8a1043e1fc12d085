import type { FrameFormat } from '../image/format.ts';
import { partOf, planeSize, TILE, type Region } from './region.ts';

type Values = Float32Array | Uint8Array;

/**
 * The smallest part of a region that has all tiles of a set, as a region by itself: what is done where a little is left
 * open costs as much as that, and not as the whole hole's box.
 */
export class Crop {
  /** Of its tiles only those of the set are active. */
  readonly region: Region;
  /** Luma px of its first column and row in the whole region. */
  private readonly x: number;
  private readonly y: number;

  /** @param tiles - 1 for those of the set, which must not be empty. */
  constructor(
    private readonly whole: Region,
    private readonly format: FrameFormat,
    tiles: Uint8Array,
  ) {
    const { cols } = whole;
    let [c0, c1, r0, r1] = [cols, 0, whole.rows, 0];
    tiles.forEach((is, tile) => {
      if (is === 0) return;
      const [c, r] = [tile % cols, Math.floor(tile / cols)];
      [c0, c1, r0, r1] = [Math.min(c0, c), Math.max(c1, c + 1), Math.min(r0, r), Math.max(r1, r + 1)];
    });
    [this.x, this.y] = [c0 * TILE, r0 * TILE];
    const size = { width: (c1 - c0) * TILE, height: (r1 - r0) * TILE };
    const { active, rect } = partOf(whole, tiles);
    this.region = {
      frame: whole.frame,
      rect: { x: rect.x + this.x, y: rect.y + this.y, ...size },
      cols: c1 - c0,
      rows: r1 - r0,
      active: cut(active, cols, c0, r0, c1 - c0, r1 - r0),
      alpha: cut(whole.alpha, rect.width, this.x, this.y, size.width, size.height),
      known: cut(whole.known, rect.width, this.x, this.y, size.width, size.height),
    };
  }

  /** Samples of a plane in this part. @param values - Of the whole region. */
  of<T extends Values>(values: T, plane = 0): T {
    const { stepX, stepY } = this.format.planes[plane];
    const { width, height } = planeSize(this.region, this.format, plane);
    return cut(values, this.whole.rect.width / stepX, this.x / stepX, this.y / stepY, width, height);
  }

  /** Writes samples of a plane in this part to where they are in the whole region. */
  putBack(values: Values, into: Values, plane = 0): void {
    const { stepX, stepY } = this.format.planes[plane];
    const { width, height } = planeSize(this.region, this.format, plane);
    const stride = this.whole.rect.width / stepX;
    for (let y = 0; y < height; y++) {
      into.set(values.subarray(y * width, (y + 1) * width), (this.y / stepY + y) * stride + this.x / stepX);
    }
  }
}

function cut<T extends Values>(values: T, stride: number, x: number, y: number, w: number, h: number): T {
  const out = new (values.constructor as new (n: number) => T)(w * h);
  for (let row = 0; row < h; row++) {
    const from = (y + row) * stride + x;
    out.set(values.subarray(from, from + w), row * w);
  }
  return out;
}
