/** Median of the known (not NaN) values in a square around each cell; 0 where none is known. */
export function mediansAround(values: ArrayLike<number>, cols: number, rows: number, reach: number): Float32Array {
  const out = new Float32Array(values.length);
  const near = new Float64Array((2 * reach + 1) ** 2);
  for (let r = 0; r < rows; r++) {
    const [top, bottom] = [Math.max(0, r - reach), Math.min(rows - 1, r + reach)];
    for (let c = 0; c < cols; c++) {
      const [left, right] = [Math.max(0, c - reach), Math.min(cols - 1, c + reach)];
      let n = 0;
      for (let v = top; v <= bottom; v++) {
        for (let i = v * cols + left; i <= v * cols + right; i++) if (!Number.isNaN(values[i])) near[n++] = values[i];
      }
      out[r * cols + c] = n > 0 ? near.subarray(0, n).sort()[n >> 1] : 0;
    }
  }
  return out;
}
