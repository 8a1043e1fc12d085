/** Mean over squares of 2·radius + 1 px, of those of their px that are there. */
export function boxMean(values: Float32Array, w: number, h: number, radius: number): Float32Array {
  const out = new Float32Array(values.length);
  // Sums of each column over the rows around one, carried on from row to row.
  const columns = new Float64Array(w);
  let rows = 0;
  for (let y = -radius; y < h; y++) {
    const [coming, going] = [y + radius, y - radius - 1];
    if (coming < h) {
      for (let x = 0, i = coming * w; x < w; x++, i++) columns[x] += values[i];
      rows++;
    }
    if (going >= 0) {
      for (let x = 0, i = going * w; x < w; x++, i++) columns[x] -= values[i];
      rows--;
    }
    if (y >= 0) meanAlong(columns, rows, out, y * w, radius);
  }
  return out;
}

/** Running mean of the columns' means along a row. */
function meanAlong(columns: Float64Array, rows: number, to: Float32Array, first: number, radius: number): void {
  const w = columns.length;
  let sum = 0;
  let count = Math.min(radius, w);
  for (let x = 0; x < count; x++) sum += columns[x];
  for (let x = 0; x < w; x++) {
    if (x + radius < w) {
      sum += columns[x + radius];
      count++;
    }
    if (x > radius) {
      sum -= columns[x - radius - 1];
      count--;
    }
    to[first + x] = sum / (count * rows);
  }
}
