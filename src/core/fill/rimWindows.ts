import { median } from '../geometry/linear.ts';
import { TILE, type Region } from './region.ts';

/** Places of a window's px around its middle, per axis: what they show on average hardly depends on how sharp a picture is, nor on its grain. */
const WINDOW_STEPS = [-2, 0, 2];
/** Px that are looked at in a window. */
const WINDOW_POINTS = WINDOW_STEPS.length ** 2;

/** Middles of windows that were asked for, and in which tiles, by a region's known px: several steps of a fill ask for the same. */
const found = new WeakMap<Uint8Array, { active: Uint8Array; middles: Int32Array }>();

function middlesOf(region: Region): Int32Array {
  const { known, active } = region;
  const before = found.get(known);
  if (before?.active === active) return before.middles;
  const middles = findMiddles(region);
  found.set(known, { active, middles });
  return middles;
}

/** Px of windows that lie in the known part of the active tiles, one window after the other, evenly thinned to about `most` windows. */
export function rimWindows(region: Region, most: number): Int32Array {
  const middles = middlesOf(region);
  const around = WINDOW_STEPS.flatMap((y) => WINDOW_STEPS.map((x) => y * region.rect.width + x));
  const n = middles.length;
  const step = Math.max(1, n / most);
  const out: number[] = [];
  // The odd step keeps the windows from falling into columns.
  for (let i = 0, k = 0; i < n; i = Math.floor(++k * step)) for (const d of around) out.push(middles[i] + d);
  return Int32Array.from(out);
}

/** Px of active tiles around which all of a window is known, row·width + column, tile by tile. */
function findMiddles({ rect, cols, active, known }: Region): Int32Array {
  const { width } = rect;
  const [left, , right] = WINDOW_STEPS;
  const [above, below] = [left * width, right * width];
  const out: number[] = [];
  for (let t = 0; t < active.length; t++) {
    if (active[t] === 0) continue;
    const first = Math.floor(t / cols) * TILE * width + (t % cols) * TILE;
    for (let y = 0; y < TILE; y++) {
      const row = first + y * width;
      for (let i = row; i < row + TILE; i++) {
        // Written out: it is asked of every px of every rim.
        const here = known[i] & known[i + left] & known[i + right];
        if (here !== 1) continue;
        const over = known[i + above] & known[i + above + left] & known[i + above + right];
        const under = known[i + below] & known[i + below + left] & known[i + below + right];
        if ((over & under) === 1) out.push(i);
      }
    }
  }
  return Int32Array.from(out);
}

/** Windows of the rim by what of them is shown. */
export interface Windows {
  /** Where their px lie in the values that are asked about, window after window. */
  places: ArrayLike<number>;
  /** Of `places`, per window: its first, and the one behind its last. */
  ends: readonly number[];
}

/** Px of a window that must be shown for it to count. */
const SHOWN = 6;

/**
 * The windows of which enough is shown.
 * @param points - Which of the px of {@link rimWindows} are shown, ascending.
 * @param places - Where each of these lies in the values that will be asked about.
 */
export function windowsOf(points: ArrayLike<number>, places: ArrayLike<number>): Windows {
  const ends: number[] = [];
  const windowOf = (k: number): number => Math.floor(points[k] / WINDOW_POINTS);
  for (let from = 0, to = 0; from < points.length; from = to) {
    while (to < points.length && windowOf(to) === windowOf(from)) to++;
    if (to - from >= SHOWN) ends.push(from, to);
  }
  return { places, ends };
}

/** Mean of values in each window. */
export function meansOf(values: Float32Array, { places, ends }: Windows): Float32Array {
  const out = new Float32Array(ends.length / 2);
  for (let w = 0; w < out.length; w++) {
    let sum = 0;
    for (let k = ends[2 * w]; k < ends[2 * w + 1]; k++) sum += values[places[k]];
    out[w] = sum / (ends[2 * w + 1] - ends[2 * w]);
  }
  return out;
}

/** Windows that tell how much detail is lost, at least. */
const TELLING = 20;
/** Correlation from which two pictures of a window show the same. */
const ALIKE = 0.5;
/** Share of a picture's detail that sampling it between its px may cost. */
const SAMPLING = 0.2;

/**
 * Variance that windows of a sharper picture have, and those of a softer one have not, beyond what sampling costs; 0 where too few tell. Only windows in which both show
 * the same are asked: somebody in plain clothes is no blur.
 */
export function lostDetail(softer: Float32Array, sharper: Float32Array, windows: Windows): number {
  const { places, ends } = windows;
  const [soft, sharp] = [meansOf(softer, windows), meansOf(sharper, windows)];
  const lost: number[] = [];
  for (let w = 0; w < soft.length; w++) {
    let [ofSoft, ofSharp, ofBoth] = [0, 0, 0];
    for (let k = ends[2 * w]; k < ends[2 * w + 1]; k++) {
      const [a, b] = [softer[places[k]] - soft[w], sharper[places[k]] - sharp[w]];
      ofSoft += a * a;
      ofSharp += b * b;
      ofBoth += a * b;
    }
    if (ofBoth > ALIKE * Math.sqrt(ofSoft * ofSharp))
      lost.push(((1 - SAMPLING) * ofSharp - ofSoft) / (ends[2 * w + 1] - ends[2 * w]));
  }
  return lost.length < TELLING ? 0 : median(lost);
}
