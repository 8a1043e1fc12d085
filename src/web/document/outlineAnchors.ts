import type { OutlineNode, Pointed, ShapeNode } from '../../contract/document.ts';

/** What is noted of an anchor that was drawn or painted. */
const DRAWN: Pointed = { add: [], remove: [], mends: true };

const framesOf = (byFrame: Record<string, unknown>): number[] =>
  Object.keys(byFrame)
    .map(Number)
    .sort((a, b) => a - b);

export const anchorFramesOf = ({ anchors }: OutlineNode): number[] => framesOf(anchors);

/** Whether an outline has been followed beyond its anchors. */
export const isFollowed = (shape: ShapeNode): boolean =>
  shape.outline !== undefined && framesOf(shape.keys).some((f) => !(f in shape.outline!.anchors));

/** Makes the key at a frame an anchor; what was followed between the anchors around it has to be followed again. */
export function settle(shape: ShapeNode, frame: number, pointed: Pointed = DRAWN): void {
  const { outline } = shape;
  if (!outline) return;
  forget(shape, outline, frame);
  outline.anchors[frame] = pointed;
  if (shape.visible) {
    shape.visible.from = Math.min(shape.visible.from, frame);
    shape.visible.to = Math.max(shape.visible.to, frame);
  }
}

/** Takes an anchor away with its key; the last one stays. */
export function dropAnchor(shape: ShapeNode, frame: number): void {
  const { outline } = shape;
  if (!outline || !(frame in outline.anchors) || anchorFramesOf(outline).length < 2) return;
  delete outline.anchors[frame];
  delete shape.keys[frame];
  forget(shape, outline, frame);
}

function forget(shape: ShapeNode, outline: OutlineNode, frame: number): void {
  const anchors = anchorFramesOf(outline);
  const from = anchors.findLast((f) => f < frame) ?? -1;
  const to = anchors.find((f) => f > frame) ?? Infinity;
  for (const f of framesOf(shape.keys)) if (f > from && f < to && f !== frame) delete shape.keys[f];
  outline.lost = outline.lost.filter((l) => l.to <= from || l.from >= to);
}
