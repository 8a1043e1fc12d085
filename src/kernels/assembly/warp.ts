/**
 * Samples a 16-bit plane along a tiled map, bicubic (Keys 1981, a = -1/2).
 *
 * The map gives source coordinates (x, y in px of the loaded rectangle) at the corners of tiles of tile x tile px:
 * (cols + 1)·(rows + 1) pairs of f32; inside a tile they are interpolated bilinearly. Only tiles with active ≠ 0 are
 * written. `out` is f32, stride `outStride`. Beyond the rectangle its border repeats.
 */
export function warpTiles(
  src: usize, stride: i32, w: i32, h: i32,
  map: usize, cols: i32, rows: i32, tile: i32, active: usize,
  out: usize, outStride: i32,
): void {
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (load<u8>(active + <usize>(r * cols + c)) == 0) continue;
      warpTile(src, stride, w, h, map + (<usize>(r * (cols + 1) + c) << 3), <usize>(cols + 1) << 3, tile,
        out + (<usize>(r * tile * outStride + c * tile) << 2), outStride);
    }
  }
}

function warpTile(
  src: usize, stride: i32, w: i32, h: i32, map: usize, mapRow: usize, tile: i32, out: usize, outStride: i32,
): void {
  const ca = f32x4(-0.5, 1.5, -1.5, 0.5);
  const cb = f32x4(1, -2.5, 2, -0.5);
  const cc = f32x4(-0.5, 0, 0.5, 0);
  const cd = f32x4(0, 1, 0, 0);
  const step: f32 = <f32>1 / <f32>tile;
  const maxX = <f32>(w - 3);
  const maxY = <f32>(h - 3);
  const one: f32 = 1;
  for (let j = 0; j < tile; j++) {
    const v = <f32>j * step;
    const x0 = load<f32>(map) + (load<f32>(map + mapRow) - load<f32>(map)) * v;
    const y0 = load<f32>(map, 4) + (load<f32>(map + mapRow, 4) - load<f32>(map, 4)) * v;
    const x1 = load<f32>(map, 8) + (load<f32>(map + mapRow, 8) - load<f32>(map, 8)) * v;
    const y1 = load<f32>(map, 12) + (load<f32>(map + mapRow, 12) - load<f32>(map, 12)) * v;
    const dx = (x1 - x0) * step;
    const dy = (y1 - y0) * step;
    const o = out + (<usize>(j * outStride) << 2);
    for (let i = 0; i < tile; i++) {
      const x = x0 + dx * <f32>i;
      const y = y0 + dy * <f32>i;
      if (!(x >= one && y >= one && x < maxX && y < maxY)) {
        store<f32>(o + (<usize>i << 2), bicubic(src, stride, w, h, x, y));
        continue;
      }
      const fx = floor(x);
      const fy = floor(y);
      const p = src + ((<usize>((<i32>fy - 1) * stride + <i32>fx - 1)) << 1);
      const u = f32x4.splat(x - fx);
      const q = f32x4.splat(y - fy);
      const wx = f32x4.add(f32x4.mul(f32x4.add(f32x4.mul(f32x4.add(f32x4.mul(ca, u), cb), u), cc), u), cd);
      const wy = f32x4.add(f32x4.mul(f32x4.add(f32x4.mul(f32x4.add(f32x4.mul(ca, q), cb), q), cc), q), cd);
      const s = <usize>stride << 1;
      let sum = f32x4.mul(samples4(p), v128.shuffle<i32>(wy, wy, 0, 0, 0, 0));
      sum = f32x4.add(sum, f32x4.mul(samples4(p + s), v128.shuffle<i32>(wy, wy, 1, 1, 1, 1)));
      sum = f32x4.add(sum, f32x4.mul(samples4(p + s + s), v128.shuffle<i32>(wy, wy, 2, 2, 2, 2)));
      sum = f32x4.add(sum, f32x4.mul(samples4(p + s + s + s), v128.shuffle<i32>(wy, wy, 3, 3, 3, 3)));
      sum = f32x4.mul(sum, wx);
      sum = f32x4.add(sum, v128.shuffle<i32>(sum, sum, 2, 3, 0, 1));
      sum = f32x4.add(sum, v128.shuffle<i32>(sum, sum, 1, 0, 3, 2));
      store<f32>(o + (<usize>i << 2), f32x4.extract_lane(sum, 0));
    }
  }
}

// @ts-ignore: decorator
@inline
function samples4(ptr: usize): v128 {
  return f32x4.convert_i32x4_u(v128.load16x4_u(ptr));
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
  const half: f32 = 0.5;
  const left = max(border - <f32>frameX, 0);
  const top = max(border - <f32>frameY, 0);
  const right = min(<f32>(frameW - 1 - frameX) - border, <f32>(w - 1));
  const bottom = min(<f32>(frameH - 1 - frameY) - border, <f32>(h - 1));
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (load<u8>(active + <usize>(r * cols + c)) == 0) continue;
      const m = map + (<usize>(r * (cols + 1) + c) << 3);
      const n = m + (<usize>(cols + 1) << 3);
      for (let j = 0; j < tile; j++) {
        const v = <f32>j * step;
        const x0 = load<f32>(m) + (load<f32>(n) - load<f32>(m)) * v;
        const y0 = load<f32>(m, 4) + (load<f32>(n, 4) - load<f32>(m, 4)) * v;
        const dx = (load<f32>(m, 8) + (load<f32>(n, 8) - load<f32>(m, 8)) * v - x0) * step;
        const dy = (load<f32>(m, 12) + (load<f32>(n, 12) - load<f32>(m, 12)) * v - y0) * step;
        const o = out + <usize>((r * tile + j) * outStride + c * tile);
        for (let i = 0; i < tile; i++) {
          const x = x0 + dx * <f32>i;
          const y = y0 + dy * <f32>i;
          let ok: u8 = 0;
          if (x >= left && x <= right && y >= top && y <= bottom) {
            const at = <i32>(y + half) * stride + <i32>(x + half);
            ok = load<u8>(blocked + <usize>at) == 0 ? 1 : 0;
          }
          store<u8>(o + <usize>i, ok);
        }
      }
    }
  }
}

/** Bicubic samples at `n` points: pairs of f32 in px of the plane, clamped into it. */
export function warpPoints(src: usize, stride: i32, w: i32, h: i32, points: usize, n: i32, out: usize): void {
  for (let k = 0; k < n; k++) {
    const x = load<f32>(points + (<usize>k << 3));
    const y = load<f32>(points + (<usize>k << 3), 4);
    store<f32>(out + (<usize>k << 2), bicubic(src, stride, w, h, x, y));
  }
}

function bicubic(src: usize, stride: i32, w: i32, h: i32, px: f32, py: f32): f32 {
  const zero: f32 = 0;
  const x = min(max(px, zero), <f32>(w - 1));
  const y = min(max(py, zero), <f32>(h - 1));
  const fx = floor(x);
  const fy = floor(y);
  let sum: f32 = 0;
  for (let j = -1; j < 3; j++) {
    let line: f32 = 0;
    const row = src + ((<usize>min(max(<i32>fy + j, 0), h - 1) * <usize>stride) << 1);
    for (let i = -1; i < 3; i++) {
      const at = <usize>min(max(<i32>fx + i, 0), w - 1);
      line += <f32>load<u16>(row + (at << 1)) * cubic(x - fx - <f32>i);
    }
    sum += line * cubic(y - fy - <f32>j);
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
