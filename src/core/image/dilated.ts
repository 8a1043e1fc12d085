/** A mask and what lies beside it, at its corners too. */
export function dilated(mask: Uint8Array, cols: number, rows: number): Uint8Array {
  const out = mask.slice();
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      if (mask[i] === 0) continue;
      for (let b = Math.max(0, y - 1); b <= Math.min(rows - 1, y + 1); b++) {
        for (let a = Math.max(0, x - 1); a <= Math.min(cols - 1, x + 1); a++) out[b * cols + a] = 1;
      }
    }
  }
  return out;
}
