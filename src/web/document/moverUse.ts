import { ranked, toShape, type RemovalNode, type ShapeNode, type ShotDocument } from '../../contract/document.ts';
import type { MoverView } from '../../contract/movers.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';

/** What is drawn already of something that was found: it goes away, or stays in front of what is chosen. */
export type MoverUse = 'goes' | 'stays' | undefined;

/** Intersection over union of two rectangles from which both are around the same thing, with its shadow or without. */
const SAME = 0.3;

/** What has become of each mover, by where shapes lie on the frame that shows it best: whoever drew them. */
export function moverUses(document: ShotDocument, movers: readonly MoverView[], removalId: string): MoverUse[] {
  const removals = Object.entries(document.removals);
  return movers.map((mover) => {
    if (removals.some(([, removal]) => has(document, removal, 'add', mover))) return 'goes';
    const chosen = removals.find(([id]) => id === removalId);
    return chosen && has(document, chosen[1], 'hold', mover) ? 'stays' : undefined;
  });
}

function has(
  document: ShotDocument,
  removal: RemovalNode,
  operation: ShapeNode['operation'],
  mover: MoverView,
): boolean {
  return ranked(removal.shapes).some(
    ([id, shape]) => shape.operation === operation && !shape.matte && isAround(document, id, shape, mover),
  );
}

function isAround({ tracks }: ShotDocument, id: string, shape: ShapeNode, { best, box }: MoverView): boolean {
  const points = pathAt(toShape(id, shape, 0, tracks), best);
  if (!points || points.length === 0) return false;
  const [xs, ys] = [points.map((p) => p.x), points.map((p) => p.y)];
  const [left, top, right, bottom] = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  const [x, y, width, height] = box;
  const across = Math.min(right, x + width) - Math.max(left, x);
  const down = Math.min(bottom, y + height) - Math.max(top, y);
  if (across <= 0 || down <= 0) return false;
  const both = across * down;
  return both / ((right - left) * (bottom - top) + width * height - both) > SAME;
}
