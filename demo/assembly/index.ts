/** Draws a textured plane into a picture of four f32 a pixel (premultiplied), tile by tile. */
export function drawLayer(
  levels: usize, levelCount: i32, repeat: i32, multiply: i32,
  map: usize, drawn: usize, cols: i32, rows: i32, tile: i32, dst: usize, stride: i32, height: i32,
): void {
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (!load<u8>(drawn + <usize>(r * cols + c))) continue;
      const m = map + <usize>(r * (cols + 1) + c) * 12;
      drawTile(levels, levelCount, repeat, multiply, m, <usize>(cols + 1) * 12, tile,
        dst + (<usize>(r * tile * stride + c * tile) << 4), stride, min(tile, stride - c * tile), min(tile, height - r * tile));
    }
  }
}

/** Texels beyond which nothing is looked up, and the weight (one over the depth) below which a pixel looks past a plane. */
const FAR: f32 = 1e7;
const FLAT: f32 = 1e-9;

/**
 * Texel coordinates are quotients of what is linear in a picture (perspective-correct interpolation, Blinn 1992): only these are interpolated between
 * the corners of a tile. The level of detail follows from their derivatives, pixel by pixel.
 */
function drawTile(
  levels: usize, count: i32, repeat: i32, multiply: i32,
  map: usize, mapRow: usize, tile: i32, dst: usize, stride: i32, w: i32, h: i32,
): void {
  const step: f32 = <f32>1 / <f32>tile;
  for (let j = 0; j < h; j++) {
    // Left and right end of the row, and how they change downwards.
    const downU = (load<f32>(map + mapRow) - load<f32>(map)) * step;
    const downV = (load<f32>(map + mapRow, 4) - load<f32>(map, 4)) * step;
    const downQ = (load<f32>(map + mapRow, 8) - load<f32>(map, 8)) * step;
    const turnU = ((load<f32>(map + mapRow, 12) - load<f32>(map, 12)) * step - downU) * step;
    const turnV = ((load<f32>(map + mapRow, 16) - load<f32>(map, 16)) * step - downV) * step;
    const turnQ = ((load<f32>(map + mapRow, 20) - load<f32>(map, 20)) * step - downQ) * step;
    const u0 = load<f32>(map) + downU * <f32>j;
    const v0 = load<f32>(map, 4) + downV * <f32>j;
    const q0 = load<f32>(map, 8) + downQ * <f32>j;
    const du = (load<f32>(map, 12) - load<f32>(map)) * step + turnU * <f32>j;
    const dv = (load<f32>(map, 16) - load<f32>(map, 4)) * step + turnV * <f32>j;
    const dq = (load<f32>(map, 20) - load<f32>(map, 8)) * step + turnQ * <f32>j;
    for (let i = 0; i < w; i++) {
      const at = <f32>i;
      const q = q0 + dq * at;
      if (q < FLAT) continue;
      const depth = <f32>1 / q;
      const x = (u0 + du * at) * depth;
      const y = (v0 + dv * at) * depth;
      if (!(abs(x) < FAR && abs(y) < FAR)) continue;
      const across = length((du - x * dq) * depth, (dv - y * dq) * depth);
      const qDown = downQ + turnQ * at;
      const down = length((downU + turnU * at - x * qDown) * depth, (downV + turnV * at - y * qDown) * depth);
      const colour = filtered(levels, count, levelOf(across, down, count), x, y, repeat);
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

// @ts-ignore: decorator
@inline
function length(x: f32, y: f32): f32 {
  return sqrt(x * x + y * y);
}

/** Level of detail for the texels that a pixel spans: between the two, nearer to the smaller, a compromise between shimmer and blur on slanted ground. */
function levelOf(across: f32, down: f32, count: i32): f32 {
  const half: f32 = 0.5;
  const s = max(min(across, down), max(across, down) * half);
  const lift: f32 = 0.2;
  const none: f32 = 0;
  return max(none, min(<f32>(count - 1), log2Of(s) + lift));
}

/** The exponent, and the fraction as it is: continuous, off by 0.09 at most. */
// @ts-ignore: decorator
@inline
function log2Of(s: f32): f32 {
  const ones: f32 = 8388608;
  const bias: f32 = 127;
  return <f32>reinterpret<i32>(s) / ones - bias;
}

/** Texel of two neighbouring levels, mixed. @param x, y - Of the largest level. */
function filtered(levels: usize, count: i32, lod: f32, x: f32, y: f32, repeat: i32): v128 {
  const low = <i32>lod;
  const mix = lod - <f32>low;
  const colour = texelOf(levels, low, x, y, repeat);
  if (mix <= 0 || low + 1 >= count) return colour;
  return f32x4.add(colour, f32x4.mul(f32x4.sub(texelOf(levels, low + 1, x, y, repeat), colour), f32x4.splat(mix)));
}

// @ts-ignore: decorator
@inline
function texelOf(levels: usize, level: i32, x: f32, y: f32, repeat: i32): v128 {
  const half: f32 = 0.5;
  const scale: f32 = <f32>1 / <f32>(1 << level);
  return texel(levels + <usize>level * 12, (x + half) * scale - half, (y + half) * scale - half, repeat);
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
