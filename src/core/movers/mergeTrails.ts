import type { Point } from '../geometry/homography.ts';
import { grow, intersect } from '../image/format.ts';
import { joinTrails, type Trail } from './linkRegions.ts';
import { areaOf, grown, shared, type MaskPatch } from './maskPatch.ts';

/** Parts of one thing lie this near to each other, px. */
const NEAR_PX = 10;
/** And this near where the frame's border cuts both: what joins them may still be outside. */
const NEAR_AT_BORDER_PX = 32;
/** Share of the shorter trail's frames in which two parts of one thing are near each other. */
const TOGETHER_SHARE = 0.6;
/** What is near another in this share of its frames, and this much smaller, is a part of it however its middle moves. */
const CLINGS_SHARE = 0.8;
const CLINGS_SIZE = 0.5;
/** Difference of movement that parts of one thing may show, as a share of how fast they go; and the least, px per frame. */
const APART_SHARE = 0.5;
const APART_PX = 0.7;
/** Frames that a movement is judged from. */
const LEAST_FRAMES = 5;

/** Movement of a trail beside the camera's, between two frames that show it, px per frame. */
export type Own = (trail: Trail, from: number, to: number) => Point;

/**
 * Joins trails that are parts of one thing: near each other for most of the time that both are there, and going the same
 * way. What only glimpses is too short to tell its way, and joins what it touches.
 */
export function mergeTrails(trails: readonly Trail[], own: Own, size: { width: number; height: number }): Trail[] {
  const rest = trails.map((trail) => ({ trail, weight: weight(trail) })).sort((a, b) => b.weight - a.weight);
  const out: Trail[] = [];
  for (const { trail } of rest) {
    const home = out.find((one) => belongs(trail, one, own, size));
    if (home) joinTrails(home, trail);
    else out.push({ masks: new Map(trail.masks), centres: new Map(trail.centres) });
  }
  return out;
}

const weight = ({ masks }: Trail): number => [...masks.values()].reduce((sum, m) => sum + areaOf(m), 0);

function belongs(part: Trail, whole: Trail, own: Own, size: { width: number; height: number }): boolean {
  const both = [...part.masks.keys()].filter((t) => whole.masks.has(t));
  if (both.length < TOGETHER_SHARE * part.masks.size) return false;
  const near = both.filter((t) => areNear(part.masks.get(t)!, whole.masks.get(t)!, size));
  if (near.length < TOGETHER_SHARE * part.masks.size) return false;
  if (near.length >= CLINGS_SHARE * part.masks.size && isPartOf(part, whole, near)) return true;
  // The middle of what comes into the picture does not move as the thing does.
  const entering = both.filter((t) => cutOff(part.masks.get(t)!, size) || cutOff(whole.masks.get(t)!, size));
  if (both.length - entering.length < LEAST_FRAMES) return true;
  const [from, to] = [both[0], both.at(-1)!];
  const [a, b] = [own(part, from, to), own(whole, from, to)];
  const allowed = Math.max(APART_PX, APART_SHARE * Math.hypot(b.x, b.y));
  return Math.hypot(a.x - b.x, a.y - b.y) <= allowed;
}

/** Whether two masks of a frame lie as near to each other as parts of one thing do. @param size - Of the frame. */
export function areNear(a: MaskPatch, b: MaskPatch, size: { width: number; height: number }): boolean {
  const px = cutOff(a, size) && cutOff(b, size) ? NEAR_AT_BORDER_PX : NEAR_PX;
  return intersect(grow(a, px), b).width > 0 && shared(grown(a, px), b) > 0;
}

/** Whether one is much smaller than another in the frames that show both. */
function isPartOf(part: Trail, whole: Trail, frames: readonly number[]): boolean {
  const area = ({ masks }: Trail): number => frames.reduce((sum, t) => sum + areaOf(masks.get(t)!), 0);
  return area(part) < CLINGS_SIZE * area(whole);
}

/** Whether a mask reaches the frame's border. */
const cutOff = (m: MaskPatch, { width, height }: { width: number; height: number }): boolean =>
  m.x <= 0 || m.y <= 0 || m.x + m.width >= width || m.y + m.height >= height;
