/** Widens `n` bytes to 16-bit samples. */
export function widenBytes(src: usize, dst: usize, n: i32): void {
  let i = 0;
  for (; i + 8 <= n; i += 8) {
    v128.store(dst + ((<usize>i) << 1), i16x8.extend_low_i8x16_u(v128.load64_zero(src + <usize>i)));
  }
  for (; i < n; i++) store<u16>(dst + ((<usize>i) << 1), load<u8>(src + <usize>i));
}

/** A part of a plane of `depth`-bit samples as 16-bit samples of `bits` bits; `bytes` is the size of a source sample. */
export function cutPlane(
  src: usize, stride: i32, x: i32, bytes: i32, depth: i32, w: i32, h: i32, dst: usize, bits: i32,
): void {
  const up = max(0, bits - depth);
  const down = max(0, depth - bits);
  for (let y = 0; y < h; y++) {
    const p = src + <usize>((y * stride + x) * bytes);
    const q = dst + (<usize>(y * w) << 1);
    let i = 0;
    if (bytes == 1) {
      for (; i + 8 <= w; i += 8) {
        const wide = i16x8.extend_low_i8x16_u(v128.load64_zero(p + <usize>i));
        v128.store(q + (<usize>i << 1), i16x8.shl(wide, up));
      }
    }
    for (; i < w; i++) {
      const v = bytes == 1 ? <u32>load<u8>(p + <usize>i) : <u32>load<u16>(p + (<usize>i << 1));
      store<u16>(q + (<usize>i << 1), <u16>((v << up) >> down));
    }
  }
}

/** Rounds `n` samples times a factor, half up, to whole ones of 0..most. */
export function roundSamples(src: usize, n: i32, factor: f32, most: f32, dst: usize): void {
  const half: f32 = 0.5;
  const zero: f32 = 0;
  const lows = f32x4.splat(zero);
  const tops = f32x4.splat(most);
  const halves = f32x4.splat(half);
  const factors = f32x4.splat(factor);
  let i = 0;
  for (; i + 4 <= n; i += 4) {
    const v = f32x4.add(f32x4.mul(v128.load(src + (<usize>i << 2)), factors), halves);
    const whole = i32x4.trunc_sat_f32x4_s(f32x4.pmin(f32x4.pmax(v, lows), tops));
    v128.store64_lane(dst + (<usize>i << 1), i16x8.narrow_i32x4_u(whole, whole), 0);
  }
  for (; i < n; i++) {
    const v = load<f32>(src + (<usize>i << 2)) * factor + half;
    store<u16>(dst + (<usize>i << 1), <u16>min(max(v, zero), most));
  }
}
