import { betweenCells } from '../image/betweenCells.ts';
import type { MatteCells } from '../image/matteCells.ts';
import { NEVER, type Covered, type Stretch } from '../reveal/visibility.ts';

/** Fewest frames before or after a place is hidden that are played back and forth, if there are more on the other side. */
const FEWEST = 4;
/** Share of the time that a place is hidden over which what was before gives way to what comes after. */
const FADE = 0.3;

/** How much longer than it is hidden a place is free, where it is told by how it looks that it moves by itself. */
const LONGER = 2;
/** The same where it is not known when it began to be hidden, or ends to be. */
const MUCH_LONGER = 4;

/**
 * Whether most of some places are hidden briefly, beside how long they are free before and after. What is hidden all the time but for while
 * something passes before it shows that, and not what is behind it.
 *
 * @param places - Px of the frame, interleaved.
 */
export function areHiddenBriefly({ before, after }: Covered, cells: MatteCells, places: readonly number[]): boolean {
  const { cell, cols, rows } = cells;
  let [hiding, briefly] = [0, 0];
  for (let k = 0; k < places.length; k += 2) {
    const [c, r] = [Math.floor(places[k] / cell), Math.floor(places[k + 1] / cell)];
    if (c < 0 || r < 0 || c >= cols || r >= rows) continue;
    const i = r * cols + c;
    if (before.off[i] === 0) continue;
    hiding++;
    const known = [before, after].filter(({ off }) => off[i] !== NEVER);
    const hidden = known.reduce((sum, { off }) => sum + off[i], -1);
    const free = known.reduce((sum, { length }) => sum + length[i], 0);
    if (known.length > 0 && free >= (known.length === 2 ? LONGER : MUCH_LONGER) * Math.max(1, hidden)) briefly++;
  }
  return briefly > hiding / 2;
}

/** The frame that shows a place in mirrored time, and how far the place is from being seen. */
export interface Mirrored {
  /** Frames away; between two of them both count. */
  off: number;
  /** Frames until it is free, in the direction that is looked in. */
  hidden: number;
  /** Frames for which it is free then. */
  length: number;
}

/** @param x, y - Px of the frame. @returns undefined where the place is not free in that direction. */
export function mirroredAt({ off, length }: Stretch, cells: MatteCells, x: number, y: number): Mirrored | undefined {
  const { cell, cols, rows } = cells;
  // A region may reach beyond the frame.
  const [c, r] = [Math.min(cols - 1, Math.floor(x / cell)), Math.min(rows - 1, Math.floor(y / cell))];
  const own = Math.max(0, r) * cols + Math.max(0, c);
  if (off[own] === NEVER || length[own] === 0) return undefined;
  const hidden = Math.max(
    1,
    betweenCells(x, y, cell, cells, (i) => (off[i] === NEVER ? off[own] : off[i])),
  );
  const last = off[own] + length[own] - 1;
  return { off: Math.min(last, hidden + bounced(hidden - 1, length[own])), hidden, length: length[own] };
}

/** Back and forth between 0 and n - 1. */
function bounced(step: number, n: number): number {
  if (n === 1) return 0;
  const k = step % (2 * n - 2);
  return k < n ? k : 2 * n - 2 - k;
}

/** How much what was before counts, 0..1, beside what comes after. */
export function weightOfBefore(before: Mirrored | undefined, after: Mirrored | undefined): number {
  if (!before || !after) return before ? 1 : 0;
  const [few, fewAfter] = [before.length < FEWEST, after.length < FEWEST];
  if (few !== fewAfter) return few ? 0 : 1;
  const share = (after.hidden - 0.5) / (before.hidden + after.hidden - 1);
  return Math.max(0, Math.min(1, (share - 0.5) / FADE + 0.5));
}
