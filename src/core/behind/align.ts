import type { Point } from '../geometry/homography.ts';
import { vertex } from '../geometry/vertex.ts';
import { areaOf, type MaskPatch } from '../movers/maskPatch.ts';
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
const GOLDEN = (Math.sqrt(5) - 1) / 2;
/** Difference at which two px are of different things, 8-bit levels: more says no more. */
const MOST = 60;
/** What a px counts that one frame shows as body, and the other does not. */
const ODD = 30;
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;
/** Share that must be seen for an alignment to say anything. */
const LEAST_SEEN = 0.08;

export function bodyIn(looks: Looks, frame: number, mask: MaskPatch): Body {
  const share = Math.min(1, MOST_PX / areaOf(mask));
  const samples = looks.samples(frame);
  const [places, values]: [number[], number[]] = [[], []];
  let n = 0;
  mask.data.forEach((v, i) => {
    // Spread evenly, whatever the mask's width (multiples of the golden ratio).
    if (v === 0 || (n++ * GOLDEN) % 1 >= share) return;
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
  const match = new Match(looks, body, to, there);
  const gx = Math.round(guess.x);
  const gy = Math.round(guess.y);
  let x = gx;
  let y = gy;
  let least = match.cost(x, y);
  let seen = match.seen;
  for (let v = gy - radius; v <= gy + radius; v++) {
    for (let u = gx - radius; u <= gx + radius; u++) {
      const cost = match.cost(u, v);
      if (cost >= least) continue;
      x = u;
      y = v;
      least = cost;
      seen = match.seen;
    }
  }
  if (least === Infinity) return undefined;
  const fine = {
    x: vertex(match.cost(x - 1, y), least, match.cost(x + 1, y)),
    y: vertex(match.cost(x, y - 1), least, match.cost(x, y + 1)),
  };
  return { way: { x: x + fine.x, y: y + fine.y }, mismatch: least, seen };
}

/** How well a body fits into another frame. */
class Match {
  /** Share of the body that the frame did not hide when it was last asked. */
  seen = 0;
  private readonly samples: Uint8Array;
  private readonly hidden: Uint8Array;
  private readonly width: number;
  private readonly height: number;

  constructor(
    looks: Looks,
    private readonly body: Body,
    to: number,
    private readonly there: Body | undefined,
  ) {
    this.samples = looks.samples(to);
    this.hidden = looks.hidden(to);
    this.width = looks.width;
    this.height = looks.height;
  }

  /** The mean difference if it goes by whole px; Infinity where too little of it is seen. */
  cost(dx: number, dy: number): number {
    const { samples, hidden, width, height } = this;
    const { places, values } = this.body;
    let sum = 0;
    let n = 0;
    for (let i = 0, k = 0; i < places.length; i += 2, k += CHANNELS) {
      const x = places[i] + dx;
      const y = places[i + 1] + dy;
      if (x < 0 || y < 0 || x >= width || y >= height || hidden[y * width + x] > 0) continue;
      const j = (y * width + x) * CHANNELS;
      const colour = Math.abs(values[k + 1] - samples[j + 1]) + Math.abs(values[k + 2] - samples[j + 2]);
      sum += Math.min(MOST, Math.abs(values[k] - samples[j]) + CHROMA_TIMES * colour);
      n++;
    }
    this.seen = (2 * n) / places.length;
    if (this.seen < LEAST_SEEN) return Infinity;
    return this.there ? this.withOdd(sum / n, this.there, dx, dy) : sum / n;
  }

  /** The mean difference with what the other frame shows as body, and the first does not. */
  private withOdd(mismatch: number, { places }: Body, dx: number, dy: number): number {
    const { x, y, width, height, data } = this.body.mask;
    let odd = 0;
    for (let i = 0; i < places.length; i += 2) {
      const u = places[i] - dx - x;
      const v = places[i + 1] - dy - y;
      if (u < 0 || v < 0 || u >= width || v >= height || data[v * width + u] === 0) odd++;
    }
    const share = (2 * odd) / places.length;
    return (mismatch * this.seen + ODD * share) / (this.seen + share);
  }
}
