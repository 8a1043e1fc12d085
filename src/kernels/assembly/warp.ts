/**
 * Samples a 16-bit plane along a tiled map, bicubic (Keys 1981, a = -1/2).
 *
 * The map gives source coordinates (x, y in px of the loaded rectangle) at the corners of tiles of tile x tile px:
 * (cols + 1)·(rows + 1) pairs of f32; inside a tile (a multiple of 4 px) they are interpolated bilinearly. Only tiles with active ≠ 0 are
 * written. `out` is f32, stride `outStride`. Beyond the rectangle its border repeats.
 */
export function warpTiles(
  src: usize, stride: i32, w: i32, h: i32,
  map: usize, cols: i32, rows: i32, tile: i32, active: usize,
  out: usize, outStride: i32,
): void {
  prepareTaps();
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (load<u8>(active + <usize>(r * cols + c)) == 0) continue;
      warpTile(src, stride, w, h, map + (<usize>(r * (cols + 1) + c) << 3), <usize>(cols + 1) << 3, tile,
        out + (<usize>(r * tile * outStride + c * tile) << 2), outStride);
    }
  }
}

/** Weights of the four taps for fractions of 0, 1/256 … 1: finer steps change nothing that a sample of 16 bits shows. */
const STEPS: i32 = 256;
const TAPS: usize = memory.data((256 + 1) * 16, 16);
let tapsReady: bool = false;

function prepareTaps(): void {
  if (tapsReady) return;
  for (let k = 0; k <= STEPS; k++) {
    const u = <f32>k / <f32>STEPS;
    const at = TAPS + (<usize>k << 4);
    for (let i = 0; i < 4; i++) store<f32>(at + (<usize>i << 2), cubic(u - <f32>(i - 1)));
  }
  tapsReady = true;
}

function warpTile(
  src: usize, stride: i32, w: i32, h: i32, map: usize, mapRow: usize, tile: i32, out: usize, outStride: i32,
): void {
  if (isShift(map, mapRow, tile)) {
    const x = <i32>load<f32>(map);
    const y = <i32>load<f32>(map, 4);
    if (x >= 0 && y >= 0 && x + tile <= w && y + tile <= h) {
      copyTile(src + (<usize>(y * stride + x) << 1), stride, tile, out, outStride);
      return;
    }
  }
  const step: f32 = <f32>1 / <f32>tile;
  const one = f32x4.splat(1);
  const maxX = f32x4.splat(<f32>(w - 3));
  const maxY = f32x4.splat(<f32>(h - 3));
  const across = f32x4(0, 1, 2, 3);
  const steps = f32x4.splat(<f32>STEPS);
  const half = f32x4.splat(0.5);
  const pitch = i32x4.splat(stride);
  const back = i32x4.splat(stride + 1);
  const s = <usize>stride << 1;
  for (let j = 0; j < tile; j++) {
    const v = <f32>j * step;
    const x0 = load<f32>(map) + (load<f32>(map + mapRow) - load<f32>(map)) * v;
    const y0 = load<f32>(map, 4) + (load<f32>(map + mapRow, 4) - load<f32>(map, 4)) * v;
    const x1 = load<f32>(map, 8) + (load<f32>(map + mapRow, 8) - load<f32>(map, 8)) * v;
    const y1 = load<f32>(map, 12) + (load<f32>(map + mapRow, 12) - load<f32>(map, 12)) * v;
    const dx = (x1 - x0) * step;
    const dy = (y1 - y0) * step;
    const o = out + (<usize>(j * outStride) << 2);
    for (let i = 0; i < tile; i += 4) {
      const xs = f32x4.add(f32x4.splat(x0 + dx * <f32>i), f32x4.mul(f32x4.splat(dx), across));
      const ys = f32x4.add(f32x4.splat(y0 + dy * <f32>i), f32x4.mul(f32x4.splat(dy), across));
      const inside = v128.and(
        v128.and(f32x4.ge(xs, one), f32x4.ge(ys, one)),
        v128.and(f32x4.lt(xs, maxX), f32x4.lt(ys, maxY)),
      );
      if (!i32x4.all_true(inside)) {
        for (let k = 0; k < 4; k++) {
          const n = <f32>(i + k);
          store<f32>(o + (<usize>(i + k) << 2), bicubic(src, stride, w, h, x0 + dx * n, y0 + dy * n));
        }
        continue;
      }
      const fx = f32x4.floor(xs);
      const fy = f32x4.floor(ys);
      const us = i32x4.trunc_sat_f32x4_s(f32x4.add(f32x4.mul(f32x4.sub(xs, fx), steps), half));
      const vs = i32x4.trunc_sat_f32x4_s(f32x4.add(f32x4.mul(f32x4.sub(ys, fy), steps), half));
      const at = i32x4.sub(
        i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(fy), pitch), i32x4.trunc_sat_f32x4_s(fx)),
        back,
      );
      const a = weighted(src, i32x4.extract_lane(at, 0), s, i32x4.extract_lane(us, 0), i32x4.extract_lane(vs, 0));
      const b = weighted(src, i32x4.extract_lane(at, 1), s, i32x4.extract_lane(us, 1), i32x4.extract_lane(vs, 1));
      const c = weighted(src, i32x4.extract_lane(at, 2), s, i32x4.extract_lane(us, 2), i32x4.extract_lane(vs, 2));
      const d = weighted(src, i32x4.extract_lane(at, 3), s, i32x4.extract_lane(us, 3), i32x4.extract_lane(vs, 3));
      // Sums across, of four vectors at once.
      const ab = f32x4.add(v128.shuffle<f32>(a, b, 0, 4, 1, 5), v128.shuffle<f32>(a, b, 2, 6, 3, 7));
      const cd = f32x4.add(v128.shuffle<f32>(c, d, 0, 4, 1, 5), v128.shuffle<f32>(c, d, 2, 6, 3, 7));
      v128.store(
        o + (<usize>i << 2),
        f32x4.add(v128.shuffle<f32>(ab, cd, 0, 1, 4, 5), v128.shuffle<f32>(ab, cd, 2, 3, 6, 7)),
      );
    }
  }
}

