/** Side of the tracked window, px. */
const SIDE: i32 = 16;
const AREA: i32 = 256;
/** Offset of the window's first sample from the point. */
const FIRST: i32 = -8;

// @ts-ignore: decorator
@inline
export function floats4(ptr: usize): v128 {
  return f32x4.convert_i32x4_s(v128.load16x4_u(ptr));
}

/** Window around (x, y), upright, into `out` (AREA floats). Returns the sum. */
export function sampleUpright(src: usize, stride: i32, x: f32, y: f32, out: usize): f32 {
  const fx = floor(x);
  const fy = floor(y);
  const u = f32x4.splat(x - fx);
  const v = f32x4.splat(y - fy);
  let sum = f32x4.splat(0);
  const down = <usize>stride << 1;
  const first = src + ((<usize>((<i32>fy + FIRST) * stride + <i32>fx + FIRST)) << 1);
  for (let i = 0; i < SIDE; i += 4) {
    let p = first + (<usize>i << 1);
    let o = out + (<usize>i << 2);
    const a = floats4(p);
    let above = f32x4.add(a, f32x4.mul(f32x4.sub(floats4(p + 2), a), u));
    for (let j = 0; j < SIDE; j++) {
      p += down;
      const c = floats4(p);
      const below = f32x4.add(c, f32x4.mul(f32x4.sub(floats4(p + 2), c), u));
      const value = f32x4.add(above, f32x4.mul(f32x4.sub(below, above), v));
      v128.store(o, value);
      sum = f32x4.add(sum, value);
      above = below;
      o += SIDE << 2;
    }
  }
  return lanes(sum);
}

/** Window around (x, y) turned and scaled by the matrix a b c d, into `out`. Returns the sum. */
export function sampleTurned(
  src: usize, stride: i32, x: f32, y: f32, a: f32, b: f32, c: f32, d: f32, out: usize,
): f32 {
  let sum = f32x4.splat(0);
  const across = f32x4(0, 1, 2, 3);
  const alongX = f32x4.mul(across, f32x4.splat(a));
  const alongY = f32x4.mul(across, f32x4.splat(c));
  const pitch = i32x4.splat(stride);
  const low = i32x4.splat(0xffff);
  const nextRow = <usize>stride << 1;
  for (let j = 0; j < SIDE; j++) {
    const dy = <f32>(j + FIRST);
    for (let i = 0; i < SIDE; i += 4) {
      const dx = <f32>(i + FIRST);
      const px = f32x4.add(f32x4.splat(x + a * dx + b * dy), alongX);
      const py = f32x4.add(f32x4.splat(y + c * dx + d * dy), alongY);
      const fx = f32x4.floor(px);
      const fy = f32x4.floor(py);
      const u = f32x4.sub(px, fx);
      const v = f32x4.sub(py, fy);
      const at = i32x4.shl(
        i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(fy), pitch), i32x4.trunc_sat_f32x4_s(fx)),
        1,
      );
      const p0 = src + <usize>i32x4.extract_lane(at, 0);
      const p1 = src + <usize>i32x4.extract_lane(at, 1);
      const p2 = src + <usize>i32x4.extract_lane(at, 2);
      const p3 = src + <usize>i32x4.extract_lane(at, 3);
      // Each load takes two samples beside each other: one in the low, one in the high half of a lane.
      let top = v128.load32_zero(p0);
      top = v128.load32_lane(p1, top, 1);
      top = v128.load32_lane(p2, top, 2);
      top = v128.load32_lane(p3, top, 3);
      let bottom = v128.load32_zero(p0 + nextRow);
      bottom = v128.load32_lane(p1 + nextRow, bottom, 1);
      bottom = v128.load32_lane(p2 + nextRow, bottom, 2);
      bottom = v128.load32_lane(p3 + nextRow, bottom, 3);
      const ta = f32x4.convert_i32x4_s(v128.and(top, low));
      const ba = f32x4.convert_i32x4_s(v128.and(bottom, low));
      const upper = f32x4.add(ta, f32x4.mul(f32x4.sub(f32x4.convert_i32x4_s(i32x4.shr_u(top, 16)), ta), u));
      const lower = f32x4.add(ba, f32x4.mul(f32x4.sub(f32x4.convert_i32x4_s(i32x4.shr_u(bottom, 16)), ba), u));
      const value = f32x4.add(upper, f32x4.mul(f32x4.sub(lower, upper), v));
      v128.store(out + (<usize>(j * SIDE + i) << 2), value);
      sum = f32x4.add(sum, value);
    }
  }
  return lanes(sum);
}

// @ts-ignore: decorator
@inline
export function lanes(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3);
}

/** Subtracts the mean in place; returns the sum of squares. */
function centre(values: usize, sum: f32): f32 {
  const mean = f32x4.splat(sum / <f32>AREA);
  let squares = f32x4.splat(0);
  for (let k = 0; k < AREA; k += 4) {
    const p = values + (<usize>k << 2);
    const v = f32x4.sub(v128.load(p), mean);
    v128.store(p, v);
    squares = f32x4.add(squares, f32x4.mul(v, v));
  }
  return lanes(squares);
}

// @ts-ignore: decorator
@inline
export function dot(a: usize, b: usize): f32 {
  let sum = f32x4.splat(0);
  for (let k: usize = 0; k < <usize>AREA << 2; k += 16) {
    sum = f32x4.add(sum, f32x4.mul(v128.load(a + k), v128.load(b + k)));
  }
  return lanes(sum);
}

/** Of a window less its mean: the sum of squares, and products with the template and its slopes. */
let power: f32 = 0;
let cross: f32 = 0;
let alongX: f32 = 0;
let alongY: f32 = 0;

