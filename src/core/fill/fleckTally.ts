import type { CameraMotion } from '../motion/cameraMotion.ts';
import { findFlecks, showsSame, type FleckScale } from './flecks.ts';
import type { RimResidual } from './measure.ts';

/** Px of a frame's rim. */
export interface FleckTally {
  /** In flecks that the frame before does not show at the same place. */
  passing: number;
  /** In those that it does: the background was not met there. */
  staying: number;
  /** All. */
  of: number;
}

/** Counts the flecks on a frame's rim, beside the frame before. */
export function tallyFlecks(
  one: RimResidual,
  before: RimResidual,
  motion: CameraMotion,
  scale: FleckScale,
): FleckTally {
  const { rect } = one.region;
  const here = findFlecks(one.values, one.seen, rect.width, rect.height, scale);
  const out = { passing: 0, staying: 0, of: one.seen.reduce((n, v) => n + v, 0) };
  for (const group of here.groups) {
    const places = Float64Array.from(
      group.flatMap((i) => [rect.x + (i % rect.width), rect.y + Math.floor(i / rect.width)]),
    );
    motion.map(one.region.frame, before.region.frame, places);
    group.forEach((i, k) => {
      const other = valueAt(before, places[2 * k], places[2 * k + 1]);
      if (other === undefined) return;
      if (showsSame(here, i, other)) out.staying++;
      else out.passing++;
    });
  }
  return out;
}

/** What a frame's rim shows beside its background at a place of the frame; undefined off it. */
function valueAt({ values, seen, region: { rect } }: RimResidual, x: number, y: number): number | undefined {
  const [c, r] = [Math.round(x) - rect.x, Math.round(y) - rect.y];
  if (c < 0 || r < 0 || c >= rect.width || r >= rect.height) return undefined;
  const i = r * rect.width + c;
  return seen[i] === 1 ? values[i] : undefined;
}
