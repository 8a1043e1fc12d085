import type { Point } from '../geometry/homography.ts';
import { grow, intersect, snap, type Rect } from '../image/format.ts';
import { UNKNOWN, type Evidence } from '../movers/evidence.ts';
import { timesUsual } from '../movers/segment.ts';

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
}

/** Movement in times of the usual above which a px surely moves, and below which it surely rests. */
const MOVES = 4.2;
const RESTS = 2.5;
/** What movement says at most, what it says at the thresholds, and more per doubling. */
const MOST = 5;
const LEAST = 2;
const PER_DOUBLING = 2;
/** How far unlikeness may be blurred, px, and the share that is said where only the nearest px move. */
const BLUR = 3;
const MAYBE = 0.4;
/** What shade says against belonging to a thing. */
const SHADE = 1;
/** Half the side of the square in which shade is looked for, px. */
const REACH = 2;
/** Darkened px in it that are needed. */
const NEEDED = 12;
/** How far shade is spread to its darkened edge, px. */
const SPREAD = 2;
/** Added to luma before its logarithm is taken, 12-bit levels. */
const DARK = 60;
/** Shade is darker by this at least (less at its edge) and at most, in logarithms. */
const LEAST_SHADE = 0.08;
const EDGE_SHADE = 0.03;
const MOST_SHADE = 1.4;
/** Of the ground's variance, the share that the light's may have. */
const GROUND_SHARE = 0.25;
/** Chroma without colour, and the change of colour that a shadow may bring, 12-bit levels. */
const NEUTRAL = 2048;
const MOST_TINT = 50;
/** Variance of the logarithm of luma that grain alone brings. */
const GRAIN = 0.0006;

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
  return {
    step,
    width,
    height,
    rest: restOf(times, width, height, wanted),
    shade: shadeOf(evidence, width, height, wanted),
  };
}

/** Visits the px of a part that lie at least `rim` px within the picture. */
function forEachIn(part: Rect, w: number, h: number, rim: number, visit: (i: number) => void): void {
  const { x, y, width, height } = intersect(part, { x: rim, y: rim, width: w - 2 * rim, height: h - 2 * rim });
  for (let v = y; v < y + height; v++) for (let i = v * w + x; i < v * w + x + width; i++) visit(i);
}

/**
 * Unlikeness is blurred by a px, and by two more where chroma has half the samples: a px surely moves if all around it say so,
 * and may move if its neighbours do.
 */
function restOf(times: Float32Array, w: number, h: number, part: Rect): Float32Array {
  const out = new Float32Array(w * h);
  forEachIn(part, w, h, BLUR, (i) => {
    if (times[i] < RESTS) out[i] = Math.min(MOST, LEAST + PER_DOUBLING * Math.log2(RESTS / Math.max(times[i], 0.1)));
    const least = leastAround(times, i, w, 1);
    if (!(least > MOVES)) return;
    const said = Math.min(MOST, LEAST + PER_DOUBLING * Math.log2(least / MOVES));
    out[i] = leastAround(times, i, w, BLUR) > MOVES ? -said : -MAYBE * said;
  });
  return out;
}

function leastAround(times: Float32Array, i: number, w: number, reach: number): number {
  let least = Infinity;
  for (let j = i - reach * w; j <= i + reach * w; j += w) {
    for (let k = j - reach; k <= j + reach; k++) if (!(times[k] >= least)) least = times[k];
  }
  return least;
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

/**
 * A shadow darkens evenly and keeps the ground's texture: the ratio of the frame to its background varies little there, where
 * the background itself varies (as in Rosin & Ellis 1995).
 */
function shadeOf({ own, background }: Evidence, w: number, h: number, part: Rect): Float32Array {
  const out = new Float32Array(w * h);
  const ground = new Float32Array(w * h).fill(NaN);
  const ratio = new Float32Array(w * h).fill(NaN);
  forEachIn(grow(part, REACH), w, h, 0, (i) => {
    if (background[0][i] === UNKNOWN) return;
    ground[i] = Math.log(background[0][i] + DARK);
    ratio[i] = Math.log(own[0][i] + DARK) - ground[i];
  });
  const tints = own.slice(1).map((plane, k) => ({ plane, below: background[k + 1] }));
  forEachIn(part, w, h, REACH, (i) => {
    if (!isDarkened(ratio[i])) return;
    const light = Math.exp(ratio[i]);
    const tinted = tints.some(({ plane, below }) => {
      const j = placeIn(plane, i, w, h);
      return Math.abs(plane[j] - NEUTRAL - light * (below[j] - NEUTRAL)) > MOST_TINT;
    });
    if (!tinted) out[i] = evenness(ratio, ground, i, w);
  });
  return spread(out, ratio, w, h, part);
}

const isDarkened = (ratio: number): boolean => ratio < -LEAST_SHADE && ratio > -MOST_SHADE;

/** Index of a px in a plane of the same picture that may have half as many samples across, down, or both. */
function placeIn(plane: Uint16Array, i: number, w: number, h: number): number {
  if (plane.length === w * h) return i;
  const [half, across] = [Math.ceil(w / 2), plane.length === w * Math.ceil(h / 2) ? 1 : 2];
  const down = plane.length === half * h ? 1 : 2;
  return Math.floor(Math.floor(i / w) / down) * (across === 2 ? half : w) + Math.floor((i % w) / across);
}

/** 0 to 1: how little the ratio varies among the darkened px around one, for how much the ground does. */
function evenness(ratio: Float32Array, ground: Float32Array, i: number, w: number): number {
  let [n, r, rr, g, gg] = [0, 0, 0, 0, 0];
  for (let v = -REACH; v <= REACH; v++) {
    for (let k = i + v * w - REACH; k <= i + v * w + REACH; k++) {
      if (!isDarkened(ratio[k])) continue;
      n++;
      r += ratio[k];
      rr += ratio[k] * ratio[k];
      g += ground[k];
      gg += ground[k] * ground[k];
    }
  }
  if (n < NEEDED) return 0;
  const [own, below] = [rr / n - (r / n) ** 2, gg / n - (g / n) ** 2];
  return Math.max(0, Math.min(1, 1.5 - own / (GROUND_SHARE * below + GRAIN)));
}

/** At the edge of a shadow light is uneven: what is darkened there is shade as well. */
function spread(shade: Float32Array, ratio: Float32Array, w: number, h: number, part: Rect): Float32Array {
  const out = shade.slice();
  forEachIn(part, w, h, SPREAD, (i) => {
    if (!(ratio[i] < -EDGE_SHADE && ratio[i] > -MOST_SHADE)) return;
    for (let v = -SPREAD; v <= SPREAD; v++) {
      for (let k = i + v * w - SPREAD; k <= i + v * w + SPREAD; k++) if (shade[k] > out[i]) out[i] = shade[k];
    }
  });
  return out;
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