function compare(values: usize, sum: f32, t: usize, gx: usize, gy: usize): void {
  const mean = f32x4.splat(sum / <f32>AREA);
  const none = f32x4.splat(0);
  let squares = none;
  let products = none;
  let x = none;
  let y = none;
  for (let k: usize = 0; k < <usize>AREA << 2; k += 16) {
    const v = f32x4.sub(v128.load(values + k), mean);
    squares = f32x4.add(squares, f32x4.mul(v, v));
    products = f32x4.add(products, f32x4.mul(v, v128.load(t + k)));
    x = f32x4.add(x, f32x4.mul(v, v128.load(gx + k)));
    y = f32x4.add(y, f32x4.mul(v, v128.load(gy + k)));
  }
  power = lanes(squares);
  cross = lanes(products);
  alongX = lanes(x);
  alongY = lanes(y);
}

/**
 * One pyramid level of translation tracking by inverse compositional Lucas-Kanade (Baker & Matthews 2004),
 * invariant to gain and offset of the window.
 *
 * A point is 10 floats: px py (template), qx qy (guess, updated), a b c d (local turn and scale from template to
 * image), zncc (out), state (out; 1 = inside and converging, 0 = lost). Coordinates in px of this level.
 * `work` is scratch for 4 windows.
 */
export function trackPoints(
  tpl: usize, img: usize, w: i32, h: i32, points: usize, n: i32, iterations: i32, work: usize,
): void {
  const t = work;
  const gx = work + (<usize>AREA << 2);
  const gy = gx + (<usize>AREA << 2);
  const v = gy + (<usize>AREA << 2);
  const low: f32 = 10;
  const right = <f32>w - 11;
  const bottom = <f32>h - 11;
  for (let k = 0; k < n; k++) {
    const p = points + <usize>k * 40;
    store<f32>(p, 0, 36);
    store<f32>(p, 0, 32);
    const px = load<f32>(p);
    const py = load<f32>(p, 4);
    let qx = load<f32>(p, 8);
    let qy = load<f32>(p, 12);
    if (!(px >= low && py >= low && px <= right && py <= bottom)) continue;
    const half: f32 = 0.5;
    sampleUpright(tpl, w, px + 1, py, gx);
    sampleUpright(tpl, w, px - 1, py, v);
    for (let i: usize = 0; i < <usize>AREA << 2; i += 16) {
      v128.store(gx + i, f32x4.mul(f32x4.sub(v128.load(gx + i), v128.load(v + i)), f32x4.splat(half)));
    }
    sampleUpright(tpl, w, px, py + 1, gy);
    sampleUpright(tpl, w, px, py - 1, v);
    for (let i: usize = 0; i < <usize>AREA << 2; i += 16) {
      v128.store(gy + i, f32x4.mul(f32x4.sub(v128.load(gy + i), v128.load(v + i)), f32x4.splat(half)));
    }
    const energy = centre(t, sampleUpright(tpl, w, px, py, t));
    const hxx = dot(gx, gx);
    const hxy = dot(gx, gy);
    const hyy = dot(gy, gy);
    const tx = dot(gx, t);
    const ty = dot(gy, t);
    const det = hxx * hyy - hxy * hxy;
    const small: f32 = 1e-3;
    if (!(energy > 1) || !(det > small * hxx * hyy)) continue;
    const a = load<f32>(p, 16);
    const b = load<f32>(p, 20);
    const c = load<f32>(p, 24);
    const d = load<f32>(p, 28);
    const slack: f32 = 0.03;
    const one: f32 = 1;
    const upright = abs(a - one) < slack && abs(d - one) < slack && abs(b) < slack && abs(c) < slack;
    let zncc: f32 = 0;
    let state: f32 = 1;
    for (let it = 0; it <= iterations; it++) {
      const inside = upright
        ? qx >= low && qy >= low && qx <= right && qy <= bottom
        : turnedInside(qx, qy, a, b, c, d, w, h);
      if (!inside) {
        state = 0;
        break;
      }
      const sum = upright ? sampleUpright(img, w, qx, qy, v) : sampleTurned(img, w, qx, qy, a, b, c, d, v);
      compare(v, sum, t, gx, gy);
      if (!(power > 1)) {
        state = 0;
        break;
      }
      zncc = cross / sqrt(power * energy);
      if (it == iterations) break;
      // The gain that brings the image window to the template's contrast.
      const gain = cross > 0 ? cross / power : sqrt(energy / power);
      const ex = gain * alongX - tx;
      const ey = gain * alongY - ty;
      const dx = (hyy * ex - hxy * ey) / det;
      const dy = (hxx * ey - hxy * ex) / det;
      qx -= a * dx + b * dy;
      qy -= c * dx + d * dy;
      const still: f32 = 0.0001;
      if (dx * dx + dy * dy < still) {
        // One more look for the final correlation.
        if (it + 1 < iterations) it = iterations - 1;
      }
    }
    store<f32>(p, qx, 8);
    store<f32>(p, qy, 12);
    store<f32>(p, zncc, 32);
    store<f32>(p, state, 36);
  }
}

export function turnedInside(x: f32, y: f32, a: f32, b: f32, c: f32, d: f32, w: i32, h: i32): bool {
  const r: f32 = 8;
  const one: f32 = 1;
  const rx = r * (abs(a) + abs(b)) + one;
  const ry = r * (abs(c) + abs(d)) + one;
  return x - rx >= 0 && y - ry >= 0 && x + rx + one < <f32>w && y + ry + one < <f32>h;
}
