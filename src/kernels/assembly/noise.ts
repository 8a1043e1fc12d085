/** Integer hash with good avalanche ("lowbias32", Wellons 2018). */
// @ts-ignore: decorator
@inline
function hash(v: u32): u32 {
  v ^= v >> 16;
  v *= 0x7feb352d;
  v ^= v >> 15;
  v *= 0x846ca68b;
  v ^= v >> 16;
  return v;
}

/**
 * White noise of mean 0 and variance 1, near Gaussian (sum of four uniform bytes, twice), for the samples
 * (x0.., y0..) of a frame. The value depends on seed and position alone, so every rectangle agrees with every other.
 * Only tiles of tileW x tileH with active != 0 are written; `cols` of them lie side by side.
 */
export function whiteNoise(
  out: usize, w: i32, h: i32, x0: i32, y0: i32, seed: u32, active: usize, cols: i32, tileW: i32, tileH: i32,
): void {
  // The variance of a byte is (256² - 1) / 12; eight of them are added.
  const scale: f32 = 0.0047842;
  for (let y = 0; y < h; y++) {
    const line = hash(seed ^ (<u32>(y0 + y) * 0x9e3779b9));
    const tiles = active + <usize>(y / tileH * cols);
    for (let x = 0; x < w; x++) {
      if (load<u8>(tiles + <usize>(x / tileW)) == 0) {
        x += tileW - 1 - x % tileW;
        continue;
      }
      const a = hash(line ^ (<u32>(x0 + x) * 0x85ebca6b));
      const b = hash(a ^ 0x68bc21eb);
      const sum = bytes(a) + bytes(b) - 1020;
      store<f32>(out + (<usize>(y * w + x) << 2), <f32>sum * scale);
    }
  }
}

// @ts-ignore: decorator
@inline
function bytes(v: u32): i32 {
  return <i32>((v & 255) + ((v >> 8) & 255) + ((v >> 16) & 255) + (v >> 24));
}
