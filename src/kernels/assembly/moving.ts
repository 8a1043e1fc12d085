/**
 * What a frame shows against other frames laid over it. Planes are u16, at most 4095; 65535 in a laid-over plane means
 * that it does not show the place.
 */

const NOWHERE: u16 = 65535;

/**
 * Sums of a plane and of another laid over it, and the number of px that both show, per cell of `cell` px: 3 f32 per cell.
 * Every third px both ways is looked at. `map` is a homography (9 f32) from px of the plane to px of the other.
 */
export function cellSums(
  plane: usize, other: usize, w: i32, h: i32, map: usize, cell: i32, sums: usize,
): void {
  const cols = (w + cell - 1) / cell;
  const rows = (h + cell - 1) / cell;
  memory.fill(sums, 0, <usize>(cols * rows * 12));
  const right = <f32>(w - 1);
  const bottom = <f32>(h - 1);
  const half: f32 = 0.5;
  for (let y = 1; y < h; y += 3) {
    for (let x = 1; x < w; x += 3) {
      const q = <f32>1 / (load<f32>(map, 24) * <f32>x + load<f32>(map, 28) * <f32>y + load<f32>(map, 32));
      const px = (load<f32>(map) * <f32>x + load<f32>(map, 4) * <f32>y + load<f32>(map, 8)) * q;
      const py = (load<f32>(map, 12) * <f32>x + load<f32>(map, 16) * <f32>y + load<f32>(map, 20)) * q;
      if (!(px >= 0 && py >= 0 && px <= right && py <= bottom)) continue;
      const s = sums + <usize>(((y / cell) * cols + x / cell) * 12);
      const there = other + (<usize>(<i32>(py + half) * w + <i32>(px + half)) << 1);
      store<f32>(s, load<f32>(s) + <f32>load<u16>(plane + (<usize>(y * w + x) << 1)));
      store<f32>(s, load<f32>(s, 4) + <f32>load<u16>(there), 4);
      store<f32>(s, load<f32>(s, 8) + 1, 8);
    }
  }
}

/**
 * Lays a plane over another: sampled bilinearly where `map` (homography, 9 f32, from px of the result to px of the plane)
 * leads, times a gain that is given at the middles of cells of `cell` px; at most 4095; NOWHERE where that is outside the
 * plane. `work` is w f32.
 */
export function layPlane(
  src: usize, w: i32, h: i32, map: usize, gains: usize, cell: i32, out: usize, work: usize,
): void {
  const right = <f32>(w - 1);
  const bottom = <f32>(h - 1);
  const stride = <usize>w << 1;
  for (let y = 0; y < h; y++) {
    // Light is smooth: its gain is worked out anew on every fourth row only.
    if ((y & 3) == 0) gainRow(gains, w, h, cell, y, work);
    const bx = load<f32>(map, 4) * <f32>y + load<f32>(map, 8);
    const by = load<f32>(map, 16) * <f32>y + load<f32>(map, 20);
    const bq = load<f32>(map, 28) * <f32>y + load<f32>(map, 32);
    const line = out + <usize>y * stride;
    let x = 0;
    for (; x + 4 <= w; x += 4) {
      layFour(src, stride, map, x, bx, by, bq, right, bottom, work, line + (<usize>x << 1));
    }
    // The last ones lie in a group of four that ends with the row.
    if (x < w && w >= 4) {
      x = w - 4;
      layFour(src, stride, map, x, bx, by, bq, right, bottom, work, line + (<usize>x << 1));
    }
  }
}

