/** Widens `n` bytes to 16-bit samples. */
export function widenBytes(src: usize, dst: usize, n: i32): void {
  let i = 0;
  for (; i + 8 <= n; i += 8) {
    v128.store(dst + ((<usize>i) << 1), i16x8.extend_low_i8x16_u(v128.load64_zero(src + <usize>i)));
  }
  for (; i < n; i++) store<u16>(dst + ((<usize>i) << 1), load<u8>(src + <usize>i));
}
