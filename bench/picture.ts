/** A luma picture of floats. */
export interface Picture {
  width: number;
  height: number;
  values: Float32Array;
}

export interface Part {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Smallest part of a picture around a mask's set pixels, widened by `margin`, its corner a multiple of `step`. */
export function partAround(mask: Uint8Array, w: number, h: number, margin: number, step: number): Part {
  let [x0, y0, x1, y1] = [w, h, 0, 0];
  for (let i = 0; i < mask.length; i++) {
    if (!mask[i]) continue;
    const [x, y] = [i % w, Math.floor(i / w)];
    [x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)];
  }
  const x = Math.floor(Math.max(0, x0 - margin) / step) * step;
  const y = Math.floor(Math.max(0, y0 - margin) / step) * step;
  return { x, y, width: Math.min(w, x1 + margin + 1) - x, height: Math.min(h, y1 + margin + 1) - y };
}

export function cropMask(mask: Uint8Array, w: number, part: Part): Uint8Array {
  const out = new Uint8Array(part.width * part.height);
  for (let y = 0; y < part.height; y++) {
    const at = (part.y + y) * w + part.x;
    out.set(mask.subarray(at, at + part.width), y * part.width);
  }
  return out;
}

export function cropPicture(p: Picture, part: Part): Picture {
  const values = new Float32Array(part.width * part.height);
  for (let y = 0; y < part.height; y++) {
    const at = (part.y + y) * p.width + part.x;
    values.set(p.values.subarray(at, at + part.width), y * part.width);
  }
  return { width: part.width, height: part.height, values };
}

/** Gaussian blur of standard deviation 1 px (7 taps); borders repeat. */
export function blur1(p: Picture): Picture {
  const taps = [-3, -2, -1, 0, 1, 2, 3].map((d) => Math.exp((-d * d) / 2));
  const total = taps.reduce((a, b) => a + b);
  const { width: w, height: h } = p;
  const across = new Float32Array(w * h);
  const out = new Float32Array(w * h);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      let s = 0;
      for (let d = -3; d <= 3; d++) s += taps[d + 3] * p.values[y * w + Math.min(w - 1, Math.max(0, x + d))];
      across[y * w + x] = s / total;
    }
  }
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      let s = 0;
      for (let d = -3; d <= 3; d++) s += taps[d + 3] * across[Math.min(h - 1, Math.max(0, y + d)) * w + x];
      out[y * w + x] = s / total;
    }
  }
  return { width: w, height: h, values: out };
}

export function bilinear(p: Picture, x: number, y: number): number {
  const ix = Math.min(p.width - 2, Math.max(0, Math.floor(x)));
  const iy = Math.min(p.height - 2, Math.max(0, Math.floor(y)));
  const [u, v] = [x - ix, y - iy];
  const at = iy * p.width + ix;
  const f = p.values;
  return (f[at] * (1 - u) + f[at + 1] * u) * (1 - v) + (f[at + p.width] * (1 - u) + f[at + p.width + 1] * u) * v;
}

/** Laplacian (5-point) at a pixel away from the border. */
export const laplacian = (p: Picture, i: number): number =>
  4 * p.values[i] - p.values[i - 1] - p.values[i + 1] - p.values[i - p.width] - p.values[i + p.width];

/** Places of a mask's set px, in reading order. */
export function placesOf(mask: Uint8Array): Int32Array {
  const places = new Int32Array(mask.length);
  let n = 0;
  for (let i = 0; i < mask.length; i++) if (mask[i]) places[n++] = i;
  return places.slice(0, n);
}

/** Pixels within `r` of a set pixel, by a box of side 2r + 1. */
export function dilateMask(mask: Uint8Array, w: number, h: number, r: number): Uint8Array {
  const across = new Uint8Array(w * h);
  const out = new Uint8Array(w * h);
  for (let y = 0; y < h; y++) {
    let last = -1e9;
    for (let x = -r; x < w; x++) {
      if (x + r < w && mask[y * w + x + r]) last = x + r;
      if (x >= 0 && x - last <= r) across[y * w + x] = 1;
    }
  }
  for (let x = 0; x < w; x++) {
    let last = -1e9;
    for (let y = -r; y < h; y++) {
      if (y + r < h && across[(y + r) * w + x]) last = y + r;
      if (y >= 0 && y - last <= r) out[y * w + x] = 1;
    }
  }
  return out;
}
