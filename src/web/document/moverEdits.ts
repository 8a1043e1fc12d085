import type { MoverOutlines } from '../../contract/movers.ts';
import { frameNumbers, type RemovalNode, type ShotDocument } from '../../contract/document.ts';
import { sharpPoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape } from './edits.ts';

/** What was found is a little tight and a little rough: the matte goes beyond it by this, px. */
const GROW_PX = 4;

/** A mover with the name that its shape gets. */
export interface NamedOutlines {
  name: string;
  outlines: MoverOutlines;
}

/** A removal of its own for movers. @param shadow - Whether the outlines hold their shadows. @returns Its id. */
export function takeAway(draft: ShotDocument, name: string, movers: readonly NamedOutlines[], shadow: boolean): string {
  const id = addRemoval(draft);
  const removal = draft.removals[id];
  removal.name = name;
  removal.grow = GROW_PX;
  if (!shadow) removal.shadowStays = true;
  takeAwayToo(draft, id, movers);
  return id;
}

/** Adds movers to a removal that there is. */
export function takeAwayToo(draft: ShotDocument, removalId: string, movers: readonly NamedOutlines[]): void {
  for (const { outlines, name } of movers) addOutline(draft.removals[removalId], outlines, name);
}

/** Bytes of document that a point takes, about, and of an edit that the server takes in one go. */
const POINT_BYTES = 70;
const EDIT_BYTES = 2_500_000;

/** Movers in as few groups as edits of a size that can be sent. */
export function inEdits(movers: readonly NamedOutlines[]): NamedOutlines[][] {
  const groups: NamedOutlines[][] = [];
  let room = 0;
  for (const mover of movers) {
    const points = Object.values(mover.outlines).reduce((sum, coordinates) => sum + coordinates.length / 2, 0);
    if (points * POINT_BYTES > room || groups.length === 0) {
      groups.push([]);
      room = EDIT_BYTES;
    }
    groups[groups.length - 1].push(mover);
    room -= points * POINT_BYTES;
  }
  return groups;
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
