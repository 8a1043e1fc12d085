import { frameNumbers, type OutlineNode, type Pointed, type ShapeNode } from '../../contract/document.ts';

/** What is noted of an anchor that was drawn or painted. */
export const DRAWN: Pointed = { add: [], remove: [], mends: true };

/** Whether an outline has been followed beyond its anchors. */
export const isFollowed = (shape: ShapeNode): boolean =>
  shape.outline !== undefined && frameNumbers(shape.keys).some((f) => !(f in shape.outline!.anchors));

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
  if (!outline || !(frame in outline.anchors) || frameNumbers(outline.anchors).length < 2) return;
  delete outline.anchors[frame];
  delete shape.keys[frame];
  forget(shape, outline, frame);
}

function forget(shape: ShapeNode, outline: OutlineNode, frame: number): void {
  const between = betweenAnchors(outline.anchors, frame);
  for (const f of frameNumbers(shape.keys)) if (between(f) && f !== frame) delete shape.keys[f];
  outline.lost = outline.lost.filter((l) => !between(l.from));
  if (outline.held) outline.held = outline.held.filter((h) => !between(h.from));
}

/** Tells whether a frame lies between the anchors before and after another one. */
export function betweenAnchors(anchors: Record<string, unknown>, frame: number): (f: number) => boolean {
  const frames = frameNumbers(anchors);
  const from = frames.findLast((f) => f < frame) ?? -1;
  const to = frames.find((f) => f > frame) ?? Infinity;
  return (f) => f > from && f < to;
}