/** Whether a tile is only moved, by whole px. */
// @ts-ignore: decorator
@inline
function isShift(map: usize, mapRow: usize, tile: i32): bool {
  const side = <f32>tile;
  const x = load<f32>(map);
  const y = load<f32>(map, 4);
  const below = map + mapRow;
  return x == floor(x) && y == floor(y) &&
    load<f32>(map, 8) == x + side && load<f32>(map, 12) == y &&
    load<f32>(below) == x && load<f32>(below, 4) == y + side &&
    load<f32>(below, 8) == x + side && load<f32>(below, 12) == y + side;
}

function copyTile(src: usize, stride: i32, tile: i32, out: usize, outStride: i32): void {
  for (let j = 0; j < tile; j++) {
    const from = src + (<usize>(j * stride) << 1);
    const to = out + (<usize>(j * outStride) << 2);
    for (let i = 0; i < tile; i += 4) v128.store(to + (<usize>i << 2), samples4(from + (<usize>i << 1)));
  }
}

/** The 4x4 samples from sample `at` on, weighted down the columns and across: what is left is their sum. */
// @ts-ignore: decorator
@inline
function weighted(src: usize, at: i32, row: usize, u: i32, v: i32): v128 {
  const p = src + (<usize>at << 1);
  const down = TAPS + (<usize>v << 4);
  let sum = f32x4.mul(samples4(p), v128.load32_splat(down));
  sum = f32x4.add(sum, f32x4.mul(samples4(p + row), v128.load32_splat(down, 4)));
  sum = f32x4.add(sum, f32x4.mul(samples4(p + row + row), v128.load32_splat(down, 8)));
  sum = f32x4.add(sum, f32x4.mul(samples4(p + row + row + row), v128.load32_splat(down, 12)));
  return f32x4.mul(sum, v128.load(TAPS + (<usize>u << 4)));
}

// @ts-ignore: decorator
@inline
function samples4(ptr: usize): v128 {
  return f32x4.convert_i32x4_s(v128.load16x4_u(ptr));
}

/**
 * Where a source may be used: 1 if the nearest sample lies inside the frame by `border` px and is not blocked, else 0.
 * Same map as {@link warpTiles}; `blocked` is bytes of the loaded rectangle, (frameX, frameY) its place in the frame.
 */