// @ts-ignore: decorator
@inline
function layFour(
  src: usize, stride: usize, map: usize, x: i32, bx: f32, by: f32, bq: f32,
  right: f32, bottom: f32, gain: usize, out: usize,
): void {
  const fx = f32x4.add(f32x4.splat(<f32>x), f32x4(0, 1, 2, 3));
  const q = f32x4.div(f32x4.splat(1), f32x4.add(f32x4.mul(f32x4.splat(load<f32>(map, 24)), fx), f32x4.splat(bq)));
  const px = f32x4.mul(f32x4.add(f32x4.mul(f32x4.splat(load<f32>(map)), fx), f32x4.splat(bx)), q);
  const py = f32x4.mul(f32x4.add(f32x4.mul(f32x4.splat(load<f32>(map, 12)), fx), f32x4.splat(by)), q);
  const low = f32x4.splat(0);
  const inside = v128.and(
    v128.and(f32x4.ge(px, low), f32x4.le(px, f32x4.splat(right))),
    v128.and(f32x4.ge(py, low), f32x4.le(py, f32x4.splat(bottom))),
  );
  if (!v128.any_true(inside)) {
    store<i64>(out, -1);
    return;
  }
  // Outside, the first px is read and thrown away.
  const sx = v128.and(px, inside);
  const sy = v128.and(py, inside);
  const ix = i32x4.trunc_sat_f32x4_s(sx);
  const iy = i32x4.trunc_sat_f32x4_s(sy);
  const u = f32x4.sub(sx, f32x4.convert_i32x4_s(ix));
  const v = f32x4.sub(sy, f32x4.convert_i32x4_s(iy));
  const at = i32x4.add(i32x4.mul(iy, i32x4.splat(<i32>stride)), i32x4.shl(ix, 1));
  const p0 = src + <usize>i32x4.extract_lane(at, 0);
  let upper: v128;
  let lower: v128;
  if (i32x4.all_true(i32x4.eq(at, i32x4.add(i32x4.splat(i32x4.extract_lane(at, 0)), i32x4(0, 2, 4, 6))))) {
    // Four neighbours in a row, as most are: they are read together.
    upper = v128.load(p0);
    lower = v128.load(p0 + stride);
    const pairs = i8x16(0, 1, 2, 3, 2, 3, 4, 5, 4, 5, 6, 7, 6, 7, 8, 9);
    upper = i8x16.swizzle(upper, pairs);
    lower = i8x16.swizzle(lower, pairs);
  } else {
    const p1 = src + <usize>i32x4.extract_lane(at, 1);
    const p2 = src + <usize>i32x4.extract_lane(at, 2);
    const p3 = src + <usize>i32x4.extract_lane(at, 3);
    upper = i32x4.splat(load<i32>(p0));
    upper = i32x4.replace_lane(upper, 1, load<i32>(p1));
    upper = i32x4.replace_lane(upper, 2, load<i32>(p2));
    upper = i32x4.replace_lane(upper, 3, load<i32>(p3));
    lower = i32x4.splat(load<i32>(p0 + stride));
    lower = i32x4.replace_lane(lower, 1, load<i32>(p1 + stride));
    lower = i32x4.replace_lane(lower, 2, load<i32>(p2 + stride));
    lower = i32x4.replace_lane(lower, 3, load<i32>(p3 + stride));
  }
  const a = across(upper, u);
  const value = f32x4.mul(f32x4.add(a, f32x4.mul(f32x4.sub(across(lower, u), a), v)), v128.load(gain + (<usize>x << 2)));
  const rounded = i32x4.trunc_sat_f32x4_s(f32x4.add(f32x4.pmin(value, f32x4.splat(4095)), f32x4.splat(0.5)));
  const result = v128.or(rounded, v128.not(inside));
  v128.store64_lane(out, i8x16.swizzle(result, i8x16(0, 1, 4, 5, 8, 9, 12, 13, 0, 1, 4, 5, 8, 9, 12, 13)), 0);
}

/** Between the two 16-bit samples of each lane. */
// @ts-ignore: decorator
@inline
function across(pairs: v128, u: v128): v128 {
  const left = f32x4.convert_i32x4_s(v128.and(pairs, i32x4.splat(0xffff)));
  const right = f32x4.convert_i32x4_s(i32x4.shr_u(pairs, 16));
  return f32x4.add(left, f32x4.mul(f32x4.sub(right, left), u));
}

