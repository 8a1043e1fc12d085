/**
 * Correlates an f32 plane with a side x side kernel (odd side, row-major f32); borders repeat.
 * Only tiles of tileW x tileH (a multiple of 4 wide) with active != 0 are written; `cols` of them lie side by side.
 */
export function correlateTiles(
  src: usize, w: i32, h: i32, kernel: usize, side: i32, out: usize, active: usize, cols: i32, tileW: i32, tileH: i32,
): void {
  for (let y = 0; y < h; y++) {
    const row = active + <usize>(y / tileH * cols);
    for (let c = 0; c < cols; c++) {
      if (load<u8>(row + <usize>c) != 0) correlateRun(src, w, h, kernel, side, out, y, c * tileW, min(c * tileW + tileW, w));
    }
  }
}

function correlateRun(
  src: usize, w: i32, h: i32, kernel: usize, side: i32, out: usize, y: i32, from: i32, to: i32,
): void {
  const r = side >> 1;
  for (let x = from; x < to; ) {
    if (x >= r && x + 4 + r <= w && x + 4 <= to) {
      let sum = f32x4.splat(0);
      for (let j = 0; j < side; j++) {
        const yy = min(max(y + j - r, 0), h - 1);
        const p = src + ((<usize>yy * <usize>w + <usize>(x - r)) << 2);
        for (let i = 0; i < side; i++) {
          const k = v128.load32_splat(kernel + (<usize>(j * side + i) << 2));
          sum = f32x4.add(sum, f32x4.mul(k, v128.load(p + (<usize>i << 2))));
        }
      }
      v128.store(out + ((<usize>y * <usize>w + <usize>x) << 2), sum);
      x += 4;
    } else {
      let sum: f32 = 0;
      for (let j = 0; j < side; j++) {
        const yy = min(max(y + j - r, 0), h - 1);
        for (let i = 0; i < side; i++) {
          const xx = min(max(x + i - r, 0), w - 1);
          sum += load<f32>(kernel + (<usize>(j * side + i) << 2)) *
            load<f32>(src + ((<usize>yy * <usize>w + <usize>xx) << 2));
        }
      }
      store<f32>(out + ((<usize>y * <usize>w + <usize>x) << 2), sum);
      x++;
    }
  }
}
