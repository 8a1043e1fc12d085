import type { Point } from '../geometry/homography.ts';
import { around, intersect, type FrameReader, type Rect } from '../image/format.ts';
import { CHANNELS } from '../outline/colourModel.ts';
import { readCut, type PictureCut } from '../outline/pictureCut.ts';
import type { Step } from './linkRegions.ts';
import { areaOf, centreOf, maskIn, moved, shared, sharedNear, trimmed, union, type MaskPatch } from './maskPatch.ts';
import type { Mover } from './movers.ts';
import { wayOf } from './ownWay.ts';

/** Frames on each side that say what belongs to a thing, and the share of all of them that must say so. */
const BESIDE = 4;
const AGREEING_SHARE = 0.7;
/** Least difference in any channel by which a px does not look as it does there, 8-bit levels. */
const UNLIKE = 16;
/** Frames on each side on which a part that moves may have been the mover's, how near to there it must lie, px, and which share of it. */
const PART_BESIDE = 2;
const PART_PX = 2;
const PART_SHARE = 0.5;

/**
 * Gives a mover on each frame what those before and after have of it, moved as what is under it moves, and what looks the same there:
 * a dark wheel before dark reeds is like them for a frame or two, and seen before and after that. Where a leg has swung away, ground
 * is seen that looks otherwise. Of what moves on the frame itself it has the parts that lie where it is a frame or two before or after: a shin whose
 * thigh is not seen.
 *
 * @param frames - The small frames in which it was found.
 * @param partsAt - All parts of a frame that may move.
 */
export function steadied(
  mover: Mover,
  frames: FrameReader,
  step: Step,
  partsAt: (frame: number) => readonly MaskPatch[],
): Mover {
  const places = placesOf(mover, frames, step);
  const whole = { ...mover, masks: mover.masks.map((_, k) => withParts(mover, places, k, partsAt(mover.first + k))) };
  const masks = whole.masks.map((mask, k) => withBeside(mask, mover.first + k, besideOf(whole, places, k), frames));
  return { ...mover, masks, path: masks.map(centreOf) };
}

/** How far a mover has come since its first frame, per frame, px. */
function placesOf({ first, masks }: Mover, frames: FrameReader, step: Step): Point[] {
  const places: Point[] = [{ x: 0, y: 0 }];
  let guess: Point | undefined;
  masks.slice(0, -1).forEach((mask, k) => {
    const { camera, own } = wayOf(mask, first + k, first + k + 1, frames, step, guess);
    guess = own;
    const { x, y } = places[k];
    places.push({ x: x + camera.x + (own?.x ?? 0), y: y + camera.y + (own?.y ?? 0) });
  });
  return places;
}

/** A mover's mask on a frame with the parts that lie where it is on those beside. */
function withParts({ masks }: Mover, places: readonly Point[], k: number, parts: readonly MaskPatch[]): MaskPatch {
  const beside: MaskPatch[] = [];
  for (let n = Math.max(0, k - PART_BESIDE); n <= Math.min(masks.length - 1, k + PART_BESIDE); n++) {
    if (n !== k) beside.push(broughtTo(masks, places, n, k));
  }
  const isIts = (part: MaskPatch): boolean => {
    const area = areaOf(part);
    if (shared(part, masks[k]) === area) return false;
    return beside.some((mask) => sharedNear(part, mask, PART_PX) >= PART_SHARE * area);
  };
  return parts.filter(isIts).reduce(union, masks[k]);
}

/** The mask of a frame where it should be on another one. */
const broughtTo = (masks: readonly MaskPatch[], places: readonly Point[], from: number, to: number): MaskPatch =>
  moved(masks[from], places[to].x - places[from].x, places[to].y - places[from].y);

/** What a mover is on another frame. */
interface Beside {
  frame: number;
  /** Where it should be on the frame at hand. */
  mask: MaskPatch;
  /** By how much it lies elsewhere on its own frame, px. */
  dx: number;
  dy: number;
}

/** The frames beside one; none if it has them on one side alone. */
function besideOf({ first, masks }: Mover, places: readonly Point[], k: number): Beside[] {
  if (k === 0 || k === masks.length - 1) return [];
  const [from, to] = [Math.max(0, k - BESIDE), Math.min(masks.length - 1, k + BESIDE)];
  const out: Beside[] = [];
  for (let n = from; n <= to; n++) {
    if (n === k) continue;
    const mask = broughtTo(masks, places, n, k);
    out.push({ frame: first + n, mask, dx: masks[n].x - mask.x, dy: masks[n].y - mask.y });
  }
  return out;
}

function withBeside(mask: MaskPatch, frame: number, beside: readonly Beside[], frames: FrameReader): MaskPatch {
  if (beside.length === 0) return mask;
  const { width, height } = frames.format;
  const all = beside.reduce((rect: Rect, one) => around(rect, one.mask), mask);
  const rect = intersect(all, { x: 0, y: 0, width, height });
  const own: MaskPatch = { ...rect, data: maskIn(mask, rect) };
  const enough = AGREEING_SHARE * beside.length;
  const votes = new Uint8Array(own.data.length);
  for (const one of beside) addMask(votes, rect, one.mask);
  const missing = trimmed({ ...rect, data: votes.map((n, i) => (n >= enough && !own.data[i] ? 1 : 0)) });
  if (missing.width === 0) return trimmed(own);
  return trimmed(union(own, lookingTheSame(missing, frame, beside, frames, enough)));
}

/** Counts a mask for the px of a rectangle that it has. */
function addMask(votes: Uint8Array, rect: Rect, mask: MaskPatch): void {
  const { x, y, width, height } = intersect(rect, mask);
  for (let v = y; v < y + height; v++) {
    const [to, from] = [(v - rect.y) * rect.width + x - rect.x, (v - mask.y) * mask.width + x - mask.x];
    for (let k = 0; k < width; k++) votes[to + k] += mask.data[from + k];
  }
}

/** The px of a patch that look as they do on enough of the frames beside, of those that have them. */
function lookingTheSame(
  patch: MaskPatch,
  frame: number,
  beside: readonly Beside[],
  frames: FrameReader,
  enough: number,
): MaskPatch {
  const votes = new Uint8Array(patch.data.length);
  const here = readCut(frames, frame, patch, 1);
  for (const one of beside) vote(votes, patch, here, one, frames);
  return { ...patch, data: patch.data.map((is, i) => (is && votes[i] >= enough ? 1 : 0)) };
}

/** Counts a frame for the px of a patch that it has and that look as they do on it. */
function vote(votes: Uint8Array, patch: MaskPatch, here: PictureCut, beside: Beside, frames: FrameReader): void {
  const { x, y, width, height } = patch;
  const there = readCut(frames, beside.frame, { x: x + beside.dx, y: y + beside.dy, width, height }, 1);
  const [left, top] = [x + beside.dx - there.x, y + beside.dy - there.y];
  maskIn(beside.mask, patch).forEach((is, i) => {
    if (!is || !patch.data[i]) return;
    const [u, v] = [left + (i % width), top + Math.floor(i / width)];
    if (u < 0 || v < 0 || u >= there.width || v >= there.height) return;
    if (alike(here.colours, i, there.colours, v * there.width + u)) votes[i]++;
  });
}

function alike(a: Float32Array, i: number, b: Float32Array, j: number): boolean {
  for (let c = 0; c < CHANNELS; c++) if (Math.abs(a[i * CHANNELS + c] - b[j * CHANNELS + c]) >= UNLIKE) return false;
  return true;
}
