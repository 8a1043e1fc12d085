import type { MoverOutlines } from '../../contract/movers.ts';
import { frameNumbers, type RemovalNode, type ShotDocument } from '../../contract/document.ts';
import { sharpPoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape } from './edits.ts';

/** What was found is a little tight and a little rough: the matte goes beyond it by this, px. */
const GROW_PX = 4;

/** A removal of its own for a mover. @param shadow - Whether the outlines hold its shadow. @returns Its id. */
export function takeAway(draft: ShotDocument, outlines: MoverOutlines, name: string, shadow: boolean): string {
  const id = addRemoval(draft);
  const removal = draft.removals[id];
  removal.name = name;
  removal.grow = GROW_PX;
  if (!shadow) removal.shadowStays = true;
  addOutline(removal, outlines, name);
  return id;
}

/** Lets a mover stay in front of a removal. @returns The id of its shape. */
export function holdOut(draft: ShotDocument, removalId: string, outlines: MoverOutlines, name: string): string {
  const removal = draft.removals[removalId];
  const id = addOutline(removal, outlines, name);
  removal.shapes[id].operation = 'hold';
  return id;
}

/** A shape with a key on every frame of a mover, seen on these alone. */
function addOutline(removal: RemovalNode, outlines: MoverOutlines, name: string): string {
  const frames = frameNumbers(outlines);
  const id = addShape(removal, 'path', frames[0], []);
  const shape = removal.shapes[id];
  shape.name = name;
  shape.visible = { from: frames[0], to: frames.at(-1)! };
  shape.keys = Object.fromEntries(frames.map((f) => [f, { ease: 'linear', points: sharpPoints(outlines[f]) }]));
  return id;
}
