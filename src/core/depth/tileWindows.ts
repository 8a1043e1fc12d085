import type { Kernels } from '../../kernels/index.ts';
import type { BlockedCells } from '../image/blockedCells.ts';
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

/** Where frames' pictures are, and what of them must not be used. */
interface Looking {
  kernels: Kernels;
  pyramids: Pyramids;
  blocked: BlockedCells;
}

/** The frames that are asked about a place of one of them. */
export interface Witnesses extends Looking {
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
    return { corners, samples: known ? windowsOf(seen, s, corners, tileSide, spacing) : new Float32Array(0) };
  });
}

/** The sources nearest in time would hardly differ between surfaces: they are taken spread over all. */
export function spreadSources({ sources, frame }: Witnesses): number[] {
  const others = sources.filter((s) => s !== frame);
  const step = Math.max(1, others.length / MOST_SOURCES);
  return Array.from({ length: Math.min(MOST_SOURCES, others.length) }, (_, k) => others[Math.floor(k * step)]);
}

/** Four corners per tile, interleaved x, y. */
export function tileCorners(tiles: readonly TileWindow[], side: number): Float32Array {
  return Float32Array.from(tiles.flatMap(({ x, y }) => [x, y, x + side, y, x, y + side, x + side, y + side]));
}

/** Sample places of each tile's window, {@link WINDOW} a tile, interleaved x, y, frame px. */
export function tileWindows(kernels: Kernels, tiles: readonly TileWindow[], side: number): Float32Array {
  return kernels.scoped(() =>
    kernels.f32(windowsIn(kernels, tileCorners(tiles, side), side), tiles.length * WINDOW * 2).slice(),
  );
}

/** Luma at places of a frame; NaN where it is hidden or out of view. */
export function sampled(seen: Looking, frame: number, places: Float32Array): Float32Array {
  return seen.kernels.scoped(() => sampledAt(seen, frame, seen.kernels.put(places), places.length / 2));
}

/** The same of tiles' windows, by the places of their corners. */
export function windowsOf(
  seen: Looking,
  frame: number,
  corners: Float32Array,
  side: number,
  spacing = SPACING,
): Float32Array {
  const { kernels } = seen;
  return kernels.scoped(() =>
    sampledAt(seen, frame, windowsIn(kernels, corners, side, spacing), (corners.length / 8) * WINDOW),
  );
}

/** Sample places of each tile's window from the places of its corners: where they are in kernel memory. */
function windowsIn(kernels: Kernels, corners: Float32Array, side: number, spacing = SPACING): number {
  const n = corners.length / 8;
  const places = kernels.alloc(n * WINDOW * 8);
  kernels.run.placeWindows(kernels.put(corners), n, side, ACROSS, spacing, places);
  return places;
}

/** @param places - In kernel memory, of `n` pairs of f32. */
function sampledAt({ kernels, pyramids, blocked }: Looking, frame: number, places: number, n: number): Float32Array {
  const [{ at, width, height }] = pyramids.get(frame);
  const { cols, rows, side } = blocked;
  const cells = kernels.put(blocked.of(frame));
  const out = kernels.alloc(n * 4);
  kernels.run.sampleFree(at, width, height, pyramids.scale, places, n, cells, cols, rows, side, out);
  return kernels.f32(out, n).slice();
}

/** Whether a frame shows enough of the window at `at`. */
export const shows = (samples: Float32Array, at: number): boolean => countIn(samples, at) >= LEAST_SAMPLES;

export function countIn(samples: Float32Array, at: number): number {
  let n = 0;
  for (let i = at; i < Math.min(samples.length, at + WINDOW); i++) if (!Number.isNaN(samples[i])) n++;
  return n;
}
