import type { Kernels } from '../../kernels/index.ts';
import { grow, intersect, snap, type FrameFormat, type Rect } from '../image/format.ts';
import { CAMERA_PLANE, type FrameMap } from '../depth/frameMap.ts';
import type { Gathered } from './gathered.ts';
import type { Incomplete } from './patches.ts';
import { patchFill } from './patchFill.ts';
import { MovedCorners } from './movedCorners.ts';
import { planeSize, TILE, type Region } from './region.ts';
import { warpPlane } from './warpPlane.ts';
import { wordsOf } from '../image/mapped.ts';

/** A picture of the background at one frame, which moves as that does. Plain data. */
export interface Plate {
  frame: number;
  rect: Rect;
  /** Per colour plane, samples scaled to 16 bit. */
  planes: Uint16Array[];
  /** Per luma px of the rectangle: 1 = it shows the background there; missing = everywhere. */
  known?: Uint8Array;
  /** It is carried by the surfaces behind a hole, and not by the camera's plane: see `carriedPlate.ts`. */
  byDepth?: boolean;
}

/** How far around the unseen part patches are looked for, as a share of the frame's long side. */
const SEARCH_SHARE = 0.09;
/** The same on something that is not much larger than what it carries: a share of that, and tiles at least. */
const NARROW_SHARE = 0.35;
const NARROW_TILES = 2;
/** Room beyond the frame, so that patches at its border have a centre, px. */
const BEYOND = TILE;

/**
 * Rectangle of the plate that completes the given cells of a frame.
 * @param narrow - What is around lies on something of which little may be seen.
 */
export function plateRect(box: Rect, format: FrameFormat, narrow = false): Rect {
  const wide = Math.ceil(Math.max(format.width, format.height) * SEARCH_SHARE);
  const beside = Math.ceil(Math.sqrt(box.width * box.height) * NARROW_SHARE);
  const margin = narrow ? Math.min(wide, Math.max(NARROW_TILES * TILE, beside)) : wide;
  const allowed = grow({ x: 0, y: 0, width: format.width, height: format.height }, BEYOND);
  return snap(intersect(grow(box, margin), allowed), TILE);
}

/**
 * Completes a gathered region with patches of itself.
 * @param beside - What is seen of it next to mattes alone: patches go on from it too.
 */
export function buildPlate(
  kernels: Kernels,
  gathered: Gathered,
  format: FrameFormat,
  seed: number,
  beside?: Gathered,
): Plate {
  const picture = toPicture(gathered, format);
  if (beside) lay(picture, toPicture(beside, format));
  const filled = picture.missing.includes(1) ? patchFill(kernels, picture, seed) : picture.colour;
  const { region } = gathered;
  return { frame: region.frame, rect: region.rect, planes: toPlanes(filled, region, format) };
}

/** Lays what a picture shows over another. */
function lay(under: Incomplete, over: Incomplete): void {
  over.missing.forEach((missing, i) => {
    if (missing === 1) return;
    under.colour.set(over.colour.subarray(4 * i, 4 * i + 4), 4 * i);
    under.missing[i] = 0;
  });
}

/** Colour at luma size in 8-bit levels; missing where no source saw it. */
function toPicture({ region, planes, support }: Gathered, format: FrameFormat): Incomplete {
  const { width, height } = region.rect;
  const colour = new Float32Array(width * height * 4);
  const missing = new Uint8Array(width * height);
  const perLevel = 2 ** (format.depth - 8);
  for (let i = 0; i < missing.length; i++) missing[i] = support[i] > 0 ? 0 : 1;
  planes.forEach((samples, plane) => {
    const { stepX, stepY } = format.planes[plane];
    const w = planeSize(region, format, plane).width;
    for (let y = 0, i = 0; y < height; y++) {
      const row = Math.floor(y / stepY) * w;
      for (let x = 0; x < width; x++, i++) colour[4 * i + plane] = samples[row + Math.floor(x / stepX)] / perLevel;
    }
  });
  return { width, height, colour, missing };
}

function toPlanes(colour: Float32Array, region: Region, format: FrameFormat): Uint16Array[] {
  const { width } = region.rect;
  return Array.from({ length: format.colourPlanes }, (_, plane) => {
    const { stepX, stepY } = format.planes[plane];
    const size = planeSize(region, format, plane);
    const out = new Uint16Array(size.width * size.height);
    for (let y = 0; y < size.height; y++) {
      for (let x = 0; x < size.width; x++) {
        let sum = 0;
        for (let b = 0; b < stepY; b++) {
          for (let a = 0; a < stepX; a++) sum += colour[4 * ((y * stepY + b) * width + x * stepX + a) + plane];
        }
        out[y * size.width + x] = Math.min(65535, Math.max(0, Math.round((sum / (stepX * stepY)) * 256)));
      }
    }
    return out;
  });
}

/** Tiles of a region, cols·rows, 1 = in the set. */
interface PlateTiles {
  /** In which a plate is sampled; elsewhere the samples are 0. */
  wanted: Uint8Array;
  /** Of these, those that it may cover. */
  used: Uint8Array;
  /** The surface by which each is carried; undefined = the camera's plane everywhere. */
  lies?: Uint8Array;
}

