/** Draws a textured plane into a picture of four f32 a pixel (premultiplied), tile by tile. */
export function drawLayer(
  levels: usize, levelCount: i32, repeat: i32, multiply: i32,
  map: usize, lods: usize, cols: i32, rows: i32, tile: i32, dst: usize, stride: i32, height: i32,
): void {
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      const lod = load<f32>(lods + (<usize>(r * cols + c) << 2));
      if (lod < 0) continue;
      const low = min(<i32>lod, levelCount - 1);
      const high = min(low + 1, levelCount - 1);
      const m = map + (<usize>(r * (cols + 1) + c) << 3);
      drawTile(levels + <usize>low * 12, levels + <usize>high * 12, <f32>low, <f32>high, lod - <f32>low, repeat, multiply,
        m, <usize>(cols + 1) << 3, tile, dst + (<usize>(r * tile * stride + c * tile) << 4), stride,
        min(tile, stride - c * tile), min(tile, height - r * tile));
    }
  }
}

function drawTile(
  a: usize, b: usize, la: f32, lb: f32, mix: f32, repeat: i32, multiply: i32,
  map: usize, mapRow: usize, tile: i32, dst: usize, stride: i32, w: i32, h: i32,
): void {
  const step: f32 = <f32>1 / <f32>tile;
  const sa: f32 = <f32>1 / <f32>(1 << <i32>la);
  const sb: f32 = <f32>1 / <f32>(1 << <i32>lb);
  const half: f32 = 0.5;
  const weight = f32x4.splat(mix);
  for (let j = 0; j < h; j++) {
    const v = <f32>j * step;
    const x0 = load<f32>(map) + (load<f32>(map + mapRow) - load<f32>(map)) * v;
    const y0 = load<f32>(map, 4) + (load<f32>(map + mapRow, 4) - load<f32>(map, 4)) * v;
    const dx = (load<f32>(map, 8) + (load<f32>(map + mapRow, 8) - load<f32>(map, 8)) * v - x0) * step;
    const dy = (load<f32>(map, 12) + (load<f32>(map + mapRow, 12) - load<f32>(map, 12)) * v - y0) * step;
    for (let i = 0; i < w; i++) {
      const x = x0 + dx * <f32>i;
      const y = y0 + dy * <f32>i;
      let colour = texel(a, (x + half) * sa - half, (y + half) * sa - half, repeat);
      if (mix > 0) {
        const other = texel(b, (x + half) * sb - half, (y + half) * sb - half, repeat);
        colour = f32x4.add(colour, f32x4.mul(f32x4.sub(other, colour), weight));
      }
      const o = dst + (<usize>(j * stride + i) << 4);
      const under = v128.load(o);
      if (multiply) v128.store(o, f32x4.mul(under, colour));
      else {
        const one: f32 = 1;
        const rest = f32x4.splat(one - f32x4.extract_lane(colour, 3));
        v128.store(o, f32x4.add(colour, f32x4.mul(under, rest)));
      }
    }
  }
}

/** Bilinear texel of a level (pointer, width, height as i32). Outside: repeated, or nothing. */
function texel(level: usize, x: f32, y: f32, repeat: i32): v128 {
  const tex = <usize>load<i32>(level);
  const w = load<i32>(level, 4);
  const h = load<i32>(level, 8);
  const fx = floor(x);
  const fy = floor(y);
  const u = f32x4.splat(x - fx);
  const v = f32x4.splat(y - fy);
  const ix = <i32>fx;
  const iy = <i32>fy;
  const p00 = fetch(tex, w, h, ix, iy, repeat);
  const p10 = fetch(tex, w, h, ix + 1, iy, repeat);
  const p01 = fetch(tex, w, h, ix, iy + 1, repeat);
  const p11 = fetch(tex, w, h, ix + 1, iy + 1, repeat);
  const top = f32x4.add(p00, f32x4.mul(f32x4.sub(p10, p00), u));
  const bottom = f32x4.add(p01, f32x4.mul(f32x4.sub(p11, p01), u));
  return f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), v));
}

