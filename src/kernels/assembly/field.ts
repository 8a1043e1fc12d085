/**
 * Adds a smooth field to the samples of tiles of at least a kind: bilinear between the values of its cells, of which
 * perTile x perTile lie in a tile of tileW x tileH samples; beyond the outer cells' centres it is constant.
 */
export function addField(
  samples: usize, w: i32, field: usize, fieldCols: i32, fieldRows: i32,
  active: usize, kind: i32, cols: i32, rows: i32, tileW: i32, tileH: i32, perTile: i32,
): void {
  const half: f32 = 0.5;
  const zero: f32 = 0;
  const stepX = <f32>perTile / <f32>tileW;
  const stepY = <f32>perTile / <f32>tileH;
  for (let y = 0; y < rows * tileH; y++) {
    const gy = min(max((<f32>y + half) * stepY - half, zero), <f32>(fieldRows - 1));
    const iy = min(<i32>gy, max(fieldRows - 2, 0));
    const v = gy - <f32>iy;
    const top = field + (<usize>(iy * fieldCols) << 2);
    const bottom = field + (<usize>(min(iy + 1, fieldRows - 1) * fieldCols) << 2);
    const tiles = active + <usize>(y / tileH * cols);
    for (let c = 0; c < cols; c++) {
      if (<i32>load<u8>(tiles + <usize>c) < kind) continue;
      for (let x = c * tileW; x < (c + 1) * tileW; x++) {
        const gx = min(max((<f32>x + half) * stepX - half, zero), <f32>(fieldCols - 1));
        const ix = min(<i32>gx, max(fieldCols - 2, 0));
        const u = gx - <f32>ix;
        const p = <usize>ix << 2;
        const q = <usize>min(ix + 1, fieldCols - 1) << 2;
        const a = load<f32>(top + p) + (load<f32>(top + q) - load<f32>(top + p)) * u;
        const b = load<f32>(bottom + p) + (load<f32>(bottom + q) - load<f32>(bottom + p)) * u;
        const at = samples + (<usize>(y * w + x) << 2);
        store<f32>(at, load<f32>(at) + a + (b - a) * v);
      }
    }
  }
}