/** Tiles of a region, 1 = in the set, and where one of the surfaces behind it puts their corners in a plate's frame, px. */
interface OnOneSurface {
  tiles: Uint8Array;
  corners: Float32Array;
}

/**
 * A plate seen from another frame's region.
 * @param motion - Knows the surfaces.
 * @param count - How many of its planes are wanted.
 * @returns Samples per plane, and where the plate covers (1 per luma px).
 */
export function samplePlate(
  kernels: Kernels,
  plate: Plate,
  region: Region,
  { wanted, used, lies }: PlateTiles,
  motion: Pick<FrameMap, 'map'>,
  format: FrameFormat,
  count = plate.planes.length,
): { planes: Float32Array[]; covers: Uint8Array } {
  const surfaces = bySurface(region, wanted, lies, plate.frame, motion);
  const planes = plate.planes
    .slice(0, count)
    .map((samples, plane) => samplePlane(kernels, plate, samples, region, surfaces, format, plane));
  const covers = new Uint8Array(region.alpha.length);
  for (const { tiles, corners } of surfaces) {
    const covered = tiles.map((on, i) => on & used[i]);
    cover(covers, corners, region, covered, plate.rect);
    if (plate.known) keepKnown(kernels, plate.known, plate.rect, corners, region, tiles, covers);
  }
  return { planes, covers };
}

function bySurface(
  region: Region,
  wanted: Uint8Array,
  lies: Uint8Array = new Uint8Array(wanted.length).fill(CAMERA_PLANE),
  to: number,
  motion: Pick<FrameMap, 'map'>,
): OnOneSurface[] {
  const numbers = [...new Set(lies.filter((_, i) => wanted[i] === 1))];
  return numbers.map((surface) => {
    const tiles = wanted.map((is, i) => (is === 1 && lies[i] === surface ? 1 : 0));
    const corners = new MovedCorners(region, (tile) => tiles[tile] === 1);
    return { tiles, corners: corners.by((places) => motion.map(region.frame, to, places, surface)) };
  });
}

function samplePlane(
  kernels: Kernels,
  { rect }: Plate,
  samples: Uint16Array,
  region: Region,
  surfaces: readonly OnOneSurface[],
  format: FrameFormat,
  plane: number,
): Float32Array {
  const { cols, rows } = region;
  const { stepX, stepY } = format.planes[plane];
  const size = planeSize(region, format, plane);
  const perLevel = 2 ** (format.depth - 8);
  return kernels.scoped(() => {
    const out = kernels.alloc(size.width * size.height * 4);
    // Numbers everywhere: what is made of the samples reaches across the border of the wanted tiles.
    kernels.f32(out, size.width * size.height).fill(0);
    const picture = { at: kernels.put(samples), width: rect.width / stepX, height: rect.height / stepY };
    for (const { tiles, corners } of surfaces) {
      const local = corners.map((v, i) => (i % 2 === 0 ? (v - rect.x) / stepX : (v - rect.y) / stepY));
      warpPlane(kernels, picture, local, cols, rows, tiles, stepX, stepY, out);
    }
    const values = kernels.f32(out, size.width * size.height).slice();
    for (let i = 0; i < values.length; i++) values[i] *= perLevel / 256;
    return values;
  });
}

/** A px taken from between known and unknown ones counts from this share on. */
const KNOWN_SHARE = 0.98;

/** Takes from what is covered the px at which the plate knows nothing. */
function keepKnown(
  kernels: Kernels,
  known: Uint8Array,
  rect: Rect,
  corners: Float32Array,
  { cols, rows }: Region,
  wanted: Uint8Array,
  covers: Uint8Array,
): void {
  kernels.scoped(() => {
    const full = wordsOf(known, (k) => k * 255);
    const local = corners.map((v, i) => v - (i % 2 === 0 ? rect.x : rect.y));
    const out = kernels.alloc(covers.length * 4);
    const picture = { at: kernels.put(full), width: rect.width, height: rect.height };
    warpPlane(kernels, picture, local, cols, rows, wanted, 1, 1, out);
    const share = kernels.f32(out, covers.length);
    for (let i = 0; i < covers.length; i++) if (share[i] < KNOWN_SHARE * 255) covers[i] = 0;
  });
}

/** Marks the px of tiles whose corners all lie well inside the plate. @param tiles - Those that may count. */
function cover(
  covers: Uint8Array,
  corners: Float32Array,
  { cols, rows }: Region,
  tiles: Uint8Array,
  plate: Rect,
): void {
  const width = cols * TILE;
  const inside = (k: number): boolean => {
    const [x, y] = [corners[2 * k] - plate.x, corners[2 * k + 1] - plate.y];
    return x >= 1 && y >= 1 && x <= plate.width - 1 && y <= plate.height - 1;
  };
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      const k = r * (cols + 1) + c;
      if (!tiles[r * cols + c] || ![k, k + 1, k + cols + 1, k + cols + 2].every(inside)) continue;
      for (let y = r * TILE; y < (r + 1) * TILE; y++) covers.fill(1, y * width + c * TILE, y * width + (c + 1) * TILE);
    }
  }
}