/** Gains along a row of px, from those at the middles of cells. */
function gainRow(gains: usize, w: i32, h: i32, cell: i32, y: i32, out: usize): void {
  const cols = (w + cell - 1) / cell;
  const rows = (h + cell - 1) / cell;
  const half: f32 = 0.5;
  const zero: f32 = 0;
  const v = max((<f32>y + half) / <f32>cell - half, zero);
  const r = min(<i32>v, rows - 1);
  const below = min(r + 1, rows - 1);
  const part = v - <f32>r;
  const upper = gains + (<usize>(r * cols) << 2);
  const lower = gains + (<usize>(below * cols) << 2);
  const step = <f32>1 / <f32>cell;
  // Of the first cell's first half, and the last one's second half, the gain is that of its middle.
  let left = between(load<f32>(upper), load<f32>(lower), part);
  let x = 0;
  for (; x < min(cell >> 1, w); x++) store<f32>(out + (<usize>x << 2), left);
  for (let c = 1; c < cols; c++) {
    const right = between(load<f32>(upper + (<usize>c << 2)), load<f32>(lower + (<usize>c << 2)), part);
    const slope = (right - left) * step;
    const middle = (<f32>c - half) * <f32>cell - half;
    for (const end = min(w, cell * c + (cell >> 1)); x < end; x++) {
      store<f32>(out + (<usize>x << 2), left + slope * (<f32>x - middle));
    }
    left = right;
  }
  for (; x < w; x++) store<f32>(out + (<usize>x << 2), left);
}

// @ts-ignore: decorator
@inline
function between(a: f32, b: f32, part: f32): f32 {
  return a + (b - a) * part;
}

/**
 * How unlike two planes are around each px: the sum of absolute differences over 3x3 px, at its smallest over
 * displacements of up to `radius` px. `out` is u16: NOWHERE where the sum cannot be formed. `work` is 2·w·h u16.
 */
export function unlikeness(frame: usize, over: usize, w: i32, h: i32, radius: i32, out: usize, work: usize): void {
  const plane = <usize>(w * h) << 1;
  memory.fill(out, 255, plane);
  const sums = work + plane;
  for (let dy = -radius; dy <= radius; dy++) {
    for (let dx = -radius; dx <= radius; dx++) {
      const from = max(0, -dy);
      const to = min(h, h - dy);
      for (let y = from; y < to; y++) differences(frame, over, w, y, dx, dy, work, sums);
      for (let y = from + 1; y < to - 1; y++) lowest(sums, w, y, out);
    }
  }
}

/** One row of differences, and of their sums over three px across. */
function differences(frame: usize, over: usize, w: i32, y: i32, dx: i32, dy: i32, work: usize, sums: usize): void {
  const a = frame + (<usize>(y * w) << 1);
  const b = over + (<usize>((y + dy) * w) << 1);
  const d = work + (<usize>(y * w) << 1);
  const s = sums + (<usize>(y * w) << 1);
  const left = max(0, -dx);
  const right = min(w, w - dx);
  for (let x = 0; x < left; x++) store<u16>(d + (<usize>x << 1), NOWHERE);
  for (let x = right; x < w; x++) store<u16>(d + (<usize>x << 1), NOWHERE);
  let x = left;
  for (; x + 8 <= right; x += 8) {
    const p = v128.load(a + (<usize>x << 1));
    const q = v128.load(b + (<usize>(x + dx) << 1));
    v128.store(d + (<usize>x << 1), i16x8.sub(i16x8.max_u(p, q), i16x8.min_u(p, q)));
  }
  for (; x < right; x++) {
    const p = <i32>load<u16>(a + (<usize>x << 1));
    const q = <i32>load<u16>(b + (<usize>(x + dx) << 1));
    store<u16>(d + (<usize>x << 1), <u16>abs(p - q));
  }
  store<u16>(s, NOWHERE);
  store<u16>(s + (<usize>(w - 1) << 1), NOWHERE);
  for (x = 1; x + 9 <= w; x += 8) {
    const at = d + (<usize>x << 1);
    const sum = i16x8.add_sat_u(i16x8.add_sat_u(v128.load(at - 2), v128.load(at)), v128.load(at + 2));
    v128.store(s + (<usize>x << 1), sum);
  }
  for (; x < w - 1; x++) {
    const at = d + (<usize>x << 1);
    store<u16>(s + (<usize>x << 1), <u16>min(<u32>load<u16>(at - 2) + load<u16>(at) + load<u16>(at + 2), 65535));
  }
}

