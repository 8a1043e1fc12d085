/** Integer hash with good avalanche ("lowbias32", Wellons 2018), of four numbers at once. */
// @ts-ignore: decorator
@inline
function hash4(v: v128): v128 {
  v = v128.xor(v, i32x4.shr_u(v, 16));
  v = i32x4.mul(v, i32x4.splat(0x7feb352d));
  v = v128.xor(v, i32x4.shr_u(v, 15));
  v = i32x4.mul(v, i32x4.splat(<i32>0x846ca68b));
  return v128.xor(v, i32x4.shr_u(v, 16));
}

/** How far around the tiles that are asked for noise is made, px: a filter reaches there. */
const MARGIN: i32 = 4;

/**
 * White noise of mean 0 and variance 1, near Gaussian (sum of four uniform bytes, twice), for the samples
 * (x0.., y0..) of a frame. The value depends on seed and position alone, so every rectangle agrees with every other.
 * Only tiles of tileW (a multiple of 4) x tileH with active != 0 are written, and MARGIN px around them; `cols` of them lie
 * side by side.
 */
export function whiteNoise(
  out: usize, w: i32, h: i32, x0: i32, y0: i32, seed: u32, active: usize, cols: i32, tileW: i32, tileH: i32,
): void {
  let near = false;
  let last = -1;
  for (let y = 0; y < h; y++) {
    // A few tiles of many are asked for at a time: rows that are far from all of them are passed over.
    const tileRow = y / tileH;
    if (tileRow != last) near = anyNear(active, tileRow, (h + tileH - 1) / tileH, cols);
    last = tileRow;
    if (!near) continue;
    const line = hash4(i32x4.splat(<i32>(seed ^ (<u32>(y0 + y) * 0x9e3779b9))));
    const above = active + <usize>(max(y - MARGIN, 0) / tileH * cols);
    const below = active + <usize>(min(y + MARGIN, h - 1) / tileH * cols);
    const row = out + (<usize>(y * w) << 2);
    for (let c = 0; c < cols; c++) {
      const x = c * tileW;
      if (either(above, below, c)) noiseRun(row, x0, x, x + tileW, line);
      else {
        if (c > 0 && either(above, below, c - 1)) noiseRun(row, x0, x, x + MARGIN, line);
        if (c + 1 < cols && either(above, below, c + 1)) noiseRun(row, x0, x + tileW - MARGIN, x + tileW, line);
      }
    }
  }
}

/** Whether a tile of a row of tiles, or of those beside it, is active. */
function anyNear(active: usize, row: i32, rows: i32, cols: i32): bool {
  const end = active + <usize>(min(row + 2, rows) * cols);
  for (let at = active + <usize>(max(row - 1, 0) * cols); at < end; at++) if (load<u8>(at) != 0) return true;
  return false;
}

/** Whether a tile of one row of tiles or of another is active; a row of px touches two at most. */
// @ts-ignore: decorator
@inline
function either(above: usize, below: usize, c: i32): bool {
  return (load<u8>(above + <usize>c) | load<u8>(below + <usize>c)) != 0;
}

// @ts-ignore: decorator
@inline
function noiseRun(row: usize, x0: i32, from: i32, to: i32, line: v128): void {
  // The variance of a byte is (256² - 1) / 12; eight of them are added.
  const scale = f32x4.splat(0.0047842);
  const middle = i32x4.splat(1020);
  for (let x = from; x < to; x += 4) {
    const xs = i32x4.add(i32x4.splat(x0 + x), i32x4(0, 1, 2, 3));
    const a = hash4(v128.xor(line, i32x4.mul(xs, i32x4.splat(<i32>0x85ebca6b))));
    const b = hash4(v128.xor(a, i32x4.splat(0x68bc21eb)));
    const sum = i32x4.sub(i32x4.add(bytes4(a), bytes4(b)), middle);
    v128.store(row + (<usize>x << 2), f32x4.mul(f32x4.convert_i32x4_s(sum), scale));
  }
}

/** Sum of the bytes of each of four numbers. */
// @ts-ignore: decorator
@inline
function bytes4(v: v128): v128 {
  return i32x4.extadd_pairwise_i16x8_u(i16x8.extadd_pairwise_i8x16_u(v));
}
