import type { Kernels } from '../../kernels/index.ts';
import type { BlockedAt } from '../motion/links.ts';
import type { Pyramids } from '../motion/pyramids.ts';

/** Places of a frame, on one surface, in a source frame; false if that is not known. */
export type PlaceIn = (source: number, points: Float32Array) => boolean;

/** Samples across a tile's window, and how far apart, frame px: the window reaches a little beyond the tile. */
const ACROSS = 6;
const SPACING = 4;
/** Samples of a window. */
export const WINDOW = ACROSS * ACROSS;
/** Samples that a frame must show of a window. */
export const LEAST_SAMPLES = WINDOW * 0.7;
/** Sources asked at most. */
const MOST_SOURCES = 10;

export interface TileWindow {
  /** Index of the tile. */
  tile: number;
  /** Corner of the tile, frame px. */
  x: number;
  y: number;
}

/** The frames that are asked about a place of one of them, and where their pictures are. */
export interface Witnesses {
  kernels: Kernels;
  pyramids: Pyramids;
  blocked: BlockedAt;
  /** Whose tiles they are. */
  frame: number;
  sources: readonly number[];
  tileSide: number;
  /** Levels of the pyramids per 8-bit level. */
  unit: number;
}

/** Corners of all tiles in a frame, interleaved x, y, px, and what it shows of their windows; without samples where it is not known. */
export interface View {
  corners: Float32Array;
  samples: Float32Array;
}

/**
 * What frames show of tiles on a surface: those that are asked, if no others are given. The frame's own picture is a witness too, where it
 * is not hidden: on the rim.
 */
export function viewsOn(
  seen: Witnesses,
  place: PlaceIn,
  tiles: readonly TileWindow[],
  frames: readonly number[] = [seen.frame, ...spreadSources(seen)],
  spacing = SPACING,
): View[] {
  const { frame, tileSide } = seen;
  const from = tileCorners(tiles, tileSide);
  return frames.map((s) => {
    const corners = from.slice();
    const known = s === frame || place(s, corners);
    return { corners, samples: known ? sampled(seen, s, windowsIn(corners, tileSide, spacing)) : new Float32Array(0) };
  });
}

/** The sources nearest in time would hardly differ between surfaces: they are taken spread over all. */
export function spreadSources({ sources, frame }: Witnesses): number[] {
  const others = sources.filter((s) => s !== frame);
  const step = Math.max(1, others.length / MOST_SOURCES);
  return Array.from({ length: Math.min(MOST_SOURCES, others.length) }, (_, k) => others[Math.floor(k * step)]);
}

/** Sample places of each tile's window, {@link WINDOW} a tile, interleaved x, y, frame px. */
export const tileWindows = (tiles: readonly TileWindow[], side: number): Float32Array =>
  windowsIn(tileCorners(tiles, side), side);

/** Four corners per tile, interleaved x, y. */
export function tileCorners(tiles: readonly TileWindow[], side: number): Float32Array {
  return Float32Array.from(tiles.flatMap(({ x, y }) => [x, y, x + side, y, x, y + side, x + side, y + side]));
}

/** Sample places of each tile's window from the places of its corners. */
export function windowsIn(corners: Float32Array, side: number, spacing = SPACING): Float32Array {
  const out = new Float32Array((corners.length / 8) * WINDOW * 2);
  const first = (side - (ACROSS - 1) * spacing) / 2;
  let at = 0;
  for (let c = 0; c < corners.length; c += 8) {
    for (let j = 0; j < ACROSS; j++) {
      const v = (first + j * spacing) / side;
      for (let i = 0; i < ACROSS; i++) {
        const u = (first + i * spacing) / side;
        const a = (1 - u) * (1 - v);
        const b = u * (1 - v);
        const d = (1 - u) * v;
        for (let k = 0; k < 2; k++) {
          out[at++] = a * corners[c + k] + b * corners[c + 2 + k] + d * corners[c + 4 + k] + u * v * corners[c + 6 + k];
        }
      }
    }
  }
  return out;
}

/** Luma at places of a frame; NaN where it is hidden or out of view. */
export function sampled(
  { kernels, pyramids, blocked }: Pick<Witnesses, 'kernels' | 'pyramids' | 'blocked'>,
  frame: number,
  places: Float32Array,
): Float32Array {
  const [level] = pyramids.get(frame);
  const k = pyramids.scale;
  const out = new Float32Array(places.length / 2);
  const [right, bottom] = [level.width - 2, level.height - 2];
  kernels.scoped(() => {
    const points = kernels.alloc(places.length * 4);
    const local = kernels.f32(points, places.length);
    // Only what is in view and free is sampled: of a wide window that may be little.
    let n = 0;
    for (let i = 0; i < out.length; i++) {
      const x = Math.fround(places[2 * i] / k);
      const y = Math.fround(places[2 * i + 1] / k);
      const isInside = x >= 1 && y >= 1 && x < right && y < bottom;
      if (!isInside || blocked(frame, places[2 * i], places[2 * i + 1])) {
        out[i] = NaN;
        continue;
      }
      local[2 * n] = x;
      local[2 * n + 1] = y;
      n++;
    }
    const at = kernels.alloc(n * 4);
    kernels.run.warpPoints(level.at, level.width, level.width, level.height, points, n, at);
    const values = kernels.f32(at, n);
    for (let i = 0, j = 0; i < out.length; i++) if (out[i] === 0) out[i] = values[j++];
  });
  return out;
}

/** Whether a frame shows enough of the window at `at`. */
export const shows = (samples: Float32Array, at: number): boolean => countIn(samples, at) >= LEAST_SAMPLES;

export function countIn(samples: Float32Array, at: number): number {
  let n = 0;
  for (let i = at; i < Math.min(samples.length, at + WINDOW); i++) if (!Number.isNaN(samples[i])) n++;
  return n;
}
