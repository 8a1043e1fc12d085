import type { FrameFormat } from '../image/format.ts';
import { textureClass } from './grain.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { HOLE_TILE, planeSize, spansOf, type Region } from './region.ts';

/**
 * Class of texture ({@link textureClass}) of a plane per cell of the offset grid, in the tiles of the hole: of the squares of
 * two by two cells that a cell belongs to the evenest counts, so that grain does not reach from an edge into what is even.
 * @param full - Largest sample.
 */
export function textureField(
  region: Region,
  format: FrameFormat,
  plane: number,
  samples: Float32Array,
  full: number,
): Float32Array {
  const { cols, rows } = offsetGrid(region);
  const { mean, variance } = cellMoments(region, format, plane, samples);
  const squares = new Float32Array((cols + 1) * (rows + 1));
  for (let r = 0; r <= rows; r++) {
    for (let c = 0; c <= cols; c++) squares[r * (cols + 1) + c] = varianceAround(mean, variance, cols, rows, c, r);
  }
  return variance.map((v, i) => {
    if (Number.isNaN(v)) return 0;
    const at = Math.floor(i / cols) * (cols + 1) + (i % cols);
    const least = Math.min(squares[at], squares[at + 1], squares[at + cols + 1], squares[at + cols + 2]);
    return textureClass(least, full);
  });
}

/** Mean and variance of the samples of each cell; NaN outside of the hole's tiles. */
function cellMoments(
  region: Region,
  format: FrameFormat,
  plane: number,
  samples: Float32Array,
): { mean: Float32Array; variance: Float32Array } {
  const { cols, rows } = offsetGrid(region);
  const { stepX, stepY } = format.planes[plane];
  const { width } = planeSize(region, format, plane);
  const [cw, ch] = [CELL / stepX, CELL / stepY];
  const mean = new Float32Array(cols * rows).fill(NaN);
  const variance = mean.slice();
  const spans = spansOf(region, format, plane, HOLE_TILE);
  for (let k = 0; k < spans.length; k += 3) {
    if (spans[k] % ch !== 0) continue;
    for (let x = spans[k + 1], c = (spans[k] / ch) * cols + x / cw; x < spans[k + 2]; x += cw, c++) {
      [mean[c], variance[c]] = moments(samples, spans[k] * width + x, width, cw, ch);
    }
  }
  return { mean, variance };
}

function moments(samples: Float32Array, at: number, width: number, w: number, h: number): [number, number] {
  // Counted from the first sample: large levels lose nothing of small variances.
  const first = samples[at];
  let [sum, squares] = [0, 0];
  for (let row = at; row < at + h * width; row += width) {
    for (let i = row; i < row + w; i++) {
      const d = samples[i] - first;
      sum += d;
      squares += d * d;
    }
  }
  const mean = sum / (w * h);
  return [first + mean, Math.max(0, squares / (w * h) - mean * mean)];
}

/** Variance in the two by two cells around the corner (c, r) of the grid, of those that are known. */
function varianceAround(
  mean: Float32Array,
  variance: Float32Array,
  cols: number,
  rows: number,
  c: number,
  r: number,
): number {
  let [n, within, sum, squares] = [0, 0, 0, 0];
  for (let b = Math.max(0, r - 1); b <= Math.min(rows - 1, r); b++) {
    for (let i = b * cols + Math.max(0, c - 1); i <= b * cols + Math.min(cols - 1, c); i++) {
      if (Number.isNaN(variance[i])) continue;
      n++;
      within += variance[i];
      sum += mean[i];
      squares += mean[i] * mean[i];
    }
  }
  return n === 0 ? Infinity : within / n + Math.max(0, squares / n - (sum / n) ** 2);
}
