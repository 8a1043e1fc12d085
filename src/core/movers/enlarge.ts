import { at, type MaskPatch } from './maskPatch.ts';

/** Where between 0 and 1 an enlarged mask's edge runs: below a half, since what is left out is seen and what is too much is not. */
const EDGE = 0.35;

/**
 * Draws a mask of small frames into a plane of the clip's size, with a smooth edge.
 *
 * @param factor - Px of the clip per px of the mask.
 * @param into - width·height bytes; 255 is written where the mask is.
 */
export function enlarge(patch: MaskPatch, factor: number, width: number, height: number, into: Uint8Array): void {
  const half = factor / 2;
  const [cols, rows] = [Math.ceil(width / factor), Math.ceil(height / factor)];
  // Beyond the frame the mask goes on as it is at the border.
  const mask = (c: number, r: number): number =>
    at(patch, Math.min(cols - 1, Math.max(0, c)), Math.min(rows - 1, Math.max(0, r)));
  // Between the middles of four px of the mask lies a block of the clip.
  for (let r = patch.y - 1; r < patch.y + patch.height; r++) {
    const [y0, y1] = [Math.max(0, Math.ceil((r + 0.5) * factor)), Math.min(height, Math.ceil((r + 1.5) * factor))];
    for (let c = patch.x - 1; c < patch.x + patch.width; c++) {
      const [a, b] = [mask(c, r), mask(c + 1, r)];
      const [d, e] = [mask(c, r + 1), mask(c + 1, r + 1)];
      if (!(a | b | d | e)) continue;
      const [x0, x1] = [Math.max(0, Math.ceil((c + 0.5) * factor)), Math.min(width, Math.ceil((c + 1.5) * factor))];
      for (let y = y0; y < y1; y++) {
        if (a & b & d & e) {
          into.fill(255, y * width + x0, y * width + x1);
          continue;
        }
        const v = (y + 0.5 - half) / factor - r;
        const [left, right] = [a * (1 - v) + d * v, b * (1 - v) + e * v];
        for (let x = x0; x < x1; x++) {
          const u = (x + 0.5 - half) / factor - c;
          if (left * (1 - u) + right * u > EDGE) into[y * width + x] = 255;
        }
      }
    }
  }
}
