import type { Incomplete } from './patches.ts';

/** Fills from the border inward with the mean of the known neighbours: a start for the search. */
export function onionFill({ width: w, height: h, colour, missing }: Incomplete): Float32Array {
  const out = colour.slice();
  const left = missing.slice();
  let ring: number[] = [];
  for (let i = 0; i < left.length; i++) if (left[i] === 1) ring.push(i);
  while (ring.length > 0) {
    const next: number[] = [];
    const done: number[] = [];
    for (const i of ring) (fillFromNeighbours(out, left, i, w, h) ? done : next).push(i);
    if (done.length === 0) break;
    for (const i of done) left[i] = 0;
    ring = next;
  }
  return out;
}

function fillFromNeighbours(out: Float32Array, left: Uint8Array, i: number, w: number, h: number): boolean {
  const x = i % w;
  const y = (i - x) / w;
  const sum = [0, 0, 0, 0];
  let n = 0;
  for (let b = Math.max(0, y - 1); b <= Math.min(h - 1, y + 1); b++) {
    for (let a = Math.max(0, x - 1); a <= Math.min(w - 1, x + 1); a++) {
      const k = b * w + a;
      if (left[k] === 1) continue;
      n++;
      for (let c = 0; c < 4; c++) sum[c] += out[4 * k + c];
    }
  }
  if (n === 0) return false;
  for (let c = 0; c < 4; c++) out[4 * i + c] = sum[c] / n;
  return true;
}
