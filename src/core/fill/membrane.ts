/** A field on a coarse grid. */
export interface Grid {
  cols: number;
  rows: number;
}

const SWEEPS = 40;
const OVER_RELAXATION = 1.8;

/**
 * A smooth field from scattered means: known cells keep their locally smoothed mean, the others form a membrane
 * between them (Laplace's equation; Pérez, Gangnet & Blake 2003 for its use in blending), started by pull-push
 * (Gortler et al. 1996) and relaxed by successive over-relaxation.
 *
 * @param sum - Sum of the values per cell.
 * @param weight - Number of values per cell, 0 = unknown.
 * @returns The field, 0 everywhere if nothing is known.
 */
export function membrane(grid: Grid, sum: Float32Array, weight: Float32Array): Float32Array {
  const { cols, rows } = grid;
  const s = smooth(sum, cols, rows);
  const w = smooth(weight, cols, rows);
  const field = pullPush(s, w, cols, rows);
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (let y = 0; y < rows; y++) {
      for (let x = 0, i = y * cols; x < cols; x++, i++) {
        if (weight[i] > 0) continue;
        let total = 0;
        let n = 0;
        if (x > 0) {
          total += field[i - 1];
          n++;
        }
        if (x + 1 < cols) {
          total += field[i + 1];
          n++;
        }
        if (y > 0) {
          total += field[i - cols];
          n++;
        }
        if (y + 1 < rows) {
          total += field[i + cols];
          n++;
        }
        if (n > 0) field[i] += OVER_RELAXATION * (total / n - field[i]);
      }
    }
  }
  return field;
}

/** 5x5 binomial smoothing; what lies outside counts as 0. */
function smooth(values: Float32Array, cols: number, rows: number): Float32Array {
  const across = new Float32Array(values.length);
  const out = new Float32Array(values.length);
  const read = (from: Float32Array, i: number, inside: boolean): number => (inside ? from[i] : 0);
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      const near = read(values, i - 1, x > 0) + read(values, i + 1, x + 1 < cols);
      const far = read(values, i - 2, x > 1) + read(values, i + 2, x + 2 < cols);
      across[i] = 6 * values[i] + 4 * near + far;
    }
  }
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      const near = read(across, i - cols, y > 0) + read(across, i + cols, y + 1 < rows);
      const far = read(across, i - 2 * cols, y > 1) + read(across, i + 2 * cols, y + 2 < rows);
      out[i] = 6 * across[i] + 4 * near + far;
    }
  }
  return out;
}

function pullPush(sum: Float32Array, weight: Float32Array, cols: number, rows: number): Float32Array {
  const out = new Float32Array(cols * rows);
  let coarse: Float32Array | undefined;
  const wide = Math.ceil(cols / 2);
  if (cols > 1 || rows > 1) {
    const tall = Math.ceil(rows / 2);
    const s = new Float32Array(wide * tall);
    const w = new Float32Array(wide * tall);
    for (let y = 0; y < rows; y++) {
      for (let x = 0; x < cols; x++) {
        const to = (y >> 1) * wide + (x >> 1);
        s[to] += sum[y * cols + x];
        w[to] += weight[y * cols + x];
      }
    }
    coarse = pullPush(s, w, wide, tall);
  }
  for (let y = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++) {
      const i = y * cols + x;
      out[i] = weight[i] > 0 ? sum[i] / weight[i] : coarse ? coarse[(y >> 1) * wide + (x >> 1)] : 0;
    }
  }
  return out;
}
