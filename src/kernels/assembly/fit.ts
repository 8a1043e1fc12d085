/**
 * Normal equations of a robust fit of differences: what `target` is above `source`, from what `taps` (even) neighbours
 * of a sample are above it, and a constant. For each of `n` places (i32 indices into both f32 planes) the row is
 * ((source[i + offset] - source[i]) / unit …, 1, 0), its value y = (target[i] - source[i]) / unit, its weight
 * 1 / (1 + (y / scale)²)².
 *
 * @param normal - (taps + 2)² f64, row-major, of which the lower triangle is added to, whole pairs of columns at a time;
 *   then taps + 2 f64 of the right-hand side. @param work - Scratch of taps + 2 f64.
 */
export function fitRows(
  source: usize, target: usize, places: usize, n: i32, offsets: usize, taps: i32, unit: f64, scale: f64,
  normal: usize, work: usize,
): void {
  const m = taps + 2;
  const right = normal + (<usize>(m * m) << 3);
  store<f64>(work + (<usize>taps << 3), 1);
  store<f64>(work + (<usize>taps << 3), 0, 8);
  for (let p = 0; p < n; p++) {
    const i = load<i32>(places + (<usize>p << 2));
    const centre = <f64>load<f32>(source + (<usize>i << 2));
    for (let k = 0; k < taps; k++) {
      const at = i + load<i32>(offsets + (<usize>k << 2));
      store<f64>(work + (<usize>k << 3), (<f64>load<f32>(source + (<usize>at << 2)) - centre) / unit);
    }
    const y = (<f64>load<f32>(target + (<usize>i << 2)) - centre) / unit;
    const e = 1 + (y / scale) * (y / scale);
    const weight = 1 / (e * e);
    for (let r = 0; r <= taps; r++) {
      const v = f64x2.splat(weight * load<f64>(work + (<usize>r << 3)));
      const row = normal + (<usize>(r * m) << 3);
      for (let c = 0; c <= r; c += 2) {
        const at = row + (<usize>c << 3);
        v128.store(at, f64x2.add(v128.load(at), f64x2.mul(v, v128.load(work + (<usize>c << 3)))));
      }
      const b = right + (<usize>r << 3);
      store<f64>(b, load<f64>(b) + f64x2.extract_lane(v, 0) * y);
    }
  }
}
