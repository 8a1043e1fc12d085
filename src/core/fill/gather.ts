import type { Kernels } from '../../kernels/index.ts';
import type { FrameMap } from '../depth/frameMap.ts';
import { median } from '../geometry/linear.ts';
import type { FrameFormat, FrameReader, Rect } from '../image/format.ts';
import { Fusion, type Statistic, type Weights } from './fusion.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import type { LightFit } from './light.ts';
import { middleOf, readRegionPlane, type Region } from './region.ts';
import { RegionMap, surfacesBehind } from './regionMap.ts';
import { measureLights } from './rimLight.ts';
import { rimWindows } from './rimWindows.ts';
import { partAround, type SourceFrames } from './sourceFrames.ts';
import { fuseTwo, surfacesBeside, type NearerIn } from './twoSurfaces.ts';

/** Windows of the rim in which a source's light and error are measured. */
const RIM_WINDOWS = 120;
/** Room around the mapped region for the cubic's support and the residual mesh, px. */
const MAP_MARGIN = 12;
/** Agreement between sources: times their typical error, plus a share of an 8-bit level. */
const TAU_SIGMAS = 2.5;
const TAU_LEVELS = 1;
/** Colour is coded worse, and people differ from what is behind them by more. */
const TAU_COLOUR_LEVELS = 4;
/**
 * What is lost to blur is lost to all blurred sources alike, and does not average out as errors do: it weighs so many times as much, where
 * it is more than a share of the usual error (both as variances).
 */
const BLUR_WEIGHS = 5;
const BLUR_SHARE = 0.1;
/** Time distance, frames, at which a source weighs half. */
const HALF_WEIGHT = 40;

/** Part of frame `source` that a region of another frame maps to. */
export function neededRect(region: Region, source: number, motion: FrameMap, format: FrameFormat): Rect {
  const { x, y, width, height } = region.rect;
  const points: number[] = [];
  for (const v of [0, 0.5, 1]) for (const u of [0, 0.5, 1]) points.push(x + u * width, y + v * height);
  const mapped = surfacesBehind(region, motion).flatMap((surface) => {
    const places = Float64Array.from(points);
    motion.map(region.frame, source, places, surface);
    return [...places];
  });
  return partAround(mapped, MAP_MARGIN, format);
}

export const union = (a: Rect | undefined, b: Rect): Rect => {
  if (!a) return b;
  const x = Math.min(a.x, b.x);
  const y = Math.min(a.y, b.y);
  return {
    x,
    y,
    width: Math.max(a.x + a.width, b.x + b.width) - x,
    height: Math.max(a.y + a.height, b.y + b.height) - y,
  };
};

/** Fetches the background of regions from other frames. */
export class Gatherer {
  private readonly unit: number;

  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly motion: FrameMap,
    private readonly sourceFrames: SourceFrames,
    /** Strength of the light match, 0..1. */
    private readonly light: number,
    private readonly statistic: Statistic = 'mean',
  ) {
    this.unit = 2 ** (frames.format.depth - 8);
  }

  /**
   * Samples each source through one composed motion, corrects its light by what the rim shows, and fuses those that
   * agree. Sources may include the frame itself.
   */
  gather(region: Region, sources: readonly number[]): Gathered {
    const { colourPlanes } = this.frames.format;
    const own = Array.from({ length: colourPlanes }, (_, p) => readRegionPlane(this.frames, region, p));
    const out = nothingOf(region, sources, own);
    if (sources.length > 0) this.kernels.scoped(() => this.run(out));
    return out;
  }

  private run(out: Gathered): void {
    const { kernels, motion } = this;
    const { region, sources } = out;
    const { format } = this.frames;
    const tiles = motion.surfaces(region.frame);
    const beside = tiles && surfacesBeside(region, tiles);
    const map = new RegionMap(region, motion, tiles, beside);
    const places = sources.map((s) => map.in(s));
    const rim = rimWindows(region, RIM_WINDOWS);
    const views = sources.map((s, k) => ({
      frame: () => this.sourceFrames.get(s),
      points: map.placesOf(rim, places[k]),
    }));
    const lights = measureLights(kernels, format, region, out.own, rim, views, this.unit);
    const weights = this.weigh(region.frame, sources, lights);
    [out.tau] = weights.tau;
    const fusion = new Fusion(kernels, format, this.sourceFrames, this.statistic, { region, map, places, weights });
    if (!beside) return fusion.run(out, { surfaces: tiles });
    const isNearer: NearerIn = (tile, one, other) =>
      motion.isNearer(region.frame, one, other, ...middleOf(region, tile));
    fuseTwo(fusion, out, tiles, beside, isNearer);
  }

  /** Usual error of the sources, of a plane. */
  private typicalOf(lights: LightFit[][], plane: number): number {
    const measured = lights.map((l) => l[plane].sigma).filter((s) => Number.isFinite(s));
    return Math.max(measured.length > 0 ? median(measured) : 2 * this.unit, this.unit / 4);
  }

  /** Gain, offset and weight per source and plane, flattened, and the scale of agreement. */
  private weigh(t: number, sources: readonly number[], lights: LightFit[][]): Weights {
    const typical = this.typicalOf(lights, 0);
    const params = lights[0].map((_, plane) =>
      lights.flatMap((l, k) => {
        const { gain, offset } = l[plane];
        const sigma = Number.isFinite(l[0].sigma) ? Math.max(l[0].sigma, typical / 2) : typical * 1.5;
        const blur = Math.max(0, l[0].lost / typical ** 2 - BLUR_SHARE);
        const quality = Math.min(1, (typical / sigma) ** 2) / (1 + BLUR_WEIGHS * blur);
        const weight = quality / (1 + Math.abs(sources[k] - t) / HALF_WEIGHT);
        return [1 + this.light * (gain - 1), this.light * offset, weight];
      }),
    );
    const tau = lights[0].map((_, plane) => {
      const levels = plane === 0 ? TAU_LEVELS : TAU_COLOUR_LEVELS;
      return TAU_SIGMAS * this.typicalOf(lights, plane) + levels * this.unit;
    });
    return { params, tau };
  }
}
