import type { FrameFormat } from '../image/format.ts';
import type { Gathered } from './gather.ts';
import { planeSize, TILE, type Region } from './region.ts';
import { ENOUGH } from './sourceAgreement.ts';

/** Tiles from which another surface may reach into one. */
const REACH = 1;
/** Half side of the window in which the two are compared, px. */
const WINDOW = 4;
/** How much better the other surface must do, as a share of the weights that agree. */
const BETTER = 0.02;

/** A second surface of some tiles. */
export interface Beside {
  /** 1 for the tiles that have one. */
  tiles: Uint8Array;
  /** Its number, per tile. */
  surfaces: Uint8Array;
}

/** For each active tile that lies beside tiles on another surface the one of these that most of them lie on. */
export function surfacesBeside({ active, cols, rows }: Region, surfaces: Uint8Array): Beside | undefined {
  const out = { tiles: new Uint8Array(active.length), surfaces: new Uint8Array(active.length) };
  for (let tile = 0; tile < active.length; tile++) {
    if (active[tile] === 0) continue;
    const [c, r] = [tile % cols, Math.floor(tile / cols)];
    const votes = new Map<number, number>();
    for (let b = Math.max(0, r - REACH); b <= Math.min(rows - 1, r + REACH); b++) {
      for (let a = Math.max(0, c - REACH); a <= Math.min(cols - 1, c + REACH); a++) {
        const n = b * cols + a;
        if (active[n] > 0 && surfaces[n] !== surfaces[tile]) votes.set(surfaces[n], (votes.get(surfaces[n]) ?? 0) + 1);
      }
    }
    if (votes.size === 0) continue;
    out.tiles[tile] = 1;
    out.surfaces[tile] = [...votes].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0][0];
  }
  return out.tiles.includes(1) ? out : undefined;
}

/**
 * Takes px of a second surface where the sources agree about it, and not about the first.
 *
 * @param first - Overwritten. @param second - Gathered for some of its tiles.
 * @param tau - Difference from which samples disagree.
 */
export function chooseBetween(first: Gathered, second: Gathered, format: FrameFormat, tau: number): void {
  const { region } = second;
  const { width } = region.rect;
  const better = evidence(first, second, tau);
  const chosen = new Uint8Array(better.length);
  const { sums, counts } = windowSums(better, region);
  for (let i = 0; i < chosen.length; i++) chosen[i] = counts[i] > 0 && sums[i] > BETTER * counts[i] ? 1 : 0;
  for (let i = 0; i < chosen.length; i++) {
    if (chosen[i] === 0) continue;
    first.planes[0][i] = second.planes[0][i];
    first.support[i] = second.support[i];
    first.share[i] = second.share[i];
  }
  for (let plane = 1; plane < format.colourPlanes; plane++) {
    const { stepX, stepY } = format.planes[plane];
    const size = planeSize(region, format, plane);
    for (let y = 0; y < size.height; y++) {
      for (let x = 0; x < size.width; x++) {
        if (chosen[y * stepY * width + x * stepX] === 0) continue;
        first.planes[plane][y * size.width + x] = second.planes[plane][y * size.width + x];
      }
    }
  }
}

/** Per px, how much better sources, and the frame itself on its rim, agree with the second surface; NaN = not told. */
function evidence(first: Gathered, second: Gathered, tau: number): Float32Array {
  const { region } = second;
  const { width } = region.rect;
  const out = new Float32Array(first.support.length).fill(NaN);
  const near = (g: Gathered, i: number): number => {
    const d = g.planes[0][i] - g.own[0][i];
    return (tau ** 2 / (tau ** 2 + d ** 2)) ** 2;
  };
  const enough = (g: Gathered, i: number): boolean => g.support[i] >= ENOUGH * g.share[i] && g.share[i] > 0;
  region.active.forEach((a, tile) => {
    if (a === 0) return;
    const start = Math.floor(tile / region.cols) * TILE * width + (tile % region.cols) * TILE;
    for (let y = 0; y < TILE; y++) {
      for (let i = start + y * width; i < start + y * width + TILE; i++) {
        if (!enough(first, i) || !enough(second, i)) continue;
        out[i] = region.known[i] === 1 ? near(second, i) - near(first, i) : second.share[i] - first.share[i];
      }
    }
  });
  return out;
}

/** Sums, and numbers, of what is told in a window around each px. */
function windowSums(values: Float32Array, { rect }: Region): { sums: Float32Array; counts: Float32Array } {
  const { width: w, height: h } = rect;
  const told = values.map((v) => (Number.isNaN(v) ? 0 : 1));
  const known = values.map((v) => (Number.isNaN(v) ? 0 : v));
  const box = (of: Float32Array): Float32Array => {
    const across = new Float32Array(of.length);
    for (let y = 0; y < h; y++) {
      for (let x = 0; x < w; x++) {
        let s = 0;
        for (let a = Math.max(0, x - WINDOW); a <= Math.min(w - 1, x + WINDOW); a++) s += of[y * w + a];
        across[y * w + x] = s;
      }
    }
    const out = new Float32Array(of.length);
    for (let y = 0; y < h; y++) {
      for (let b = Math.max(0, y - WINDOW); b <= Math.min(h - 1, y + WINDOW); b++) {
        for (let x = 0; x < w; x++) out[y * w + x] += across[b * w + x];
      }
    }
    return out;
  };
  return { sums: box(known), counts: box(told) };
}
