/**
 * A value between the middles of cells, in proportion (bilinear).
 *
 * @param x, y - Px from the corner of the first cell; a px's middle lies half a px beyond its place. @param side - Of a cell, px.
 * @param valueAt - Of the cell in a column and row of the grid; beyond the grid the nearest cell is asked.
 */
export function betweenCells(
  x: number,
  y: number,
  side: number,
  { cols, rows }: { cols: number; rows: number },
  valueAt: (cell: number) => number,
): number {
  const [u, v] = [(x + 0.5) / side - 0.5, (y + 0.5) / side - 0.5];
  const [c, r] = [Math.floor(u), Math.floor(v)];
  const at = (a: number, b: number): number =>
    valueAt(Math.max(0, Math.min(rows - 1, b)) * cols + Math.max(0, Math.min(cols - 1, a)));
  const top = at(c, r) * (1 - u + c) + at(c + 1, r) * (u - c);
  const bottom = at(c, r + 1) * (1 - u + c) + at(c + 1, r + 1) * (u - c);
  return top * (1 - v + r) + bottom * (v - r);
}
