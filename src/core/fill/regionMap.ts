import { CAMERA_PLANE, type FrameMap } from '../depth/frameMap.ts';
import { TILE, tileCorners, type Region } from './region.ts';

/** Where a region's tile corners lie in one source. */
export interface SourcePlaces {
  /**
   * Per surface of the region: (cols + 1)·(rows + 1) places, interleaved x, y, frame px; undefined = not known there. Only
   * corners of active tiles are mapped.
   */
  corners: (Float32Array | undefined)[];
}

/** Numbers of the surfaces that lie behind a region's active tiles. */
export const surfacesBehind = (region: Region, motion: FrameMap): number[] =>
  surfacesOn(region, motion.surfaces(region.frame));

function surfacesOn({ active }: Region, tiles: Uint8Array | undefined): number[] {
  const used = tiles?.filter((_, i) => active[i] > 0);
  return used ? [...new Set(used)].sort((a, b) => a - b) : [CAMERA_PLANE];
}

/** Numbers of the corners of active tiles. */
function cornersUsed({ cols, active }: Region): number[] {
  const out = new Set<number>();
  active.forEach((a, tile) => {
    const first = Math.floor(tile / cols) * (cols + 1) + (tile % cols);
    if (a > 0) for (const k of [first, first + 1, first + cols + 1, first + cols + 2]) out.add(k);
  });
  return [...out];
}

/** The places of a region's tiles in other frames, on the surfaces that lie behind them. */
export class RegionMap {
  /** Numbers of the surfaces, in the order of the places. */
  readonly surfaces: readonly number[];
  private readonly own: Float32Array;
  /** Numbers and places of the corners of active tiles. */
  private readonly used: { of: number[]; places: Float32Array };

  /** @param tiles - Surface of each tile; undefined = the camera's plane everywhere. */
  constructor(
    private readonly region: Region,
    private readonly motion: FrameMap,
    private readonly tiles: Uint8Array | undefined,
  ) {
    this.surfaces = surfacesOn(region, tiles);
    this.own = tileCorners(region);
    const of = cornersUsed(region);
    this.used = { of, places: Float32Array.from(of.flatMap((k) => [this.own[2 * k], this.own[2 * k + 1]])) };
  }

  in(source: number): SourcePlaces {
    const { frame } = this.region;
    const corners = this.surfaces.map((surface) => {
      if (!this.motion.knows(frame, source, surface)) return undefined;
      const { of, places } = this.used;
      const mapped = places.slice();
      this.motion.map(frame, source, mapped, surface);
      const out = this.own.slice();
      of.forEach((corner, k) => out.set(mapped.subarray(2 * k, 2 * k + 2), 2 * corner));
      return out;
    });
    return { corners };
  }

  /**
   * Places of some of the region's px in a source, by bilinear interpolation inside tiles; out of view where not known.
   * @param px - Indices row·width + column.
   */
  placesOf(px: Int32Array, { corners }: SourcePlaces): Float32Array {
    const { rect, cols } = this.region;
    const out = new Float32Array(px.length * 2).fill(-1e6);
    for (let i = 0; i < px.length; i++) {
      const x = px[i] % rect.width;
      const y = (px[i] - x) / rect.width;
      const [c, r] = [Math.floor(x / TILE), Math.floor(y / TILE)];
      const map = corners[this.tiles ? this.surfaces.indexOf(this.tiles[r * cols + c]) : 0];
      if (!map) continue;
      const [u, v] = [x / TILE - c, y / TILE - r];
      const a = 2 * (r * (cols + 1) + c);
      const b = a + 2 * (cols + 1);
      for (let k = 0; k < 2; k++) {
        const top = map[a + k] * (1 - u) + map[a + 2 + k] * u;
        out[2 * i + k] = top * (1 - v) + (map[b + k] * (1 - u) + map[b + 2 + k] * u) * v;
      }
    }
    return out;
  }
}
