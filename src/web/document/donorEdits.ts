import { toShape, type RemovalNode } from '../../contract/document.ts';
import type { Donor } from '../../core/fill/settings.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';

/** Room between a thing and the donor beside it, px. */
const GAP = 8;
/** Where nothing is outlined at the frame, px. */
const SOMEWHERE = 100;

/** A donor right beside what a removal outlines at a frame. */
export function startingDonor({ shapes }: RemovalNode, frame: number): Donor {
  const xs = Object.entries(shapes).flatMap(([id, node]) => {
    if (node.operation !== 'add' || node.matte || node.rides) return [];
    return (pathAt(toShape(id, node, 0, {}), frame) ?? []).map((p) => p.x);
  });
  const width = xs.length > 0 ? Math.max(...xs) - Math.min(...xs) + GAP : SOMEWHERE;
  return { frame, dx: Math.round(width), dy: 0 };
}
