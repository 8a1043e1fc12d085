import { intersect, type Rect } from '../image/format.ts';
import { at, type MaskPatch } from './maskPatch.ts';

/** Where between 0 and 1 an enlarged mask's edge runs: below a half, since what is left out is seen and what is too much is not. */
const EDGE = 0.35;

/**
 * A mask of small frames at the clip's size, with a smooth edge.
 * @param factor - Px of the clip per px of the mask.
 */
export function enlarge(patch: MaskPatch, factor: number, size: { width: number; height: number }): MaskPatch {
  const whole: Rect = { x: 0, y: 0, ...size };
  const rect = intersect(
    {
      x: (patch.x - 1) * factor,
      y: (patch.y - 1) * factor,
      width: (patch.width + 2) * factor,
      height: (patch.height + 2) * factor,
    },
    whole,
  );
  const data = new Uint8Array(rect.width * rect.height);
  for (let y = 0; y < rect.height; y++) {
    const v = (rect.y + y + 0.5) / factor - 0.5;
    const r = Math.floor(v);
    const fv = v - r;
    for (let x = 0; x < rect.width; x++) {
      const u = (rect.x + x + 0.5) / factor - 0.5;
      const c = Math.floor(u);
      const fu = u - c;
      const upper = at(patch, c, r) * (1 - fu) + at(patch, c + 1, r) * fu;
      const lower = at(patch, c, r + 1) * (1 - fu) + at(patch, c + 1, r + 1) * fu;
      if (upper * (1 - fv) + lower * fv > EDGE) data[y * rect.width + x] = 1;
    }
  }
  return { ...rect, data };
}
