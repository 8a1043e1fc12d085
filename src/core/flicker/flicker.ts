import type { RowLight, RowPair } from './rowLight.ts';

/** Lamps flicker if rows are so much lighter and darker (rms of the logarithm), and both halves of the picture alike (correlation). */
const LEAST_LIGHT = 0.01;
const LEAST_ALIKE = 0.6;
/** Their bands are many rows high: so much of the light's power is left in means over rows up to so many away. Boards' edges are not. */
const LEAST_SMOOTH = 0.5;
const SMOOTHED = 2;
/** Share of the rows that must be known. */
const LEAST_KNOWN = 0.5;
/** Rounds in which the light of all frames is solved, and the pull to no flicker at all, in pairs: else light that changes slowly is followed, too. */
const ROUNDS = 40;
const PULL = 0.3;

/**
 * Light of lamps that flicker faster than a frame is read: bands that wander over the picture, since each of its rows is read a little later
 * than the one before.
 */
export interface Flicker {
  /** Rows of the frames a band. */
  step: number;
  /** Per frame, per band, how much lighter it is: natural logarithm. */
  light: Float32Array[];
}

/** Whether lamps flicker, judged on some frames. */
export function flickers(asked: readonly RowLight[]): boolean {
  let [ll, rr, lr, n, all, power, smoothed] = [0, 0, 0, 0, 0, 0, 0];
  for (const { pairs } of asked) {
    if (pairs.length === 0) continue;
    const [left, right] = (['left', 'right'] as const).map((side) => unevenness(meanOf(pairs.map((p) => p[side]))));
    const both = left.map((l, k) => (l + right[k]) / 2);
    const even = around(both, SMOOTHED);
    all += both.length;
    both.forEach((v, k) => {
      if (Number.isNaN(v)) return;
      ll += left[k] ** 2;
      rr += right[k] ** 2;
      lr += left[k] * right[k];
      power += v * v;
      smoothed += even[k] ** 2;
      n++;
    });
  }
  if (n < LEAST_KNOWN * all || n === 0) return false;
  const isAlike = lr > LEAST_ALIKE * Math.sqrt(ll * rr);
  return Math.sqrt(power / n) > LEAST_LIGHT && isAlike && smoothed > LEAST_SMOOTH * power;
}

/** Means over each row and those up to so many away, of those that are known. */
function around(values: Float32Array, reach: number): Float32Array {
  return values.map((_, k) => {
    const known = values.slice(Math.max(0, k - reach), k + reach + 1).filter((v) => !Number.isNaN(v));
    return known.reduce((sum, v) => sum + v, 0) / Math.max(1, known.length);
  });
}

/**
 * The light of every frame, by what pairs of frames tell (least squares, by Jacobi's method).
 * @param rows - Of every frame, in their order. @param step - Rows of the frames a row of these. @param bands - Rows of these.
 */
export function flickerOf(rows: readonly RowLight[], step: number, bands: number): Flicker {
  const told = rows.map(({ pairs }) =>
    pairs.map((pair) => ({ ...pair, light: unevenness(meanOf([pair.left, pair.right])) })),
  );
  let light: Float32Array[] = rows.map(() => new Float32Array(bands));
  for (let round = 0; round < ROUNDS; round++) {
    light = told.map((pairs) => filled(pairs.length > 0 ? pulled(pairs, light) : new Float32Array(bands)));
  }
  return { step, light: light.map(smooth) };
}

/** What the others' light says of a frame's. */
function pulled(pairs: readonly (RowPair & { light: Float32Array })[], all: readonly Float32Array[]): Float32Array {
  const own = pairs.map(({ other, light, rows }) => light.map((v, k) => v + between(all[other], rows[k])));
  const mean = meanOf(own);
  return mean.map((v) => (v * pairs.length) / (pairs.length + PULL));
}

/** How much lighter a row of a frame is than the frame's usual light: natural logarithm. */
export const lightAt = ({ step, light }: Flicker, frame: number, row: number): number =>
  between(light[frame], (row + 0.5) / step - 0.5);

function between(bands: Float32Array, place: number): number {
  const k = Math.min(bands.length - 1, Math.max(0, place));
  const above = Math.floor(k);
  const below = Math.min(bands.length - 1, above + 1);
  return bands[above] + (k - above) * (bands[below] - bands[above]);
}

/** Row by row, of those that are known. */
function meanOf(all: readonly Float32Array[]): Float32Array {
  return all[0].map((_, k) => {
    const known = all.map((one) => one[k]).filter((v) => !Number.isNaN(v));
    return known.length === 0 ? NaN : known.reduce((sum, v) => sum + v, 0) / known.length;
  });
}

/** What a frame's light has that all its rows have is left out: exposure is matched by itself. */
function unevenness(values: Float32Array): Float32Array {
  const known = values.filter((v) => !Number.isNaN(v));
  const mean = known.reduce((sum, v) => sum + v, 0) / Math.max(1, known.length);
  return values.map((v) => v - mean);
}

/** Rows that are not known have the light of those above and below them. */
function filled(values: Float32Array): Float32Array {
  const known = [...values.keys()].filter((k) => !Number.isNaN(values[k]));
  if (known.length === 0) return new Float32Array(values.length);
  let next = 0;
  return values.map((v, k) => {
    if (!Number.isNaN(v)) return v;
    while (next < known.length && known[next] < k) next++;
    const [a, b] = [known[Math.max(0, next - 1)], known[Math.min(known.length - 1, next)]];
    return a >= b ? values[a] : values[a] + ((k - a) / (b - a)) * (values[b] - values[a]);
  });
}

const smooth = (values: Float32Array): Float32Array =>
  values.map((v, k) => {
    const last = values.length - 1;
    return (values[Math.max(0, k - 1)] + 2 * v + values[Math.min(last, k + 1)]) / 4;
  });
