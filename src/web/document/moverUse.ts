import { toShape, type ShotDocument } from '../../contract/document.ts';
import type { MoverView } from '../../contract/movers.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';
import type { Shape } from '../../core/shapes/shape.ts';

/** What is drawn already of something that was found: it goes away, or stays in front of what is chosen. */
export type MoverUse = 'goes' | 'stays' | undefined;

/** Intersection over union of two rectangles from which both are around the same thing, with its shadow or without. */
const SAME = 0.3;

/** What has become of each mover, by where shapes lie on the frame that shows it best: whoever drew them. */
export function moverUses(document: ShotDocument, movers: readonly MoverView[], removalId: string): MoverUse[] {
  const shapes = Object.entries(document.removals).flatMap(([id, removal]) =>
    Object.entries(removal.shapes)
      .filter(([, node]) => !node.matte)
      .map(([shapeId, node]) => ({ removal: id, shape: toShape(shapeId, node, 0, document.tracks) })),
  );
  return movers.map((mover) => {
    const around = shapes.filter(({ shape }) => isAround(shape, mover));
    if (around.some(({ shape }) => shape.operation === 'add')) return 'goes';
    return around.some(({ shape, removal }) => shape.operation === 'hold' && removal === removalId)
      ? 'stays'
      : undefined;
  });
}

function isAround(shape: Shape, { best, box }: MoverView): boolean {
  const points = pathAt(shape, best);
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
