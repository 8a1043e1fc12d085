import type { Point } from '../geometry/homography.ts';
import { around, intersect, snap, type Rect } from '../image/format.ts';
import { maskIn, trimmed, type MaskPatch } from '../movers/maskPatch.ts';
import { OTHER, THING } from './cutOut.ts';

/** A click or a scribble: places joined by straight lines, drawn with a round brush. Px of the frame. */
export interface Stroke {
  points: readonly Point[];
  radius: number;
}

/** What a person has pointed at in one frame. */
export interface Hints {
  add: readonly Stroke[];
  remove: readonly Stroke[];
  /** Drawn around the thing: nothing outside belongs to it. */
  box?: Rect;
}

export const NO_HINTS: Hints = { add: [], remove: [] };

/** Radius of a click, px of the frame. */
export const CLICK_RADIUS = 3;

/** The part of a frame that strokes and box take up, px of the frame; undefined without any. */
export function hintedRect({ add, box }: Hints): Rect | undefined {
  if (box) return box;
  const places = add.flatMap(({ points, radius }) =>
    points.flatMap(({ x, y }) => [
      { x: x - radius, y: y - radius },
      { x: x + radius, y: y + radius },
    ]),
  );
  if (places.length === 0) return undefined;
  const [xs, ys] = [places.map((p) => p.x), places.map((p) => p.y)];
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return { x, y, width: Math.max(...xs) - x, height: Math.max(...ys) - y };
}

/** What the strokes settle about the px of a reduced part of a frame, over what is settled already; later strokes hold. */
export function settleStrokes(settled: Uint8Array, part: Rect, step: number, { add, remove }: Hints): void {
  for (const stroke of add) drawStroke(settled, part, step, stroke, THING);
  for (const stroke of remove) drawStroke(settled, part, step, stroke, OTHER);
}

/** A mask with strokes painted on and erased as they are. @param whole - The frame. */
export function paintOver(mask: MaskPatch, hints: Hints, whole: Rect): MaskPatch {
  const drawn = hintedRect({ add: [...hints.add, ...hints.remove], remove: [] });
  const rect = intersect(drawn ? snap(around(mask, drawn), 1) : mask, whole);
  const settled = maskIn(mask, rect).map((m) => (m ? THING : OTHER));
  settleStrokes(settled, rect, 1, hints);
  return trimmed({ ...rect, data: settled.map((s) => (s === THING ? 1 : 0)) });
}

function drawStroke(into: Uint8Array, part: Rect, step: number, { points, radius }: Stroke, value: number): void {
  const here = points.map(({ x, y }) => ({ x: (x + 0.5) / step - 0.5 - part.x, y: (y + 0.5) / step - 0.5 - part.y }));
  const r = Math.max(0.75, radius / step);
  here.forEach((p, i) => {
    const q = here[Math.min(i + 1, here.length - 1)];
    const [left, right] = [Math.min(p.x, q.x) - r, Math.max(p.x, q.x) + r];
    const [top, bottom] = [Math.min(p.y, q.y) - r, Math.max(p.y, q.y) + r];
    for (let y = Math.max(0, Math.ceil(top)); y <= Math.min(part.height - 1, bottom); y++) {
      for (let x = Math.max(0, Math.ceil(left)); x <= Math.min(part.width - 1, right); x++) {
        if (distanceTo(p, q, x, y) <= r) into[y * part.width + x] = value;
      }
    }
  });
}

function distanceTo(p: Point, q: Point, x: number, y: number): number {
  const [dx, dy] = [q.x - p.x, q.y - p.y];
  const length = dx * dx + dy * dy;
  const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - p.x) * dx + (y - p.y) * dy) / length));
  return Math.hypot(x - p.x - t * dx, y - p.y - t * dy);
}
