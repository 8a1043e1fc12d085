import type { MoverOutlines } from '../../contract/movers.ts';
import type { RemovalNode, ShapeNode, ShotDocument } from '../../contract/document.ts';
import { addRemoval, addShape } from './edits.ts';

/** What was found is a little tight and a little rough: the matte goes beyond it by this, px. */
const GROW_PX = 4;

/** A removal of its own for a mover. @returns Its id. */
export function takeAway(draft: ShotDocument, outlines: MoverOutlines, name: string): string {
  const id = addRemoval(draft);
  const removal = draft.removals[id];
  removal.name = name;
  removal.grow = GROW_PX;
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
  const frames = Object.keys(outlines)
    .map(Number)
    .sort((a, b) => a - b);
  const id = addShape(removal, 'path', frames[0], []);
  const shape = removal.shapes[id];
  shape.name = name;
  shape.visible = { from: frames[0], to: frames.at(-1)! };
  shape.keys = Object.fromEntries(frames.map((f) => [f, keyOf(outlines[f])]));
  return id;
}

function keyOf(places: readonly number[]): ShapeNode['keys'][string] {
  const points = Array.from({ length: places.length / 2 }, (_, i) => ({
    x: places[2 * i],
    y: places[2 * i + 1],
    inX: 0,
    inY: 0,
    outX: 0,
    outY: 0,
  }));
  return { ease: 'linear', points };
}
