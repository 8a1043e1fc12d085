import { boxMean } from '../image/boxMean.ts';
import { bytesPerSample, grow, intersect, planeViews, type FrameReader, type Rect } from '../image/format.ts';
import { bytesOf } from '../image/mapped.ts';
import { vertex } from '../geometry/vertex.ts';
import { readBlocked } from '../image/matteCells.ts';
import { union } from './gather.ts';

/** Where a donor lies from the hole that it fills, px of the frame as stored. */
export interface Offset {
  dx: number;
  dy: number;
}

/** How far from the given offset is looked, px. */
export const FIT_REACH = 32;
/** The rim of the hole that is compared: from and up to so many px outside of the matte. */
const RIM_FROM = 2;
const RIM_TO = 13;
/** Only what is finer than this counts, px: light is matched along the border anyway. */
const FINE = 12;
/** Px of the rim that are compared at each offset, and in the end. */
const FEW = 3000;
const MANY = 30_000;
/** Share of the rim that must be seen at an offset, and the likeness from which on a place is one. */
const LEAST_SEEN = 0.6;
const LEAST_LIKENESS = 0.2;
/** Share of the hole of which the donor may see nothing that it saw before. */
const LOST_SHARE = 0.005;
/** How much liker a place at the end of the reach must be than the given one. */
const FAR_COSTS = 0.1;

/**
 * Moves a donor to the offset near a given one at which it goes on from what surrounds the hole: the rim of the hole is
 * like what lies around the donor there, by correlation of fine luma detail (bricks meet bricks), to a part of a px.
 *
 * @param frames, mattes - Read at frame `frame`, as stored; what either plane of the mattes covers is not compared.
 * @returns Undefined if nothing within reach is like it, or there is nothing that could be compared, or no hole.
 */
export function fitDonor(
  frames: FrameReader,
  mattes: FrameReader,
  frame: number,
  offset: Offset,
): (Offset & { likeness: number }) | undefined {
  const start = { dx: Math.round(offset.dx), dy: Math.round(offset.dy) };
  const hole = holeBox(mattes, frame);
  if (!hole) return undefined;
  const window = readWindow(frames, mattes, frame, hole, start);
  const rim = rimOf(window);
  if (rim.length === 0) return undefined;
  const few = sampled(rim, FEW, window.rect);
  const inside = sampled(placesOf(window.hole), FEW, window.rect);
  // It must show as much of the hole as it does now.
  const least = seenAt(window, inside, start.dx, start.dy) - LOST_SHARE;
  let best = { ...start, likeness: -1, worth: -1 };
  for (let y = -FIT_REACH; y <= FIT_REACH; y++) {
    for (let x = -FIT_REACH; x <= FIT_REACH; x++) {
      const [dx, dy] = [start.dx + x, start.dy + y];
      const likeness = likenessAt(window, few, dx, dy);
      const worth = likeness - (FAR_COSTS * (x * x + y * y)) / FIT_REACH ** 2;
      if (worth <= best.worth || seenAt(window, inside, dx, dy) < least) continue;
      best = { dx, dy, likeness, worth };
    }
  }
  if (best.likeness < LEAST_LIKENESS) return undefined;
  return refined(window, sampled(rim, MANY, window.rect), best);
}

/** The part of a frame that holds the matte. */
function holeBox(mattes: FrameReader, frame: number): Rect | undefined {
  const { width, height } = mattes.format;
  const row = new Uint8Array(width);
  let [left, right, top, bottom] = [width, 0, height, 0];
  for (let y = 0; y < height; y++) {
    mattes.readRows(frame, 0, y, 1, row);
    const first = row.findIndex((v) => v > 0);
    if (first < 0) continue;
    [left, right] = [Math.min(left, first), Math.max(right, row.findLastIndex((v) => v > 0) + 1)];
    [top, bottom] = [Math.min(top, y), y + 1];
  }
  return right > left ? { x: left, y: top, width: right - left, height: bottom - top } : undefined;
}

/** Fine detail and what is blocked, of the part of a frame that matters. */
interface Window {
  rect: Rect;
  detail: Float32Array;
  free: Uint8Array;
  /** 1 where the hole is. */
  hole: Uint8Array;
}

function readWindow(frames: FrameReader, mattes: FrameReader, frame: number, hole: Rect, { dx, dy }: Offset): Window {
  const { width, height, depth } = frames.format;
  const around = grow(hole, RIM_TO + FINE);
  const donor = grow({ ...around, x: around.x + dx, y: around.y + dy }, FIT_REACH);
  const rect = intersect(union(around, donor), { x: 0, y: 0, width, height });
  const bytes = new Uint8Array(width * rect.height * bytesPerSample(frames.format));
  frames.readRows(frame, 0, rect.y, rect.height, bytes);
  const oneRow = { width, height: rect.height, stepX: 1, stepY: 1 };
  const [samples] = planeViews(bytes, { ...frames.format, planes: [oneRow] });
  const [blocked, own] = [new Uint8Array(width * rect.height), new Uint8Array(width * rect.height)];
  readBlocked(mattes, frame, rect.y, rect.height, blocked);
  mattes.readRows(frame, 0, rect.y, rect.height, own);
  const n = rect.width * rect.height;
  const [luma, free, inHole] = [new Float32Array(n), new Uint8Array(n), new Uint8Array(n)];
  const unit = 2 ** (depth - 8);
  for (let y = 0, i = 0; y < rect.height; y++) {
    for (let x = 0, k = y * width + rect.x; x < rect.width; x++, i++, k++) {
      free[i] = blocked[k] === 0 ? 1 : 0;
      inHole[i] = own[k] > 0 ? 1 : 0;
      luma[i] = free[i] * (samples[k] / unit);
    }
  }
  return { rect, detail: fineOf(luma, free, rect), free, hole: inHole };
}