// @ts-ignore: decorator
@inline
function fetch(tex: usize, w: i32, h: i32, x: i32, y: i32, repeat: i32): v128 {
  if (repeat) {
    x &= w - 1;
    y &= h - 1;
  } else if (x < 0 || y < 0 || x >= w || y >= h) return f32x4.splat(0);
  return v128.load(tex + (<usize>(y * w + x) << 4));
}

/** sum += weight·picture, n pixels. */
export function accumulate(sum: usize, picture: usize, weight: f32, n: i32): void {
  const k = f32x4.splat(weight);
  const end = <usize>n << 4;
  for (let i: usize = 0; i < end; i += 16) {
    v128.store(sum + i, f32x4.add(v128.load(sum + i), f32x4.mul(k, v128.load(picture + i))));
  }
}

/** Halves a texture by 2x2 means. */
export function halveTexture(src: usize, w: i32, h: i32, dst: usize): void {
  const ow = w >> 1;
  const oh = h >> 1;
  const quarter = f32x4.splat(0.25);
  for (let y = 0; y < oh; y++) {
    for (let x = 0; x < ow; x++) {
      const p = src + (<usize>(2 * y * w + 2 * x) << 4);
      const q = p + (<usize>w << 4);
      const sum = f32x4.add(f32x4.add(v128.load(p), v128.load(p + 16)), f32x4.add(v128.load(q), v128.load(q + 16)));
      v128.store(dst + (<usize>(y * ow + x) << 4), f32x4.mul(sum, quarter));
    }
  }
}

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

// @ts-ignore: decorator
@inline
function gauss(seed: u32, x: i32, y: i32, c: i32): f32 {
  const a = hash(seed ^ hash(<u32>x * 3 + <u32>c + 0x9e3779b9) ^ (<u32>y * 0x85ebca6b));
  const b = hash(a + 0x68bc21eb);
  const s = <i32>((a & 255) + ((a >> 8) & 255) + ((a >> 16) & 255) + (a >> 24)) +
    <i32>((b & 255) + ((b >> 8) & 255) + ((b >> 16) & 255) + (b >> 24)) - 1020;
  const scale: f32 = 0.0047842;
  return <f32>s * scale;
}

/**
 * Turns light (0..1, already display-coded) into RGB of 8 bits, or of 16 if `wide`: vignette, sensor grain of variance read² + shot·level
 * (levels²), softened as by demosaicing: each sample's noise is mixed with its left and upper neighbour's.
 */
export function develop(
  src: usize, w: i32, h: i32, vignette: f32, read: f32, shot: f32, seed: u32, wide: i32, out: usize,
): void {
  const cx = <f32>w * <f32>0.5;
  const cy = <f32>h * <f32>0.5;
  const k = vignette / (cx * cx + cy * cy);
  const full: f32 = 255;
  const fine: f32 = 257;
  const half: f32 = 0.5;
  const zero: f32 = 0;
  const one: f32 = 1;
  const own: f32 = 0.8;
  const side: f32 = 0.42;
  for (let y = 0; y < h; y++) {
    const dy = <f32>y - cy;
    for (let x = 0; x < w; x++) {
      const dx = <f32>x - cx;
      const fall = one - k * (dx * dx + dy * dy);
      for (let c = 0; c < 3; c++) {
        let v = load<f32>(src + (<usize>(y * w + x) << 4) + (<usize>c << 2)) * fall * full;
        if (read > 0) {
          const noise = own * gauss(seed, x, y, c) + side * gauss(seed, x - 1, y, c) + side * gauss(seed, x, y - 1, c);
          v += noise * sqrt(read * read + shot * max(v, zero));
        }
        const at = <usize>((y * w + x) * 3 + c);
        if (wide != 0) store<u16>(out + (at << 1), <u16>(min(max(v, zero), full) * fine + half));
        else store<u8>(out + at, <u8>min(max(v + half, zero), full));
      }
    }
  }
}

/** First byte of memory that the module itself does not use. */
export function heapBase(): usize {
  return __heap_base;
}
