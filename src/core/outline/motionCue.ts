import type { Point } from '../geometry/homography.ts';
import { grow, intersect, snap, type Rect } from '../image/format.ts';
import { UNKNOWN, type Evidence } from '../movers/evidence.ts';
import { forEachIn, placeIn, shadeOf } from '../movers/shade.ts';
import { timesUsual } from '../movers/segment.ts';
import { CHANNELS } from './colourModel.ts';
import type { PictureCut } from './pictureCut.ts';

/** What the other frames tell of a frame, at the size of small frames. */
export interface MotionCue {
  /** Px of the frame per px. */
  step: number;
  width: number;
  height: number;
  /** Per px: above 0 if it surely rests against the background, below 0 if it surely moves; 0 at borders and where nothing is known. */
  rest: Float32Array;
  /** Per px: 0 to 1, how much it looks like the background in less light. */
  shade: Float32Array;
  /** CHANNELS per px, 8-bit levels: what the other frames show there; NaN where too few do. */
  background: Float32Array;
}

/** Movement in times of the usual above which a px surely moves, and below which it surely rests. */
const MOVES = 4.2;
const RESTS = 2.5;
/** What movement says at most, what it says at the thresholds, and more per doubling. */
const MOST = 5;
const LEAST = 2;
const PER_DOUBLING = 2;
/** How far unlikeness may be blurred, px; and the share of what lies so far away that blur may bring. */
const BLUR = 3;
const BLURRED = 0.5;
/** The share that is said where blur may have brought it. */
const MAYBE = 0.4;
/** What most others show differs by this at least from what two of them share with the frame: a thing that just came in. */
const STRANGE = 24;
/** What shade says against belonging to a thing. */
const SHADE = 1;
/**
 * @param size - Of the evidence's first plane.
 * @param step - Px of the frame per px of the evidence.
 * @param part - Where it is wanted, px of the frame; elsewhere nothing is told.
 */
export function motionCue(
  evidence: Evidence,
  { width, height }: { width: number; height: number },
  step: number,
  part?: Rect,
): MotionCue {
  const whole = { x: 0, y: 0, width, height };
  const small = part
    ? snap({ x: part.x / step, y: part.y / step, width: part.width / step, height: part.height / step }, 1)
    : whole;
  const wanted = intersect(grow(small, 1), whole);
  const times = timesUsual(evidence.unlikeness, width, height);
  const background = coloursOf(evidence.background, width, height, wanted);
  const strange = strangePx(coloursOf(evidence.own, width, height, wanted), background);
  return {
    step,
    width,
    height,
    rest: restOf(times, strange, width, height, wanted),
    shade: shadeOf(evidence, width, height, wanted),
    background,
  };
}

/** Planes of 12 bits as colours of the px of the first plane, within a part; grey is repeated, and NaN is what is not known. */
function coloursOf(planes: readonly Uint16Array[], w: number, h: number, part: Rect): Float32Array {
  const out = new Float32Array(w * h * CHANNELS).fill(NaN);
  forEachIn(part, w, h, 0, (i) => {
    for (let c = 0; c < CHANNELS; c++) {
      const plane = planes[Math.min(c, planes.length - 1)];
      const sample = plane[placeIn(plane, i, w, h)];
      if (sample !== UNKNOWN) out[i * CHANNELS + c] = sample / 16;
    }
  });
  return out;
}

/** A part of the frame less its background, between the px of the cue bilinearly; as it is where that is not known. */
export function againstBackground(cue: MotionCue, { x, y, width, height, step, colours }: PictureCut): Float32Array {
  const out = colours.slice();
  const { width: w, height: h, background } = cue;
  for (let v = 0, i = 0; v < height; v++) {
    const py = Math.max(0, Math.min(h - 1, ((y + v + 0.5) * step) / cue.step - 0.5));
    const top = Math.min(h - 2, Math.floor(py));
    for (let u = 0; u < width; u++, i += CHANNELS) {
      const px = Math.max(0, Math.min(w - 1, ((x + u + 0.5) * step) / cue.step - 0.5));
      const left = Math.min(w - 2, Math.floor(px));
      const [fx, fy] = [px - left, py - top];
      const at = (top * w + left) * CHANNELS;
      for (let c = 0; c < CHANNELS; c++) {
        const above = background[at + c] * (1 - fx) + background[at + CHANNELS + c] * fx;
        const below = background[at + w * CHANNELS + c] * (1 - fx) + background[at + (w + 1) * CHANNELS + c] * fx;
        const behind = above * (1 - fy) + below * fy;
        if (!Number.isNaN(behind)) out[i + c] -= behind;
      }
    }
  }
  return out;
}