/** What is finer than the mean of the free px around; 0 where it is not free. */
function fineOf(luma: Float32Array, free: Uint8Array, { width, height }: Rect): Float32Array {
  const sum = boxMean(luma, width, height, FINE);
  const weight = boxMean(Float32Array.from(free), width, height, FINE);
  const out = new Float32Array(luma.length);
  for (let i = 0; i < out.length; i++) if (free[i] === 1) out[i] = luma[i] - sum[i] / weight[i];
  return out;
}

/** Free px around the hole, by their number in the window. */
function rimOf({ rect, free, hole }: Window): Int32Array {
  const near = reached(hole, rect, RIM_FROM);
  const far = reached(hole, rect, RIM_TO);
  return placesOf(bytesOf(free, (v, i) => (far[i] > near[i] ? v : 0)));
}

/** The numbers of a mask's px. */
function placesOf(mask: Uint8Array): Int32Array {
  const out: number[] = [];
  for (let i = 0; i < mask.length; i++) if (mask[i] === 1) out.push(i);
  return Int32Array.from(out);
}

/** Share of some px that is free at an offset. */
function seenAt({ rect, free }: Window, places: Places, dx: number, dy: number): number {
  const { width } = rect;
  const by = dy * width + dx;
  let seen = 0;
  for (let k = 0; k < places.at.length; k++) {
    const x = places.x[k] + dx;
    // Beyond the upper and lower border there is no such px.
    if (x >= 0 && x < width && free[places.at[k] + by] === 1) seen++;
  }
  return seen / places.at.length;
}

/** Where something of a mask lies within a square of so many px around. */
function reached(mask: Uint8Array, { width, height }: Rect, radius: number): Uint8Array {
  const mean = boxMean(Float32Array.from(mask), width, height, radius);
  // Less than one px of a square, and above the error of running sums.
  const least = 0.5 / (2 * radius + 1) ** 2;
  return bytesOf(mean, (v) => (v > least ? 1 : 0));
}

/** Px of a window: their numbers in it, and their columns. */
interface Places {
  at: Int32Array;
  x: Int32Array;
}

/** At most so many of a window's px. */
function sampled(numbers: Int32Array, count: number, { width }: Rect): Places {
  const step = Math.max(1, numbers.length / count);
  const at = new Int32Array(Math.min(count, numbers.length));
  for (let k = 0; k < at.length; k++) at[k] = numbers[Math.floor(k * step)];
  return { at, x: at.map((i) => i % width) };
}

/** Correlation of some px with those at an offset, -1..1; -1 where too few of these are seen. */
function likenessAt({ rect, detail, free }: Window, places: Places, dx: number, dy: number): number {
  const { width } = rect;
  const by = dy * width + dx;
  const { at, x: columns } = places;
  let seen = 0;
  let ab = 0;
  let aa = 0;
  let bb = 0;
  for (let k = 0; k < at.length; k++) {
    const i = at[k];
    const x = columns[k] + dx;
    if (x < 0 || x >= width || free[i + by] !== 1) continue;
    const u = detail[i];
    const v = detail[i + by];
    seen++;
    ab += u * v;
    aa += u * u;
    bb += v * v;
  }
  return seen >= LEAST_SEEN * at.length && aa * bb > 0 ? ab / Math.sqrt(aa * bb) : -1;
}

/** The best of the offsets beside, and the top of the parabolas through it. */
function refined(window: Window, places: Places, { dx, dy }: Offset): (Offset & { likeness: number }) | undefined {
  const at = (x: number, y: number): number => likenessAt(window, places, x, y);
  let [x, y, likeness] = [dx, dy, at(dx, dy)];
  for (const [a, b] of BESIDE) {
    const other = at(dx + a, dy + b);
    if (other > likeness) [x, y, likeness] = [dx + a, dy + b, other];
  }
  const top = (before: number, after: number): number => vertex(-before, -likeness, -after);
  if (likeness < LEAST_LIKENESS) return undefined;
  return { dx: x + top(at(x - 1, y), at(x + 1, y)), dy: y + top(at(x, y - 1), at(x, y + 1)), likeness };
}

const BESIDE = [-1, 0, 1].flatMap((a) => [-1, 0, 1].map((b) => [a, b]));
