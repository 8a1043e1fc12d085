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
 * @param domain - 1 where the field is wanted: the membrane is free at its edge, beyond it stays the coarse start.
 * @returns The field, 0 everywhere if nothing is known.
 */
export function membrane(grid: Grid, sum: Float32Array, weight: Float32Array, domain?: Uint8Array): Float32Array {
  const { cols, rows } = grid;
  const s = smooth(sum, cols, rows);
  const w = smooth(weight, cols, rows);
  const field = pullPush(s, w, cols, rows);
  relax(field, linksOfUnknown(grid, weight, domain));
  return field;
}

/** Five numbers per unknown cell: its own and those of its neighbours; its own again for one that is missing. */
function linksOfUnknown({ cols, rows }: Grid, weight: Float32Array, domain: Uint8Array | undefined): Int32Array {
  const out = new Int32Array(5 * cols * rows);
  const wanted = (i: number): boolean => domain === undefined || domain[i] === 1;
  let n = 0;
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      if (weight[i] > 0 || !wanted(i)) continue;
      out[n++] = i;
      out[n++] = x > 0 && wanted(i - 1) ? i - 1 : i;
      out[n++] = x + 1 < cols && wanted(i + 1) ? i + 1 : i;
      out[n++] = y > 0 && wanted(i - cols) ? i - cols : i;
      out[n++] = y + 1 < rows && wanted(i + cols) ? i + cols : i;
    }
  }
  return out.subarray(0, n);
}

function relax(field: Float32Array, links: Int32Array): void {
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (let k = 0; k < links.length; k += 5) {
      const i = links[k];
      const around = field[links[k + 1]] + field[links[k + 2]] + field[links[k + 3]] + field[links[k + 4]];
      field[i] += OVER_RELAXATION * (around / 4 - field[i]);
    }
  }
}

/** 5x5 binomial smoothing; what lies outside counts as 0. */
function smooth(values: Float32Array, cols: number, rows: number): Float32Array {
  const across = new Float32Array(values.length);
  const out = new Float32Array(values.length);
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      let sum = 6 * values[i];
      if (x > 0) sum += 4 * values[i - 1];
      if (x > 1) sum += values[i - 2];
      if (x + 1 < cols) sum += 4 * values[i + 1];
      if (x + 2 < cols) sum += values[i + 2];
      across[i] = sum;
    }
  }
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      let sum = 6 * across[i];
      if (y > 0) sum += 4 * across[i - cols];
      if (y > 1) sum += across[i - 2 * cols];
      if (y + 1 < rows) sum += 4 * across[i + cols];
      if (y + 2 < rows) sum += across[i + 2 * cols];
      out[i] = sum;
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
