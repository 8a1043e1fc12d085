import { boxMean } from '../image/boxMean.ts';
import { bytesPerSample, grow, intersect, planeViews, type FrameReader, type Rect } from '../image/format.ts';
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
  const few = sampled(rim, FEW);
  let best = { ...start, likeness: -1, worth: -1 };
  for (let y = -FIT_REACH; y <= FIT_REACH; y++) {
    for (let x = -FIT_REACH; x <= FIT_REACH; x++) {
      const [dx, dy] = [start.dx + x, start.dy + y];
      const likeness = likenessAt(window, few, dx, dy);
      const worth = likeness - (FAR_COSTS * (x * x + y * y)) / FIT_REACH ** 2;
      if (worth > best.worth) best = { dx, dy, likeness, worth };
    }
  }
  if (best.likeness < LEAST_LIKENESS) return undefined;
  return refined(window, sampled(rim, MANY), best);
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
  const out: number[] = [];
  for (let i = 0; i < free.length; i++) if (far[i] && !near[i] && free[i] === 1) out.push(i);
  return Int32Array.from(out);
}

/** Whether something of a mask lies within a square of so many px around. */
function reached(mask: Uint8Array, { width, height }: Rect, radius: number): boolean[] {
  const mean = boxMean(Float32Array.from(mask), width, height, radius);
  // Less than one px of a square, and above the error of running sums.
  const least = 0.5 / (2 * radius + 1) ** 2;
  return Array.from(mean, (v) => v > least);
}

function sampled(places: Int32Array, count: number): Int32Array {
  const step = places.length / count;
  if (step <= 1) return places;
  const out = new Int32Array(count);
  for (let k = 0; k < count; k++) out[k] = places[Math.floor(k * step)];
  return out;
}

/** Correlation of some px with those at an offset, -1..1; -1 where too few of these are seen. */
function likenessAt({ rect, detail, free }: Window, places: Int32Array, dx: number, dy: number): number {
  const { width } = rect;
  const by = dy * width + dx;
  let [seen, ab, aa, bb] = [0, 0, 0, 0];
  for (const i of places) {
    const x = (i % width) + dx;
    // Beyond the upper and lower border there is no such px.
    if (x < 0 || x >= width || free[i + by] !== 1) continue;
    const [u, v] = [detail[i], detail[i + by]];
    seen++;
    ab += u * v;
    aa += u * u;
    bb += v * v;
  }
  return seen >= LEAST_SEEN * places.length && aa * bb > 0 ? ab / Math.sqrt(aa * bb) : -1;
}

/** The best of the offsets beside, and the top of the parabolas through it. */
function refined(window: Window, places: Int32Array, { dx, dy }: Offset): (Offset & { likeness: number }) | undefined {
  const at = (x: number, y: number): number => likenessAt(window, places, x, y);
  let [x, y, likeness] = [dx, dy, at(dx, dy)];
  for (const [a, b] of BESIDE) {
    const other = at(dx + a, dy + b);
    if (other > likeness) [x, y, likeness] = [dx + a, dy + b, other];
  }
  const top = (before: number, after: number): number => {
    const bend = before - 2 * likeness + after;
    return bend < 0 ? Math.max(-0.5, Math.min(0.5, (before - after) / (2 * bend))) : 0;
  };
  if (likeness < LEAST_LIKENESS) return undefined;
  return { dx: x + top(at(x - 1, y), at(x + 1, y)), dy: y + top(at(x, y - 1), at(x, y + 1)), likeness };
}

const BESIDE = [-1, 0, 1].flatMap((a) => [-1, 0, 1].map((b) => [a, b]));
