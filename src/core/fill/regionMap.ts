import { CAMERA_PLANE, type FrameMap } from '../depth/frameMap.ts';
import { MovedCorners } from './movedCorners.ts';
import { TILE, type Region } from './region.ts';

/** Where a region's tile corners lie in one source. */
export interface SourcePlaces {
  /**
   * Per surface of the region: (cols + 1)·(rows + 1) places, interleaved x, y, frame px; undefined = not known there. Only
   * corners of active tiles that may lie on it are mapped.
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

/** The places of a region's tiles in other frames, on the surfaces that lie behind them. */
export class RegionMap {
  /** Numbers of the surfaces, in the order of the places. */
  readonly surfaces: readonly number[];
  /** Per surface, of the active tiles that may lie on it. */
  private readonly used: readonly MovedCorners[];

  /**
   * @param tiles - Surface of each tile; undefined = the camera's plane everywhere.
   * @param beside - Another surface that some of them may lie on.
   */
  constructor(
    private readonly region: Region,
    private readonly motion: FrameMap,
    private readonly tiles: Uint8Array | undefined,
    beside?: { tiles: Uint8Array; surfaces: Uint8Array },
  ) {
    const { active } = region;
    this.surfaces = surfacesOn(region, tiles);
    this.used = this.surfaces.map((surface) => {
      const isBeside = (tile: number): boolean => beside?.tiles[tile] === 1 && beside.surfaces[tile] === surface;
      const isOn = (tile: number): boolean => !tiles || tiles[tile] === surface || isBeside(tile);
      return new MovedCorners(region, (tile) => active[tile] > 0 && isOn(tile));
    });
  }

  in(source: number): SourcePlaces {
    const { frame } = this.region;
    const corners = this.surfaces.map((surface, k) => {
      if (!this.motion.knows(frame, source, surface)) return undefined;
      return this.used[k].by((places) => this.motion.map(frame, source, places, surface));
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
