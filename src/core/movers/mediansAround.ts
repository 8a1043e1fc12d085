/** Median of the known (not NaN) values in a square around each cell; 0 where none is known. */
export function mediansAround(values: ArrayLike<number>, cols: number, rows: number, reach: number): Float32Array {
  const out = new Float32Array(values.length);
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      const near: number[] = [];
      for (let v = Math.max(0, r - reach); v <= Math.min(rows - 1, r + reach); v++) {
        for (let u = Math.max(0, c - reach); u <= Math.min(cols - 1, c + reach); u++) {
          const g = values[v * cols + u];
          if (!Number.isNaN(g)) near.push(g);
        }
      }
      near.sort((a, b) => a - b);
      out[r * cols + c] = near.length > 0 ? near[near.length >> 1] : 0;
    }
  }
  return out;
}