/** Sums of three rows, kept where they are lower than before. */
function lowest(sums: usize, w: i32, y: i32, out: usize): void {
  const stride = <usize>w << 1;
  const line = sums + <usize>y * stride;
  const o = out + <usize>y * stride;
  let x: usize = 0;
  const bytes = stride & ~15;
  for (; x < bytes; x += 16) {
    const sum = i16x8.add_sat_u(
      i16x8.add_sat_u(v128.load(line + x - stride), v128.load(line + x)), v128.load(line + x + stride),
    );
    v128.store(o + x, i16x8.min_u(v128.load(o + x), sum));
  }
  for (; x < stride; x += 2) {
    const sum = <u32>load<u16>(line + x - stride) + load<u16>(line + x) + load<u16>(line + x + stride);
    store<u16>(o + x, <u16>min(<u32>load<u16>(o + x), min(sum, 65535)));
  }
}

/** Adds a plane that is smaller by stepX, stepY to one of w x h, times `times`; what is NOWHERE stays so. */
export function addCost(total: usize, w: i32, h: i32, part: usize, pw: i32, stepX: i32, stepY: i32, times: i32): void {
  const factor = <u16>times;
  for (let y = 0; y < h; y++) {
    const line = part + (<usize>((y / stepY) * pw) << 1);
    const row = total + (<usize>(y * w) << 1);
    let x = 0;
    if (stepX <= 2) for (; x + 8 <= w; x += 8) addEight(row + (<usize>x << 1), line, x, stepX, factor);
    for (; x < w; x++) {
      const have = load<u16>(row + (<usize>x << 1));
      const more = load<u16>(line + (<usize>(x / stepX) << 1));
      if (have == NOWHERE || more == NOWHERE) continue;
      store<u16>(row + (<usize>x << 1), <u16>min(<u32>have + <u32>min(<u32>more * times, 65535), 65534));
    }
  }
}

// @ts-ignore: decorator
@inline
function addEight(o: usize, line: usize, x: i32, stepX: i32, times: u16): void {
  const nowhere = i16x8.splat(-1);
  const have = v128.load(o);
  let part: v128;
  if (stepX == 1) part = v128.load(line + (<usize>x << 1));
  else {
    const four = v128.load64_zero(line + <usize>x);
    part = v128.shuffle<i16>(four, four, 0, 0, 1, 1, 2, 2, 3, 3);
  }
  const unknown = v128.or(i16x8.eq(have, nowhere), i16x8.eq(part, nowhere));
  let more = part;
  for (let k: u16 = 1; k < times; k++) more = i16x8.add_sat_u(more, part);
  const sum = i16x8.min_u(i16x8.add_sat_u(have, more), i16x8.splat(-2));
  v128.store(o, v128.bitselect(have, sum, unknown));
}

/**
 * Per px the value of rank `share` (0..1) among those of `n` planes that are not NOWHERE; NOWHERE where these are fewer
 * than `least`. Planes lie one after another. `work` is n·16 bytes.
 */
export function rankPlanes(planes: usize, n: i32, px: i32, share: f32, least: i32, out: usize, work: usize): void {
  const stride = <usize>px << 1;
  const nowhere = i16x8.splat(-1);
  const end = (<usize>px << 1) & ~15;
  for (let i: usize = 0; i < end; i += 16) {
    let known = i16x8.splat(0);
    for (let k = 0; k < n; k++) {
      // Insertion into a sorted column, eight px at a time.
      let v = v128.load(planes + <usize>k * stride + i);
      known = i16x8.sub(known, i16x8.ne(v, nowhere));
      for (let j = 0; j < k; j++) {
        const at = work + (<usize>j << 4);
        const have = v128.load(at);
        v128.store(at, i16x8.min_u(have, v));
        v = i16x8.max_u(have, v);
      }
      v128.store(work + (<usize>k << 4), v);
    }
    let result = nowhere;
    for (let m = least; m <= n; m++) {
      const rank = <i32>(<f32>(m - 1) * share);
      const these = i16x8.eq(known, i16x8.splat(<i16>m));
      result = v128.bitselect(v128.load(work + (<usize>rank << 4)), result, these);
    }
    v128.store(out + i, result);
  }
  for (let i = end; i < stride; i += 2) rankOne(planes, n, stride, i, share, least, out, work);
}