/** How far each px is from its background, summed over channels, 8-bit levels; NaN where that is not known. */
function strangePx(own: Float32Array, background: Float32Array): Float32Array {
  const out = new Float32Array(own.length / CHANNELS);
  for (let i = 0, k = 0; i < out.length; i++) {
    for (const end = k + CHANNELS; k < end; k++) out[i] += Math.abs(own[k] - background[k]);
  }
  return out;
}

/**
 * Unlikeness is blurred by a px, and by two more where chroma has half the samples: a px surely moves if all around it say so,
 * and may move if its neighbours do. Less unlikeness tells too where it cannot come from what is more unlike beside it.
 */
function restOf(times: Float32Array, strange: Float32Array, w: number, h: number, part: Rect): Float32Array {
  const out = new Float32Array(w * h);
  forEachIn(part, w, h, BLUR, (i) => {
    if (times[i] < RESTS) {
      const strangeHere = strange[i] > STRANGE && leastAround(strange, i, w, 1) > STRANGE;
      out[i] = strangeHere ? -MAYBE * LEAST : restsBy(times[i]);
      return;
    }
    const least = leastAround(times, i, w, 1);
    if (!(least > RESTS)) return;
    const own = times[i] > BLURRED * mostAround(times, i, w, BLUR);
    if (least > MOVES || own)
      out[i] = own || leastAround(times, i, w, BLUR) > MOVES ? -movesBy(least) : -MAYBE * movesBy(least);
  });
  return out;
}

const restsBy = (times: number): number =>
  Math.min(MOST, LEAST + PER_DOUBLING * Math.log2(RESTS / Math.max(times, 0.1)));

/** Grows from 0 where it may still rest to LEAST where it surely moves, and on from there. */
const movesBy = (times: number): number =>
  times < MOVES
    ? LEAST * (Math.log2(times / RESTS) / Math.log2(MOVES / RESTS))
    : Math.min(MOST, LEAST + PER_DOUBLING * Math.log2(times / MOVES));

function leastAround(times: Float32Array, i: number, w: number, reach: number): number {
  let least = Infinity;
  for (let j = i - reach * w; j <= i + reach * w; j += w) {
    for (let k = j - reach; k <= j + reach; k++) if (!(times[k] >= least)) least = times[k];
  }
  return least;
}

function mostAround(times: Float32Array, i: number, w: number, reach: number): number {
  let most = 0;
  for (let j = i - reach * w; j <= i + reach * w; j += w) {
    for (let k = j - reach; k <= j + reach; k++) if (times[k] > most) most = times[k];
  }
  return most;
}

/** What movement says against belonging to a thing that moves by itself. @param shaded - Whether shade counts against it. */
export const movementLean = ({ rest, shade }: MotionCue, i: number, shaded: boolean): number =>
  shaded && shade[i] > 0.5 && rest[i] <= 0 ? SHADE : rest[i];

/** The rectangle around what moves and hangs together with any of the places, px of the frame; undefined if they rest. */
export function movingAround(cue: MotionCue, places: readonly Point[]): Rect | undefined {
  const { width: w, height: h, step, rest } = cue;
  const seen = new Set<number>();
  const near = (v: number, most: number): number => Math.max(0, Math.min(most - 1, Math.floor((v + 0.5) / step)));
  for (const { x, y } of places) {
    const i = near(y, h) * w + near(x, w);
    if (rest[i] < 0) seen.add(i);
  }
  let [left, top, right, bottom] = [w, h, -1, -1];
  for (const i of seen) {
    const [x, y] = [i % w, Math.floor(i / w)];
    [left, top, right, bottom] = [Math.min(left, x), Math.min(top, y), Math.max(right, x), Math.max(bottom, y)];
    for (const j of [i - 1, i + 1, i - w, i + w]) if (rest[j] < 0) seen.add(j);
  }
  if (right < 0) return undefined;
  return { x: left * step, y: top * step, width: (right - left + 1) * step, height: (bottom - top + 1) * step };
}

/** Px of the cue under each px of a reduced part of the frame. */
export function cuePlaces(cue: MotionCue, part: Rect, step: number): Int32Array {
  const out = new Int32Array(part.width * part.height);
  for (let y = 0; y < part.height; y++) {
    const v = Math.min(cue.height - 1, Math.floor(((part.y + y + 0.5) * step) / cue.step));
    for (let x = 0; x < part.width; x++) {
      const u = Math.min(cue.width - 1, Math.floor(((part.x + x + 0.5) * step) / cue.step));
      out[y * part.width + x] = v * cue.width + u;
    }
  }
  return out;
}
