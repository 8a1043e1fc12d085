/**
 * Smaller eigenvalue of the 7x7 structure tensor (Shi & Tomasi 1994) of a 16-bit plane, written as f32.
 * A border of 4 px is set to 0. `work` is scratch for 3·w running column sums and 3·w·7 products (f32).
 */
export function cornerScore(src: usize, w: i32, h: i32, out: usize, work: usize): void {
  const rowBytes = (<usize>w) << 2;
  memory.fill(out, 0, rowBytes * <usize>h);
  memory.fill(work, 0, rowBytes * 24);
  const sums = work;
  const ring = work + rowBytes * 3;
  for (let y = 1; y < h - 1; y++) {
    const slot = ring + <usize>(y % 7) * rowBytes * 3;
    const up = src + ((<usize>(y - 1) * <usize>w) << 1);
    const at = up + ((<usize>w) << 1);
    const down = at + ((<usize>w) << 1);
    for (let x = 1; x < w - 1; x++) {
      const o = (<usize>x) << 1;
      const gx: f32 = <f32>(<i32>load<u16>(at + o + 2) - <i32>load<u16>(at + o - 2));
      const gy: f32 = <f32>(<i32>load<u16>(down + o) - <i32>load<u16>(up + o));
      const p = (<usize>x) << 2;
      const xx = gx * gx;
      const xy = gx * gy;
      const yy = gy * gy;
      const a = slot + p;
      const b = a + rowBytes;
      const c = b + rowBytes;
      const s = sums + p;
      store<f32>(s, load<f32>(s) + xx - load<f32>(a));
      store<f32>(s + rowBytes, load<f32>(s + rowBytes) + xy - load<f32>(b));
      store<f32>(s + 2 * rowBytes, load<f32>(s + 2 * rowBytes) + yy - load<f32>(c));
      store<f32>(a, xx);
      store<f32>(b, xy);
      store<f32>(c, yy);
    }
    if (y < 7) continue;
    scoreRow(sums, rowBytes, w, out + <usize>(y - 3) * rowBytes);
  }
}

function scoreRow(sums: usize, rowBytes: usize, w: i32, out: usize): void {
  let xx: f32 = 0;
  let xy: f32 = 0;
  let yy: f32 = 0;
  for (let x = 1; x < w - 1; x++) {
    const s = sums + ((<usize>x) << 2);
    xx += load<f32>(s);
    xy += load<f32>(s + rowBytes);
    yy += load<f32>(s + 2 * rowBytes);
    if (x >= 8) {
      const d = s - 28;
      xx -= load<f32>(d);
      xy -= load<f32>(d + rowBytes);
      yy -= load<f32>(d + 2 * rowBytes);
    }
    if (x < 7) continue;
    const half: f32 = 0.5;
    const mean = (xx + yy) * half;
    const diff = (xx - yy) * half;
    store<f32>(out + ((<usize>(x - 3)) << 2), mean - sqrt(diff * diff + xy * xy));
  }
}
