/** Largest byte in a square of (2r + 1)² around each sample of a w x h plane; `work` is scratch of w·h bytes. */
export function dilate(src: usize, w: i32, h: i32, r: i32, out: usize, work: usize): void {
  for (let y = 0; y < h; y++) dilateRow(src + <usize>(y * w), w, r, work + <usize>(y * w));
  for (let y = 0; y < h; y++) {
    const o = out + <usize>(y * w);
    const a = max(y - r, 0);
    const b = min(y + r, h - 1);
    memory.copy(o, work + <usize>(a * w), <usize>w);
    for (let j = a + 1; j <= b; j++) {
      const line = work + <usize>(j * w);
      let x = 0;
      for (; x + 16 <= w; x += 16) {
        v128.store(o + <usize>x, i8x16.max_u(v128.load(o + <usize>x), v128.load(line + <usize>x)));
      }
      for (; x < w; x++) store<u8>(o + <usize>x, max(load<u8>(o + <usize>x), load<u8>(line + <usize>x)));
    }
  }
}

function dilateRow(line: usize, w: i32, r: i32, out: usize): void {
  for (let x = 0; x < w; ) {
    if (x >= r && x + 16 + r <= w) {
      let m = v128.load(line + <usize>(x - r));
      for (let d = 1 - r; d <= r; d++) m = i8x16.max_u(m, v128.load(line + <usize>(x + d)));
      v128.store(out + <usize>x, m);
      x += 16;
    } else {
      let m: u8 = 0;
      for (let i = max(x - r, 0); i <= min(x + r, w - 1); i++) m = max(m, load<u8>(line + <usize>i));
      store<u8>(out + <usize>x, m);
      x++;
    }
  }
}

/**
 * Which of `n` places (pairs of f32, in cells of a mask of w x h bytes) lie inside the mask and on a free (0) cell:
 * the nearest cell is read. `seen` is bytes: 1 = free, else 0.
 */
export function freeCells(mask: usize, w: i32, h: i32, places: usize, n: i32, seen: usize): void {
  const half: f32 = 0.5;
  const low: f32 = -0.4;
  const right = <f32>w - <f32>0.6;
  const bottom = <f32>h - <f32>0.6;
  for (let k = 0; k < n; k++) {
    const x = load<f32>(places + ((<usize>k) << 3));
    const y = load<f32>(places + ((<usize>k) << 3), 4);
    let free: u8 = 0;
    if (x > low && y > low && x < right && y < bottom) {
      free = load<u8>(mask + <usize>(<i32>(y + half) * w + <i32>(x + half))) == 0 ? 1 : 0;
    }
    store<u8>(seen + <usize>k, free);
  }
}

/**
 * Places of `n` cells under a homography (9 f32, row-major) of cell coordinates: out = pairs of f32.
 * Cells are pairs of f32.
 */
export function projectCells(cells: usize, n: i32, m: usize, out: usize): void {
  const a = load<f32>(m),
    b = load<f32>(m, 4),
    c = load<f32>(m, 8);
  const d = load<f32>(m, 12),
    e = load<f32>(m, 16),
    f = load<f32>(m, 20);
  const g = load<f32>(m, 24),
    h = load<f32>(m, 28),
    i = load<f32>(m, 32);
  const one: f32 = 1;
  for (let k = 0; k < n; k++) {
    const x = load<f32>(cells + ((<usize>k) << 3));
    const y = load<f32>(cells + ((<usize>k) << 3), 4);
    const q = one / (g * x + h * y + i);
    store<f32>(out + ((<usize>k) << 3), (a * x + b * y + c) * q);
    store<f32>(out + ((<usize>k) << 3), (d * x + e * y + f) * q, 4);
  }
}

/**
 * Reads a w x h mask of bytes into cells of cell x cell px (a power of two), cols x rows of them: `kind` (1 or 2) where
 * any of it is above 0, and 1 (unless 2 already) for cells within `near` px of such a px.
 * `box` gets left, top, right, bottom (inclusive, i32; right < left = empty) and the sums of the mask, of the mask times x,
 * and of the mask times y (f64, from byte 16 on).
 */
export function maskCells(
  mask: usize, w: i32, h: i32, kind: i32, cell: i32, near: i32, cols: i32, rows: i32, state: usize, box: usize,
): void {
  let left = w;
  let top = h;
  let right = -1;
  let bottom = -1;
  let sum: i64 = 0;
  let across: i64 = 0;
  let down: i64 = 0;
  for (let y = 0; y < h; y++) {
    const row = mask + <usize>(y * w);
    for (let x = 0; x < w; ) {
      if (x + 16 <= w && !v128.any_true(v128.load(row + <usize>x))) {
        x += 16;
        continue;
      }
      const end = min(x + 16, w);
      for (; x < end; x++) {
        const v = load<u8>(row + <usize>x);
        if (v == 0) continue;
        sum += <i64>v;
        across += <i64>v * <i64>x;
        down += <i64>v * <i64>y;
        left = min(left, x);
        right = max(right, x);
        top = min(top, y);
        bottom = y;
        touch(state, kind, cell, near, cols, rows, x, y);
      }
    }
  }
  store<i32>(box, left);
  store<i32>(box, top, 4);
  store<i32>(box, right, 8);
  store<i32>(box, bottom, 12);
  store<f64>(box, <f64>sum, 16);
  store<f64>(box, <f64>across, 24);
  store<f64>(box, <f64>down, 32);
}

function touch(state: usize, kind: i32, cell: i32, near: i32, cols: i32, rows: i32, x: i32, y: i32): void {
  const at = state + <usize>(y / cell * cols + x / cell);
  if (<i32>load<u8>(at) < kind) store<u8>(at, <u8>kind);
  const u = x & (cell - 1);
  const v = y & (cell - 1);
  if (u >= near && v >= near && u < cell - near && v < cell - near) return;
  const right = min(cols - 1, (x + near) / cell);
  const bottom = min(rows - 1, (y + near) / cell);
  for (let j = max(0, y - near) / cell; j <= bottom; j++) {
    for (let i = max(0, x - near) / cell; i <= right; i++) {
      const other = state + <usize>(j * cols + i);
      if (load<u8>(other) == 0) store<u8>(other, 1);
    }
  }
}
