import type { Pointed, ShotDocument } from '../../contract/document.ts';
import { sharpPoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape } from './edits.ts';
import { settle } from './outlineAnchors.ts';

/** Where an outline that was pointed at goes: a shape, or a new one of a removal, or of a new removal. */
export interface OutlinePlace {
  removalId: string;
  shapeId: string;
}

/**
 * Puts the outline that was found at a frame into the document: as an anchor, from which it is followed.
 *
 * @param path - x0 y0 x1 y1 …, px of the picture as shown.
 * @returns Where it is.
 */
export function putOutline(
  draft: ShotDocument,
  { removalId, shapeId }: OutlinePlace,
  frame: number,
  pointed: Pointed,
  path: readonly number[],
): OutlinePlace {
  const inId = removalId in draft.removals ? removalId : addRemoval(draft);
  const removal = draft.removals[inId];
  const points = sharpPoints(path);
  if (!(shapeId in removal.shapes)) {
    const id = addShape(removal, 'path', frame, points);
    removal.shapes[id].outline = { anchors: { [frame]: pointed }, lost: [] };
    // Nothing is known of other frames until it is followed.
    removal.shapes[id].visible = { from: frame, to: frame };
    return { removalId: inId, shapeId: id };
  }
  const shape = removal.shapes[shapeId];
  shape.keys[frame] = { ease: 'linear', points };
  settle(shape, frame, pointed);
  return { removalId: inId, shapeId };
}
