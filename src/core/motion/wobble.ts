import { residualsWhere, solveField, withField, type FieldShape, type Residuals } from './field.ts';

/** Places down a frame at which its wobble is given. */
export const WOBBLE_KNOTS = 41;

/** Price of bending, and of any displacement at all, against one match's squared error. */
const BENDING = 1;
const SIZE = 0.1;
/** Scales of an honest match's error up to which it counts: nothing is known of the wobble in the first round. */
const SCALES = [8, 4, 3];
/** A wobble's waves are short: knots to each side over whose mean it rises and falls. */
const AROUND = 6;
/** Both halves of the picture wobble alike (correlation), and by so many scales of a match's error (rms). */
const LEAST_ALIKE = 0.6;
const LEAST_SIZE = 0.25;

/** Weights of the two knots around a height in unit space (|y| ≤ `aspect`). */
export function wobbleKnots(y: number, aspect: number, index: Int32Array, weight: Float64Array): void {
  const g = Math.min(WOBBLE_KNOTS - 1.001, Math.max(0, ((y / aspect + 1) / 2) * (WOBBLE_KNOTS - 1)));
  index[0] = Math.floor(g);
  index[1] = index[0] + 1;
  weight[1] = g - index[0];
  weight[0] = 1 - weight[1];
}

/** Adds what the rows of a frame say of a place at a height in unit space. @param frame - Its number. */
export function addWobble(
  wobble: Float32Array,
  frame: number,
  y: number,
  aspect: number,
  out: { x: number; y: number },
): void {
  wobbleKnots(y, aspect, INDEX, WEIGHT);
  for (let k = 0; k < 2; k++) {
    const at = 2 * (frame * WOBBLE_KNOTS + INDEX[k]);
    out.x += WEIGHT[k] * wobble[at];
    out.y += WEIGHT[k] * wobble[at + 1];
  }
}

const INDEX = new Int32Array(2);
const WEIGHT = new Float64Array(2);

/**
 * Displacements of rows: a camera that is shaken faster than its sensor is read out lets every row lie elsewhere ("jello"; Grundmann et
 * al., ICCP 2012, calibration-free rolling shutter removal, fit mixtures of homographies over bands of rows). Only what both halves of the
 * picture say is believed, so that depth is not taken for it.
 *
 * @param sigma - Scale of an honest match's error, unit space.
 * @returns count·WOBBLE_KNOTS·2 displacements, unit space, and what is left over; undefined if rows do not wobble.
 */
export function solveWobble(
  count: number,
  seen: Residuals,
  sigma: number,
  aspect: number,
): { wobble: Float32Array; left: Residuals } | undefined {
  const shape: FieldShape = {
    nodes: WOBBLE_KNOTS,
    around: 2,
    locate: (_, y, index, weight) => wobbleKnots(y, aspect, index, weight),
    price,
    stiffness: SIZE + 6 * BENDING,
  };
  const scales = SCALES.map((s) => s * sigma);
  const [left, right] = [-1, 1].map((side) => waves(solveField(shape, count, besideMiddle(seen, side), scales), count));
  if (!isWobble(left, right, sigma)) return undefined;
  const field = solveField(shape, count, seen, scales);
  return { wobble: Float32Array.from(field), left: withField(shape, seen, field) };
}

/** Matches of neighbouring frames that lie in one half of the picture in both. */
function besideMiddle(seen: Residuals, side: number): Residuals {
  const { from, to } = seen.frames;
  const { places } = seen;
  return residualsWhere(
    seen,
    (i) => Math.abs(to[i] - from[i]) === 1 && places[4 * i] * side > 0 && places[4 * i + 2] * side > 0,
  );
}

function isWobble(left: Float64Array, right: Float64Array, sigma: number): boolean {
  let [ll, rr, lr] = [0, 0, 0];
  left.forEach((l, i) => {
    ll += l * l;
    rr += right[i] * right[i];
    lr += l * right[i];
  });
  const rms = Math.sqrt((ll + rr + 2 * lr) / 4 / left.length);
  return rms > LEAST_SIZE * sigma && lr > LEAST_ALIKE * Math.sqrt(ll * rr);
}

/** What rises and falls along each frame, over the mean of what is around. */
function waves(field: Float64Array, count: number): Float64Array {
  const out = field.slice();
  for (let t = 0; t < count; t++) {
    for (let c = 0; c < 2; c++) {
      const at = (k: number): number => 2 * (t * WOBBLE_KNOTS + k) + c;
      for (let k = 0; k < WOBBLE_KNOTS; k++) {
        const [first, last] = [Math.max(0, k - AROUND), Math.min(WOBBLE_KNOTS - 1, k + AROUND)];
        let sum = 0;
        for (let j = first; j <= last; j++) sum += field[at(j)];
        out[at(k)] -= sum / (last - first + 1);
      }
    }
  }
  return out;
}

function price(v: Float64Array, count: number, out: Float64Array): void {
  for (let i = 0; i < v.length; i++) out[i] = SIZE * v[i];
  for (let t = 0; t < count; t++) {
    for (let k = 1; k + 1 < WOBBLE_KNOTS; k++) {
      for (let c = 0; c < 2; c++) {
        const at = 2 * (t * WOBBLE_KNOTS + k) + c;
        const d = BENDING * (v[at - 2] - 2 * v[at] + v[at + 2]);
        out[at - 2] += d;
        out[at] -= 2 * d;
        out[at + 2] += d;
      }
    }
  }
}
