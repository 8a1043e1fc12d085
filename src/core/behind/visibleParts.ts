import { components } from '../image/components.ts';
import type { Moving } from '../movers/segment.ts';
import { patchOf, type MaskPatch } from '../movers/maskPatch.ts';

/** Least size of what a matte leaves of a region, px. */
const LEAST_PX = 8;

/**
 * What moves in a frame beside its matte: who is hidden by it in part shows the rest.
 * @param blocked - Not 0 where the matte is, or what else may not be seen, per px of the small frame.
 */
export function visibleParts({ regions, loose }: Moving, blocked: Uint8Array, width: number): Moving {
  const outside = (patches: readonly MaskPatch[]): MaskPatch[] =>
    patches.flatMap((patch) => {
      const data = patch.data.slice();
      let cut = false;
      for (let i = 0; i < data.length; i++) {
        const at = (patch.y + Math.floor(i / patch.width)) * width + patch.x + (i % patch.width);
        if (data[i] === 0 || blocked[at] === 0) continue;
        data[i] = 0;
        cut = true;
      }
      if (!cut) return [patch];
      return components(data, patch.width, patch.height)
        .filter((px) => px.length >= LEAST_PX)
        .map((px) => patchOf(px, patch.width))
        .map((part) => ({ ...part, x: part.x + patch.x, y: part.y + patch.y }));
    });
  return { regions: outside(regions), loose: outside(loose) };
}
