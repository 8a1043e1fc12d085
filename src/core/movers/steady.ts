import type { Point } from '../geometry/homography.ts';
import { around, intersect, type FrameReader } from '../image/format.ts';
import type { Step } from './linkRegions.ts';
import { centreOf, maskIn, moved, trimmed, type MaskPatch } from './maskPatch.ts';
import type { Mover } from './movers.ts';
import { wayOf } from './ownWay.ts';

/** Frames on each side that say what belongs to a thing, and the share of all of them that must say so. */
const BESIDE = 4;
const AGREEING_SHARE = 0.7;

/**
 * Gives a mover on each frame what those before and after have of it, moved as what is under it moves: a dark wheel before dark
 * reeds is like them for a frame or two, and seen before and after that.
 *
 * @param frames - The small frames in which it was found.
 */
export function steadied(mover: Mover, frames: FrameReader, step: Step): Mover {
  const { first } = mover;
  const places: Point[] = [{ x: 0, y: 0 }];
  let guess: Point | undefined;
  mover.masks.slice(0, -1).forEach((mask, k) => {
    const { camera, own } = wayOf(mask, first + k, first + k + 1, frames, step, guess);
    guess = own;
    const { x, y } = places[k];
    places.push({ x: x + camera.x + (own?.x ?? 0), y: y + camera.y + (own?.y ?? 0) });
  });
  const masks = mover.masks.map((mask, k) => withBeside(mask, besideOf(mover.masks, places, k), frames));
  return { ...mover, masks, path: masks.map(centreOf) };
}

/** Masks of the frames beside one, where they should be in it; none if it has them on one side alone. */
function besideOf(masks: readonly MaskPatch[], places: readonly Point[], k: number): MaskPatch[] {
  if (k === 0 || k === masks.length - 1) return [];
  const [from, to] = [Math.max(0, k - BESIDE), Math.min(masks.length - 1, k + BESIDE)];
  const out: MaskPatch[] = [];
  for (let n = from; n <= to; n++) {
    if (n !== k) out.push(moved(masks[n], places[k].x - places[n].x, places[k].y - places[n].y));
  }
  return out;
}

function withBeside(mask: MaskPatch, beside: readonly MaskPatch[], { format }: FrameReader): MaskPatch {
  if (beside.length === 0) return mask;
  const { width, height } = format;
  const rect = intersect(beside.reduce(around, mask), { x: 0, y: 0, width, height });
  const data = maskIn(mask, rect);
  const votes = new Uint8Array(data.length);
  for (const one of beside) maskIn(one, rect).forEach((is, i) => (votes[i] += is));
  const enough = AGREEING_SHARE * beside.length;
  return trimmed({ ...rect, data: data.map((is, i) => (is || votes[i] >= enough ? 1 : 0)) });
}