export function usableTiles(
  blocked: usize, stride: i32, w: i32, h: i32, frameX: i32, frameY: i32, frameW: i32, frameH: i32, border: f32,
  map: usize, cols: i32, rows: i32, tile: i32, active: usize,
  out: usize, outStride: i32,
): void {
  const step: f32 = <f32>1 / <f32>tile;
  const half = f32x4.splat(0.5);
  const across = f32x4(0, 1, 2, 3);
  const pitch = i32x4.splat(stride);
  const left = f32x4.splat(max(border - <f32>frameX, 0));
  const top = f32x4.splat(max(border - <f32>frameY, 0));
  const right = f32x4.splat(min(<f32>(frameW - 1 - frameX) - border, <f32>(w - 1)));
  const bottom = f32x4.splat(min(<f32>(frameH - 1 - frameY) - border, <f32>(h - 1)));
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (load<u8>(active + <usize>(r * cols + c)) == 0) continue;
      const m = map + (<usize>(r * (cols + 1) + c) << 3);
      const n = m + (<usize>(cols + 1) << 3);
      const place = out + <usize>(r * tile * outStride + c * tile);
      if (allFree(blocked, stride, m, n, left, top, right, bottom)) {
        for (let j = 0; j < tile; j++) memory.fill(place + <usize>(j * outStride), 1, <usize>tile);
        continue;
      }
      for (let j = 0; j < tile; j++) {
        const v = <f32>j * step;
        const x0 = load<f32>(m) + (load<f32>(n) - load<f32>(m)) * v;
        const y0 = load<f32>(m, 4) + (load<f32>(n, 4) - load<f32>(m, 4)) * v;
        const dx = (load<f32>(m, 8) + (load<f32>(n, 8) - load<f32>(m, 8)) * v - x0) * step;
        const dy = (load<f32>(m, 12) + (load<f32>(n, 12) - load<f32>(m, 12)) * v - y0) * step;
        const o = place + <usize>(j * outStride);
        for (let i = 0; i < tile; i += 4) {
          const xs = f32x4.add(f32x4.splat(x0 + dx * <f32>i), f32x4.mul(f32x4.splat(dx), across));
          const ys = f32x4.add(f32x4.splat(y0 + dy * <f32>i), f32x4.mul(f32x4.splat(dy), across));
          const inside = v128.and(
            v128.and(f32x4.ge(xs, left), f32x4.le(xs, right)),
            v128.and(f32x4.ge(ys, top), f32x4.le(ys, bottom)),
          );
          const at = i32x4.add(
            i32x4.mul(i32x4.trunc_sat_f32x4_s(f32x4.add(ys, half)), pitch),
            i32x4.trunc_sat_f32x4_s(f32x4.add(xs, half)),
          );
          const p = o + <usize>i;
          store<u8>(p, usableAt(blocked, i32x4.extract_lane(inside, 0), i32x4.extract_lane(at, 0)));
          store<u8>(p, usableAt(blocked, i32x4.extract_lane(inside, 1), i32x4.extract_lane(at, 1)), 1);
          store<u8>(p, usableAt(blocked, i32x4.extract_lane(inside, 2), i32x4.extract_lane(at, 2)), 2);
          store<u8>(p, usableAt(blocked, i32x4.extract_lane(inside, 3), i32x4.extract_lane(at, 3)), 3);
        }
      }
    }
  }
}

/** Whether the whole box around a tile's mapped corners lies inside the given limits and is not blocked. */
function allFree(
  blocked: usize, stride: i32, m: usize, n: usize, left: v128, top: v128, right: v128, bottom: v128,
): bool {
  const xs = f32x4(load<f32>(m), load<f32>(m, 8), load<f32>(n), load<f32>(n, 8));
  const ys = f32x4(load<f32>(m, 4), load<f32>(m, 12), load<f32>(n, 4), load<f32>(n, 12));
  const inside = v128.and(
    v128.and(f32x4.ge(xs, left), f32x4.le(xs, right)),
    v128.and(f32x4.ge(ys, top), f32x4.le(ys, bottom)),
  );
  if (!i32x4.all_true(inside)) return false;
  // The nearest px of the farthest places.
  const half: f32 = 0.5;
  const x0 = <i32>least(xs);
  const x1 = <i32>(half - least(f32x4.neg(xs)));
  const y1 = <i32>(half - least(f32x4.neg(ys)));
  for (let y = <i32>least(ys); y <= y1; y++) {
    const row = blocked + <usize>(y * stride);
    for (let x = x0; x <= x1; x += 16) {
      // The last vector of a row may reach beyond the box: what is blocked there only costs the short way.
      if (v128.any_true(v128.load(row + <usize>x))) return false;
    }
  }
  return true;
}

// @ts-ignore: decorator
@inline
function least(v: v128): f32 {
  return min(
    min(f32x4.extract_lane(v, 0), f32x4.extract_lane(v, 1)),
    min(f32x4.extract_lane(v, 2), f32x4.extract_lane(v, 3)),
  );
}

// @ts-ignore: decorator
@inline
function usableAt(blocked: usize, inside: i32, at: i32): u8 {
  return inside != 0 && load<u8>(blocked + <usize>at) == 0 ? 1 : 0;
}

/** Bicubic samples at `n` points: pairs of f32 in px of the plane, clamped into it. */
export function warpPoints(src: usize, stride: i32, w: i32, h: i32, points: usize, n: i32, out: usize): void {
  prepareTaps();
  for (let k = 0; k < n; k++) {
    const x = load<f32>(points + (<usize>k << 3));
    const y = load<f32>(points + (<usize>k << 3), 4);
    store<f32>(out + (<usize>k << 2), bicubic(src, stride, w, h, x, y));
  }
}