function rankOne(
  planes: usize, n: i32, stride: usize, i: usize, share: f32, least: i32, out: usize, work: usize,
): void {
  let m = 0;
  for (let k = 0; k < n; k++) {
    const v = load<u16>(planes + <usize>k * stride + i);
    if (v == NOWHERE) continue;
    let j = m++;
    for (; j > 0 && load<u16>(work + (<usize>(j - 1) << 1)) > v; j--) {
      store<u16>(work + (<usize>j << 1), load<u16>(work + (<usize>(j - 1) << 1)));
    }
    store<u16>(work + (<usize>j << 1), v);
  }
  const rank = <usize>(<f32>(m - 1) * share);
  store<u16>(out + i, m < least ? NOWHERE : load<u16>(work + (rank << 1)));
}

/**
 * Takes from each cost what an edge of the plane would cost that is off by half a px: the sum over 3x3 px of half the local
 * gradient. What is NOWHERE stays so, and the outermost two px become so. `work` is w·h u16.
 */
export function forgiveEdges(plane: usize, w: i32, h: i32, cost: usize, work: usize): void {
  const stride = <usize>w << 1;
  for (let y = 1; y < h - 1; y++) slopes(plane + <usize>y * stride, stride, work + <usize>y * stride);
  for (let y = 0; y < h; y++) {
    const o = cost + <usize>y * stride;
    if (y < 2 || y >= h - 2) {
      memory.fill(o, 255, stride);
      continue;
    }
    forgiveRow(o, work + <usize>y * stride, stride);
    for (let k: usize = 0; k < min<usize>(4, stride); k += 2) {
      store<u16>(o + k, NOWHERE);
      store<u16>(o + stride - 2 - k, NOWHERE);
    }
  }
}

/** A quarter of the difference between a px's neighbours, across or down, along a row but for its ends. */
function slopes(row: usize, stride: usize, out: usize): void {
  let x: usize = 2;
  for (; x + 18 <= stride; x += 16) {
    const p = row + x;
    const across = difference(v128.load(p - 2), v128.load(p, 2));
    const down = difference(v128.load(p - stride), v128.load(p + stride));
    v128.store(out + x, i16x8.shr_u(i16x8.max_u(across, down), 2));
  }
  for (; x + 2 < stride; x += 2) {
    const p = row + x;
    const across = abs(<i32>load<u16>(p, 2) - <i32>load<u16>(p - 2));
    const down = abs(<i32>load<u16>(p + stride) - <i32>load<u16>(p - stride));
    store<u16>(out + x, <u16>(max(across, down) >> 2));
  }
}

// @ts-ignore: decorator
@inline
function difference(a: v128, b: v128): v128 {
  return i16x8.sub(i16x8.max_u(a, b), i16x8.min_u(a, b));
}

/** Takes the sums of 3x3 slopes from a row of costs. */
function forgiveRow(cost: usize, slope: usize, stride: usize): void {
  const nowhere = i16x8.splat(-1);
  let x: usize = 2;
  for (; x + 18 <= stride; x += 16) {
    const p = slope + x;
    const sum = i16x8.add(i16x8.add(threeOf(p - stride), threeOf(p)), threeOf(p + stride));
    const have = v128.load(cost + x);
    v128.store(cost + x, v128.bitselect(have, i16x8.sub_sat_u(have, sum), i16x8.eq(have, nowhere)));
  }
  for (; x + 2 < stride; x += 2) {
    const have = load<u16>(cost + x);
    if (have == NOWHERE) continue;
    let sum: i32 = 0;
    for (let v: usize = 0; v < 3; v++) {
      const q = slope + x + (v - 1) * stride;
      sum += load<u16>(q - 2) + load<u16>(q) + load<u16>(q, 2);
    }
    store<u16>(cost + x, <u16>max(<i32>have - sum, 0));
  }
}

// @ts-ignore: decorator
@inline
function threeOf(p: usize): v128 {
  return i16x8.add(i16x8.add(v128.load(p - 2), v128.load(p)), v128.load(p, 2));
}
