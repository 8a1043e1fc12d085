import { areaOf } from '../movers/maskPatch.ts';
import type { FollowedOutline } from './followOutline.ts';

/** The frames of an outline as JSON: where it is (px of the clip), how large (px), how sure (0..1), and whether it is hidden. */
export function outlineJson(outlines: readonly FollowedOutline[]): string {
  const frames = outlines.map(({ frame, mask, confidence, held = false }) => ({
    frame,
    confidence: Math.round(confidence * 1000) / 1000,
    held,
    box: [mask.x, mask.y, mask.width, mask.height],
    area: areaOf(mask),
  }));
  return `${JSON.stringify({ frames }, null, 1)}\n`;
}
