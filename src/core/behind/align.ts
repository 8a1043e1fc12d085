import type { Point } from '../geometry/homography.ts';
import { areaOf, at, type MaskPatch } from '../movers/maskPatch.ts';
import { CHANNELS, type Looks } from './looks.ts';

/** A body as one frame shows it. */
export interface Body {
  mask: MaskPatch;
  /** Some of its px: places, interleaved, and what they look like. */
  places: Int16Array;
  values: Uint8Array;
}

/** How a body of one frame lies in another. */
export interface Alignment {
  /** Way from the first frame to the second, px. */
  way: Point;
  /** Mean difference of what both show, 8-bit levels. */
  mismatch: number;
  /** Share of the body's px that the other frame does not hide. */
  seen: number;
}

/** So many px tell of a body what all do. */
const MOST_PX = 160;
/** Difference at which two px are of different things, 8-bit levels: more says no more. */
const MOST = 60;
/** What a px counts that one frame shows as body, and the other does not. */
const ODD = 30;
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;
/** Share that must be seen for an alignment to say anything. */
const LEAST_SEEN = 0.08;

export function bodyIn(looks: Looks, frame: number, mask: MaskPatch): Body {
  const every = Math.max(1, Math.round(areaOf(mask) / MOST_PX));
  const samples = looks.samples(frame);
  const [places, values]: [number[], number[]] = [[], []];
  let n = 0;
  mask.data.forEach((v, i) => {
    if (v === 0 || n++ % every > 0) return;
    const [x, y] = [mask.x + (i % mask.width), mask.y + Math.floor(i / mask.width)];
    places.push(x, y);
    const at = (y * looks.width + x) * CHANNELS;
    values.push(samples[at], samples[at + 1], samples[at + 2]);
  });
  return { mask, places: Int16Array.from(places), values: Uint8Array.from(values) };
}

/**
 * Finds a body of one frame in another, near to where it is expected: block matching over some of its px, to a part of a px by a parabola.
 * @param to - The other frame.
 * @param there - What it shows of the body, if that is known: what only one shows counts as unlike.
 * @returns undefined if the other frame hides next to all of it.
 */
export function align(
  looks: Looks,
  body: Body,
  to: number,
  guess: Point,
  radius: number,
  there?: Body,
): Alignment | undefined {
  const [gx, gy] = [Math.round(guess.x), Math.round(guess.y)];
  const side = 2 * radius + 3;
  const costs = new Float64Array(side * side).fill(NaN);
  const seen = new Float64Array(side * side);
  const cost = (x: number, y: number): number => {
    const k = (y + radius + 1) * side + x + radius + 1;
    if (Number.isNaN(costs[k])) {
      const found = costOf(looks, body, to, gx + x, gy + y);
      seen[k] = found.seen;
      costs[k] =
        found.seen < LEAST_SEEN ? Infinity : there ? withOdd(found, body, there, gx + x, gy + y) : found.mismatch;
    }
    return costs[k];
  };
  let [x, y, least] = [0, 0, cost(0, 0)];
  for (let v = -radius; v <= radius; v++) {
    for (let u = -radius; u <= radius; u++) {
      const c = cost(u, v);
      if (c < least) [x, y, least] = [u, v, c];
    }
  }
  if (least === Infinity) return undefined;
  const fine = {
    x: vertex(cost(x - 1, y), least, cost(x + 1, y)),
    y: vertex(cost(x, y - 1), least, cost(x, y + 1)),
  };
  return {
    way: { x: gx + x + fine.x, y: gy + y + fine.y },
    mismatch: least,
    seen: seen[(y + radius + 1) * side + x + radius + 1],
  };
}

/** Where a parabola through three values one apart is least, between -0.5 and 0.5. */
function vertex(before: number, least: number, after: number): number {
  const bend = before + after - 2 * least;
  if (!(bend > 0) || !Number.isFinite(bend)) return 0;
  return Math.max(-0.5, Math.min(0.5, (before - after) / (2 * bend)));
}

interface Cost {
  mismatch: number;
  seen: number;
}

/** How a body fits that goes by whole px to another frame. */
function costOf(looks: Looks, { places, values }: Body, to: number, dx: number, dy: number): Cost {
  const { width, height } = looks;
  const samples = looks.samples(to);
  const hidden = looks.hidden(to);
  let [sum, seen] = [0, 0];
  for (let i = 0, k = 0; i < places.length; i += 2, k += CHANNELS) {
    const [x, y] = [places[i] + dx, places[i + 1] + dy];
    if (x < 0 || y < 0 || x >= width || y >= height || hidden[y * width + x] > 0) continue;
    const j = (y * width + x) * CHANNELS;
    const colour = Math.abs(values[k + 1] - samples[j + 1]) + Math.abs(values[k + 2] - samples[j + 2]);
    sum += Math.min(MOST, Math.abs(values[k] - samples[j]) + CHROMA_TIMES * colour);
    seen++;
  }
  return { mismatch: sum / seen, seen: (2 * seen) / places.length };
}

/** The mean difference with what the other frame shows as body, and the first does not. */
function withOdd({ mismatch, seen }: Cost, { mask }: Body, there: Body, dx: number, dy: number): number {
  const { places } = there;
  let odd = 0;
  for (let i = 0; i < places.length; i += 2) odd += 1 - at(mask, places[i] - dx, places[i + 1] - dy);
  const share = (2 * odd) / places.length;
  return (mismatch * seen + ODD * share) / (seen + share);
}
