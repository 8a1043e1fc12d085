import type { Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { View } from './views.ts';

/** A line of text is so much wider than high at least, and so low, as a share of the picture's height. */
const LEAST_WIDE = 2;
const MOST_HIGH = 1 / 8;
/** Steps along it, shares of its height. Parts of it with no more than so many between them are one. */
const STEP = 0.5;
const GAP = 1;
/** Views are compared with those so many before. */
const LAG = 4;
/** So often a place must be seen in both. */
const LEAST_SEEN = 4;
/** Levels by which they differ where the camera's motion does not explain them, of 8 bits, and the share of such px in a step. */
const UNLIKE = 30;
const UNEXPLAINED = 0.3;

/** What is known of a picture that has something fixed to it. */
export interface Known {
  views: readonly View[];
  /** Px of the views. */
  width: number;
  /** In px of the views. */
  motion: CameraMotion;
  /** Not 0 for the px that are known to be fixed. */
  mask: Uint8Array;
}

/**
 * What changes all the time in a line of text, as the last digits of a time code do: nothing of that stays for long, and nothing of it
 * goes where the background goes.
 *
 * @param box - Of what stays of the line, px of the views.
 * @returns Parts of the line and of what it goes on with; none if it is no line of text.
 */
export function changingText(box: Rect, known: Known): Rect[] {
  const height = known.mask.length / known.width;
  if (box.width < LEAST_WIDE * box.height || box.height > MOST_HIGH * height) return [];
  const step = Math.max(1, Math.round(box.height * STEP));
  const changes = (x: number): boolean => unexplained({ ...box, x, width: step }, known) >= UNEXPLAINED;
  const within = stepsFrom(box.x, step, box.x + box.width).filter(changes);
  const before = goesOn(stepsFrom(box.x - step, -step, 0), changes);
  const after = goesOn(stepsFrom(box.x + box.width, step, known.width - step), changes);
  return joined([...before, ...within, ...after], step).map(({ from, to }) => {
    const [x, end] = [Math.max(0, from - step / 2), Math.min(known.width, to + step / 2)];
    return { ...box, x: Math.floor(x), width: Math.ceil(end) - Math.floor(x) };
  });
}

function stepsFrom(first: number, by: number, end: number): number[] {
  return Array.from({ length: Math.max(0, Math.ceil((end - first) / by)) }, (_, k) => first + k * by);
}

/** Those of the steps beyond an end that belong to the line. */
function goesOn(steps: readonly number[], changes: (x: number) => boolean): number[] {
  const out: number[] = [];
  let missed = 0;
  for (const x of steps) {
    if (missed > GAP) break;
    if (changes(x)) {
      out.push(x);
      missed = 0;
    } else missed++;
  }
  return out;
}

/** Parts of a line from steps of it: neighbours, and those with a short gap, are one. */
function joined(steps: readonly number[], step: number): { from: number; to: number }[] {
  const out: { from: number; to: number }[] = [];
  for (const x of [...steps].sort((a, b) => a - b)) {
    const last = out.at(-1);
    if (last && x - last.to <= GAP * step) last.to = x + step;
    else out.push({ from: x, to: x + step });
  }
  return out;
}

/** Of the px of a rectangle that are not known to be fixed the share that is unlike what the camera's motion brings there. */
function unexplained(rect: Rect, { views, width, motion, mask }: Known): number {
  const px = placesIn(rect, width, mask);
  const height = mask.length / width;
  let [seen, unlike] = [0, 0];
  views.slice(LAG).forEach((now, k) => {
    const before = views[k];
    if (!motion.sameScene(before.frame, now.frame)) return;
    const there = px.slice();
    motion.map(now.frame, before.frame, there);
    for (let n = 0; n < px.length; n += 2) {
      const [u, v] = [Math.round(there[n]), Math.round(there[n + 1])];
      if (u < 0 || v < 0 || u >= width || v >= height) continue;
      const [i, j] = [px[n + 1] * width + px[n], v * width + u];
      if (now.free[i] === 0 || before.free[j] === 0 || mask[j] > 0) continue;
      seen++;
      if (Math.abs(now.luma[i] - before.luma[j]) > UNLIKE) unlike++;
    }
  });
  return seen < (LEAST_SEEN * px.length) / 2 ? 0 : unlike / Math.max(1, seen);
}

function placesIn({ x, y, width, height }: Rect, across: number, mask: Uint8Array): Float64Array {
  const out: number[] = [];
  for (let v = y; v < y + height; v++) {
    for (let u = x; u < x + width; u++) if (mask[v * across + u] === 0) out.push(u, v);
  }
  return Float64Array.from(out);
}