/**
 * Places of the samples of `n` square windows, `spacing` px apart, `across` of them in a row, in the middle of a tile each, by where the
 * tiles' corners lie: four pairs of f32 a tile (first row, second row), `side` px apart in the frame the tiles are from. Pairs of f32 at out.
 */
export function placeWindows(corners: usize, n: i32, side: f64, across: i32, spacing: f64, out: usize): void {
  const first = (side - <f64>(across - 1) * spacing) / 2;
  for (let k = 0; k < n; k++) {
    const at = corners + (<usize>k << 5);
    const p = f64x2.promote_low_f32x4(v128.load64_zero(at));
    const q = f64x2.promote_low_f32x4(v128.load64_zero(at, 8));
    const r = f64x2.promote_low_f32x4(v128.load64_zero(at, 16));
    const s = f64x2.promote_low_f32x4(v128.load64_zero(at, 24));
    for (let j = 0; j < across; j++) {
      const v = (first + <f64>j * spacing) / side;
      for (let i = 0; i < across; i++) {
        const u = (first + <f64>i * spacing) / side;
        let sum = f64x2.mul(f64x2.splat((1 - u) * (1 - v)), p);
        sum = f64x2.add(sum, f64x2.mul(f64x2.splat(u * (1 - v)), q));
        sum = f64x2.add(sum, f64x2.mul(f64x2.splat((1 - u) * v), r));
        sum = f64x2.add(sum, f64x2.mul(f64x2.splat(u * v), s));
        v128.store64_lane(out, f32x4.demote_f64x2_zero(sum), 0);
        out += 8;
      }
    }
  }
}

/**
 * Bicubic samples at `n` places of a frame, pairs of f32, px of the frame, of which a sample of the plane takes `scale`. NaN where a place is
 * too close to the plane's border or outside, or lies in a cell that is not 0: cols x rows bytes, `side` px of the frame each.
 */
export function sampleFree(
  src: usize, w: i32, h: i32, scale: f32, places: usize, n: i32,
  cells: usize, cols: i32, rows: i32, side: f64, out: usize,
): void {
  prepareTaps();
  const right = <f32>(w - 2);
  const bottom = <f32>(h - 2);
  for (let k = 0; k < n; k++) {
    const px = load<f32>(places + (<usize>k << 3));
    const py = load<f32>(places + (<usize>k << 3), 4);
    const x = px / scale;
    const y = py / scale;
    let value: f32 = NaN;
    if (x >= 1 && y >= 1 && x < right && y < bottom) {
      const c = min(cols - 1, <i32>(<f64>px / side));
      const r = min(rows - 1, <i32>(<f64>py / side));
      if (load<u8>(cells + <usize>(r * cols + c)) == 0) value = bicubic(src, w, w, h, x, y);
    }
    store<f32>(out + (<usize>k << 2), value);
  }
}

function bicubic(src: usize, stride: i32, w: i32, h: i32, px: f32, py: f32): f32 {
  const zero: f32 = 0;
  const half: f32 = 0.5;
  const x = min(max(px, zero), <f32>(w - 1));
  const y = min(max(py, zero), <f32>(h - 1));
  const fx = <i32>floor(x);
  const fy = <i32>floor(y);
  const u = <i32>((x - <f32>fx) * <f32>STEPS + half);
  const v = <i32>((y - <f32>fy) * <f32>STEPS + half);
  if (fx >= 1 && fy >= 1 && fx < w - 3 && fy < h - 3) {
    const s = weighted(src, (fy - 1) * stride + fx - 1, <usize>stride << 1, u, v);
    return f32x4.extract_lane(s, 0) + f32x4.extract_lane(s, 1) + (f32x4.extract_lane(s, 2) + f32x4.extract_lane(s, 3));
  }
  const across = TAPS + (<usize>u << 4);
  const down = TAPS + (<usize>v << 4);
  let sum: f32 = 0;
  for (let j = -1; j < 3; j++) {
    let line: f32 = 0;
    const row = src + ((<usize>min(max(fy + j, 0), h - 1) * <usize>stride) << 1);
    for (let i = -1; i < 3; i++) {
      const at = <usize>min(max(fx + i, 0), w - 1);
      line += <f32>load<u16>(row + (at << 1)) * load<f32>(across + (<usize>(i + 1) << 2));
    }
    sum += line * load<f32>(down + (<usize>(j + 1) << 2));
  }
  return sum;
}

// @ts-ignore: decorator
@inline
function cubic(d: f32): f32 {
  const t = abs(d);
  const a: f32 = 1.5;
  const b: f32 = 2.5;
  const c: f32 = 0.5;
  const one: f32 = 1;
  const two: f32 = 2;
  const four: f32 = 4;
  return t <= one ? (a * t - b) * t * t + one : ((b - c * t) * t - four) * t + two;
}
