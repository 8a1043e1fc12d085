import type { Kernels } from '../../kernels/index.ts';
import type { Level } from './pyramids.ts';

/** A corner must reach this share of the strong corners' score. */
const RELATIVE_SCORE = 0.002;
/** Corners keep this distance from the border, px of the level. */
const BORDER = 8;

/**
 * Corners of one pyramid level spread over a grid (Shi & Tomasi 1994): one a cell, and none where `blocked` says so.
 *
 * @param across - Cells along the long side of the picture; the best corner of each cell is kept.
 * @param blocked - Whether the point (px of the level) must not be used.
 * @returns Interleaved x, y in px of the level.
 */
export function findCorners(
  kernels: Kernels,
  level: Level,
  across: number,
  blocked: (x: number, y: number) => boolean,
): Float32Array {
  const { width: w, height: h } = level;
  return kernels.scoped(() => {
    const score = kernels.alloc(w * h * 4);
    kernels.run.cornerScore(level.at, w, h, score, kernels.alloc(w * 4 * 24));
    return bestOfCells(kernels.f32(score, w * h), w, h, across, blocked);
  });
}

function bestOfCells(
  score: Float32Array,
  w: number,
  h: number,
  across: number,
  blocked: (x: number, y: number) => boolean,
): Float32Array {
  const cell = Math.max(6, Math.round(Math.max(w, h) / across));
  const found: { x: number; y: number; s: number }[] = [];
  for (let cy = BORDER; cy < h - BORDER; cy += cell) {
    for (let cx = BORDER; cx < w - BORDER; cx += cell) {
      let best = 0;
      let at = -1;
      for (let y = cy; y < Math.min(cy + cell, h - BORDER); y++) {
        for (let x = cx, i = y * w + cx; x < Math.min(cx + cell, w - BORDER); x++, i++) {
          if (score[i] > best && !blocked(x, y)) {
            best = score[i];
            at = i;
          }
        }
      }
      if (at >= 0) found.push({ x: at % w, y: Math.floor(at / w), s: best });
    }
  }
  const scores = Float64Array.from(found, (f) => f.s).sort();
  const strong = scores[Math.floor(scores.length * 0.9)] ?? 0;
  return Float32Array.from(found.filter((f) => f.s >= strong * RELATIVE_SCORE).flatMap((f) => [f.x, f.y]));
}
