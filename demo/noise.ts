/** Seeded value noise for textures. */

export function hash2(x: number, y: number, seed: number): number {
  let h = Math.imul(x, 0x27d4eb2d) ^ Math.imul(y, 0x165667b1) ^ Math.imul(seed, 0x9e3779b1);
  h = Math.imul(h ^ (h >>> 15), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return ((h ^ (h >>> 16)) >>> 0) / 4294967296;
}

const fade = (t: number): number => t * t * (3 - 2 * t);

/** Smooth noise of period 1, values 0..1. */
export function noise(x: number, y: number, seed: number): number {
  const ix = Math.floor(x);
  const iy = Math.floor(y);
  const u = fade(x - ix);
  const v = fade(y - iy);
  const a = hash2(ix, iy, seed);
  const b = hash2(ix + 1, iy, seed);
  const c = hash2(ix, iy + 1, seed);
  const d = hash2(ix + 1, iy + 1, seed);
  return (a + (b - a) * u) * (1 - v) + (c + (d - c) * u) * v;
}

/** Sum of octaves, about 0..1. */
export function fractal(x: number, y: number, octaves: number, seed: number, gain = 0.5): number {
  let sum = 0;
  let weight = 1;
  let total = 0;
  for (let o = 0; o < octaves; o++) {
    sum += weight * noise(x, y, seed + o);
    total += weight;
    weight *= gain;
    x = x * 2.03 + 17.1;
    y = y * 2.03 + 9.7;
  }
  return sum / total;
}

/** Seeded numbers 0..1 in a row. */
export function sequence(seed: number): () => number {
  let n = 0;
  return () => hash2(n++, 7, seed);
}

export const mix = (a: number, b: number, t: number): number => a + (b - a) * t;
export const smoothstep = (a: number, b: number, x: number): number =>
  fade(Math.min(1, Math.max(0, (x - a) / (b - a))));
