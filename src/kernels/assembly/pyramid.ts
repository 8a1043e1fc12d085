/** Index clamped to 0..n-1. */
// @ts-ignore: decorator
@inline
function clampIndex(i: i32, n: i32): usize {
  return <usize>(i < 0 ? 0 : i >= n ? n - 1 : i);
}

/** Four 16-bit samples as 32-bit integers. */
// @ts-ignore: decorator
@inline
function load4(ptr: usize): v128 {
  return v128.load16x4_u(ptr);
}

/**
 * Halves a 16-bit plane with the binomial filter 1 4 6 4 1 (Burt & Adelson 1983).
 * Sample (i, j) of the result lies at (2i, 2j) of the source; borders repeat.
 * `row` is scratch for w + 16 32-bit values.
 */
export function halve(src: usize, w: i32, h: i32, dst: usize, row: usize): void {
  const ow = (w + 1) >> 1;
  const oh = (h + 1) >> 1;
  const mid = row + 16; // two samples of padding on the left, aligned to a vector
  for (let y = 0; y < oh; y++) {
    const r0 = src + ((clampIndex(2 * y - 2, h) * <usize>w) << 1);
    const r1 = src + ((clampIndex(2 * y - 1, h) * <usize>w) << 1);
    const r2 = src + ((clampIndex(2 * y, h) * <usize>w) << 1);
    const r3 = src + ((clampIndex(2 * y + 1, h) * <usize>w) << 1);
    const r4 = src + ((clampIndex(2 * y + 2, h) * <usize>w) << 1);
    let x = 0;
    for (; x + 4 <= w; x += 4) {
      const o = <usize>x << 1;
      const sum = i32x4.add(
        i32x4.add(load4(r0 + o), load4(r4 + o)),
        i32x4.add(
          i32x4.shl(i32x4.add(load4(r1 + o), load4(r3 + o)), 2),
          i32x4.mul(load4(r2 + o), i32x4.splat(6)),
        ),
      );
      v128.store(mid + (<usize>x << 2), sum);
    }
    for (; x < w; x++) {
      const o = <usize>x << 1;
      const sum =
        <u32>load<u16>(r0 + o) + <u32>load<u16>(r4 + o) +
        4 * (<u32>load<u16>(r1 + o) + <u32>load<u16>(r3 + o)) + 6 * <u32>load<u16>(r2 + o);
      store<u32>(mid + (<usize>x << 2), sum);
    }
    const first = load<u32>(mid);
    const last = load<u32>(mid + (<usize>(w - 1) << 2));
    store<u32>(mid - 4, first);
    store<u32>(mid - 8, first);
    for (let k = 0; k < 8; k++) store<u32>(mid + (<usize>(w + k) << 2), last);
    const out = dst + ((<usize>y * <usize>ow) << 1);
    let i = 0;
    for (; i + 4 <= ow; i += 4) {
      // Even and odd samples apart: result i needs -2, 0, 2 of the even and -1, 1 of the odd ones.
      const p = mid + (<usize>(2 * i) << 2) - 8;
      const a = v128.load(p);
      const b = v128.load(p, 16);
      const c = v128.load(p, 32);
      const even = v128.shuffle<i32>(a, b, 0, 2, 4, 6);
      const odd = v128.shuffle<i32>(a, b, 1, 3, 5, 7);
      const evenNext = v128.shuffle<i32>(even, c, 1, 2, 3, 4);
      const oddNext = v128.shuffle<i32>(odd, c, 1, 2, 3, 5);
      const evenLast = v128.shuffle<i32>(even, v128.shuffle<i32>(c, c, 0, 2, 0, 2), 2, 3, 4, 5);
      const sum = i32x4.add(
        i32x4.add(even, evenLast),
        i32x4.add(i32x4.shl(i32x4.add(odd, oddNext), 2), i32x4.mul(evenNext, i32x4.splat(6))),
      );
      const v = i32x4.shr_u(i32x4.add(sum, i32x4.splat(128)), 8);
      v128.store64_lane(out + (<usize>i << 1), i16x8.narrow_i32x4_u(v, v), 0);
    }
    for (; i < ow; i++) {
      const p = mid + (<usize>(2 * i) << 2) - 8;
      const sum =
        load<u32>(p) + load<u32>(p + 16) + 4 * (load<u32>(p + 4) + load<u32>(p + 12)) + 6 * load<u32>(p + 8);
      store<u16>(out + (<usize>i << 1), <u16>((sum + 128) >> 8));
    }
  }
}

/**
 * Means of squares of `factor` by `factor` samples, of 1 or 2 `bytes` each, as they are stored; the last ones of a row or column may
 * be smaller. `columns` is scratch for w + 8 32-bit values.
 */
export function meanSquares(src: usize, bytes: i32, w: i32, h: i32, factor: i32, dst: usize, columns: usize): void {
  let out = dst;
  for (let top = 0; top < h; top += factor) {
    const tall = h - top < factor ? h - top : factor;
    memory.fill(columns, 0, <usize>(w + 8) << 2);
    for (let y = top; y < top + tall; y++) addRow(src + <usize>y * <usize>w * <usize>bytes, bytes, w, columns);
    for (let x = 0; x < w; x += factor) {
      const end = w - x < factor ? w : x + factor;
      const px = <u32>((end - x) * tall);
      let sum = px >> 1;
      for (let i = x; i < end; i++) sum += load<u32>(columns + (<usize>i << 2));
      if (bytes === 1) store<u8>(out, <u8>(sum / px));
      else store<u16>(out, <u16>(sum / px));
      out += bytes;
    }
  }
}

/** Adds a row of stored samples to 32-bit sums. */
function addRow(row: usize, bytes: i32, w: i32, sums: usize): void {
  let x = 0;
  for (; x + 8 <= w; x += 8) {
    const at = sums + (<usize>x << 2);
    let low: v128, high: v128;
    if (bytes === 1) {
      const eight = v128.load8x8_u(row + x);
      low = i32x4.extend_low_i16x8_u(eight);
      high = i32x4.extend_high_i16x8_u(eight);
    } else {
      low = load4(row + (<usize>x << 1));
      high = load4(row + (<usize>x << 1) + 8);
    }
    v128.store(at, i32x4.add(v128.load(at), low));
    v128.store(at, i32x4.add(v128.load(at, 16), high), 16);
  }
  for (; x < w; x++) {
    const at = sums + (<usize>x << 2);
    store<u32>(at, load<u32>(at) + (bytes === 1 ? <u32>load<u8>(row + x) : <u32>load<u16>(row + (<usize>x << 1))));
  }
}
