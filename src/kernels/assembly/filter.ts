/**
 * Correlates an f32 plane with a side x side kernel (odd side, row-major f32); borders repeat.
 * Only tiles of tileW x tileH (a multiple of 4 wide) with active != 0 are written; `cols` of them lie side by side.
 */
export function correlateTiles(
  src: usize, w: i32, h: i32, kernel: usize, side: i32, out: usize, active: usize, cols: i32, tileW: i32, tileH: i32,
): void {
  for (let top = 0; top < h; top += tileH, active += <usize>cols) {
    for (let c = 0; c < cols; c++) {
      if (load<u8>(active + <usize>c) == 0) continue;
      for (let y = top; y < min(top + tileH, h); y++) {
        correlateRun(src, w, h, kernel, side, out, y, c * tileW, min(c * tileW + tileW, w));
      }
    }
  }
}

function correlateRun(
  src: usize, w: i32, h: i32, kernel: usize, side: i32, out: usize, y: i32, from: i32, to: i32,
): void {
  const r = side >> 1;
  for (let x = from; x < to; ) {
    const o = out + ((<usize>y * <usize>w + <usize>x) << 2);
    if (x >= r && x + 8 + r <= w && x + 8 <= to) {
      correlateEight(src, w, h, kernel, side, o, y - r, x - r);
      x += 8;
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
      store<f32>(o, sum);
      x++;
    }
  }
}

/** Eight neighbours at once, whose window's first sample is that of the first one: (x, y). */
// @ts-ignore: decorator
@inline
function correlateEight(
  src: usize, w: i32, h: i32, kernel: usize, side: i32, out: usize, y: i32, x: i32,
): void {
  let left = f32x4.splat(0);
  let right = left;
  let tap = kernel;
  for (let j = 0; j < side; j++) {
    let p = src + ((<usize>min(max(y + j, 0), h - 1) * <usize>w + <usize>x) << 2);
    for (const end = p + (<usize>side << 2); p < end; p += 4) {
      const k = v128.load32_splat(tap);
      left = f32x4.add(left, f32x4.mul(k, v128.load(p)));
      right = f32x4.add(right, f32x4.mul(k, v128.load(p, 16)));
      tap += 4;
    }
  }
  v128.store(out, left);
  v128.store(out, right, 16);
}
