import { project, type Matrix3, type Point } from '../geometry/homography.ts';
import { intersect } from '../image/format.ts';
import type { Together } from './areParts.ts';
import { areaOf, centreOf, distanceFrom, grown, moved, patchOf, shared, union, type MaskPatch } from './maskPatch.ts';

/** Something that moves, over time. */
export interface Trail {
  /** By frame. */
  masks: Map<number, MaskPatch>;
  /** Middle of the mask per frame, px. */
  centres: Map<number, Point>;
}

/** Homography of the camera's motion between two frames, px. */
export type Step = (from: number, to: number) => Matrix3;

interface Live extends Trail {
  /** Frame and middle of its latest place, seen or, while another crosses it, as expected. */
  last: number;
  place: Point;
  /** Its mask when it was last seen on its own, and when that was. */
  mask: MaskPatch;
  alone: number;
  /** Own movement beside the camera's, px per frame. */
  velocity: Point;
  /** Frames in which its own movement was seen clearly. */
  clear: number;
  /** In how many frames another was there too when it was last asked whether both are one. */
  asked: Map<Live, number>;
}

/** Where a mask is expected one frame on, it is searched for in this distance too, px. */
const SEARCH_PX = 3;
/** Share of a region that must lie where something is expected to be taken for it. */
const LEAST_SHARE = 0.12;
/** What is expected of all that claim a region, as a share of it, under which they are parts of one thing that shows itself. */
const OUTGROWN_SHARE = 0.6;
/** Frames over which something may be missing before it is given up. */
const MOST_MISSING = 12;
/** Frames that two must have in common, more than when it was last asked, before it is asked whether they are one. */
const ASKED_AFTER = 6;
/** Weight of the newest movement in the velocity. */
const NEWEST = 0.25;
/** Share of its usual size under which a glimpse says nothing of the movement. */
const WHOLE_SHARE = 0.6;

/** Whether two are parts of one thing. @param together - Frames that have both, ascending. */
export type ArePartsOfOne = (together: readonly Together[]) => boolean;

/** What is known of the frame that is being linked. */
interface Now {
  live: readonly Live[];
  /** Where each is expected. */
  expected: MaskPatch[];
  near: Near[];
  /** What each has got of the frame's regions. */
  taken: (MaskPatch | undefined)[];
  /** Those that claimed a region together with others. */
  crossing: Set<number>;
  /** Those that got others' parts in this frame; and these others, which are no more. */
  grown: Set<number>;
  joined: Set<number>;
}

/** An expected mask grown by SEARCH_PX, and the px of the mask itself. */
interface Near {
  wide: MaskPatch;
  area: number;
}

/**
 * Links the moving regions of all frames into trails: each is expected to go on as it went, and takes what lies there. Where
 * two are one region they are one, if they have been near each other and gone the same way ever since; or else they cross: each px
 * goes to the one whose expected place is nearer, and both keep their movement.
 */
export function linkRegions(
  regions: readonly (readonly MaskPatch[])[],
  step: Step,
  size: { width: number; height: number },
  arePartsOfOne: ArePartsOfOne,
): Trail[] {
  const done: Live[] = [];
  let live: Live[] = [];
  regions.forEach((found, t) => {
    const now = expectedAt(live, t, step);
    const fresh = found.filter((region) => !claim(region, now, arePartsOfOne, size));
    live.forEach((one, k) => {
      const mask = now.taken[k];
      if (mask) goOn(one, t, mask, step, { crossing: now.crossing.has(k), grown: now.grown.has(k) });
    });
    live = live.filter((_, k) => !now.joined.has(k));
    done.push(...live.filter((one) => t - one.last > MOST_MISSING));
    live = live.filter((one) => t - one.last <= MOST_MISSING);
    live.push(...fresh.map((mask) => begin(mask, t)));
  });
  return [...done, ...live];
}

function expectedAt(live: readonly Live[], t: number, step: Step): Now {
  const expected = live.map((one) => expectedMask(one, t, step));
  const taken = live.map(() => undefined);
  return {
    live,
    expected,
    near: expected.map(nearOf),
    taken,
    crossing: new Set(),
    grown: new Set(),
    joined: new Set(),
  };
}

const nearOf = (mask: MaskPatch): Near => ({ wide: grown(mask, SEARCH_PX), area: areaOf(mask) });

/** Gives a region to those that are expected there. @returns Whether there are any. */
function claim(
  region: MaskPatch,
  now: Now,
  arePartsOfOne: ArePartsOfOne,
  size: { width: number; height: number },
): boolean {
  const all = claimants(region, now);
  const claims = isOutgrown(region, all, now.near) ? [joinAll(all, now)] : joinClaims(all, now, arePartsOfOne);
  if (claims.length > 1) claims.forEach((k) => now.crossing.add(k));
  for (const [k, part] of divide(region, claims, now.expected, size)) give(part, k, now);
  return claims.length > 0;
}

function give(part: MaskPatch, k: number, { taken }: Now): void {
  const have = taken[k];
  taken[k] = have ? union(have, part) : part;
}

function begin(mask: MaskPatch, t: number): Live {
  const centre = centreOf(mask);
  const [masks, centres] = [new Map([[t, mask]]), new Map([[t, centre]])];
  return {
    masks,
    centres,
    last: t,
    place: centre,
    mask,
    alone: t,
    velocity: { x: 0, y: 0 },
    clear: 0,
    asked: new Map(),
  };
}

/** Where something is expected in frame t. */
function expectedMask(one: Live, t: number, step: Step): MaskPatch {
  const own = centreOf(one.mask);
  const to = expectedPlace(one, t, step);
  return moved(one.mask, to.x - own.x, to.y - own.y);
}

function expectedPlace({ place, last, velocity }: Live, t: number, step: Step): Point {
  const carried = project(step(last, t), place.x, place.y);
  return { x: carried.x + (t - last) * velocity.x, y: carried.y + (t - last) * velocity.y };
}

/** The live ones that a region may belong to. */
function claimants(region: MaskPatch, { near, joined }: Now): number[] {
  const area = areaOf(region);
  return near.flatMap(({ wide, area: own }, k) => {
    if (joined.has(k) || intersect(region, wide).width === 0) return [];
    const overlap = shared(region, wide);
    return overlap > 0 && overlap > LEAST_SHARE * Math.min(area, own) ? [k] : [];
  });
}

/** Whether a region is larger than all that claims it: something comes into the picture, of which parts were seen before. */
function isOutgrown(region: MaskPatch, claims: readonly number[], near: readonly { area: number }[]): boolean {
  return claims.length > 1 && claims.reduce((sum, k) => sum + near[k].area, 0) < OUTGROWN_SHARE * areaOf(region);
}

/** Makes one of those that are parts of one thing. @returns Those that are left. */
function joinClaims(claims: readonly number[], now: Now, arePartsOfOne: ArePartsOfOne): number[] {
  const out: number[] = [];
  for (const k of claims) {
    const n = out.findIndex(
      (other) => isTime(now.live[k], now.live[other]) && arePartsOfOne(together(now.live[k], now.live[other])),
    );
    if (n < 0) out.push(k);
    else out[n] = joinAll([out[n], k], now);
  }
  return out;
}

/** Whether two have been there together for long enough since it was last asked whether they are one. */
function isTime(a: Live, b: Live): boolean {
  const frames = [...a.masks.keys()].filter((t) => b.masks.has(t)).length;
  if (frames < (a.asked.get(b) ?? 0) + ASKED_AFTER) return false;
  a.asked.set(b, frames);
  b.asked.set(a, frames);
  return true;
}

const together = (a: Live, b: Live): Together[] =>
  [...a.masks]
    .flatMap(([frame, mask]) => (b.masks.has(frame) ? { frame, a: mask, b: b.masks.get(frame)! } : []))
    .sort((one, other) => one.frame - other.frame);

/**
 * Makes one of several that are parts of one thing, with what each took in this frame.
 * @returns The one that has been seen longest, which goes on.
 */
function joinAll(claims: readonly number[], now: Now): number {
  const { live, expected, taken } = now;
  const [home, ...parts] = [...claims].sort((a, b) => live[b].masks.size - live[a].masks.size);
  for (const k of parts) {
    joinTrails(live[home], live[k]);
    expected[home] = union(expected[home], expected[k]);
    const part = taken[k];
    if (part) give(part, home, now);
    taken[k] = undefined;
    now.joined.add(k);
  }
  now.near[home] = nearOf(expected[home]);
  now.grown.add(home);
  return home;
}

/** Adds the masks of one trail to another, whose middle stays the middle: so the path does not jump where a part comes or goes. */
export function joinTrails(whole: Trail, part: Trail): void {
  for (const [t, mask] of part.masks) {
    const have = whole.masks.get(t);
    whole.masks.set(t, have ? union(have, mask) : mask);
    if (!have) whole.centres.set(t, part.centres.get(t)!);
  }
}

/** A region's px among those that claim it. */
function divide(
  region: MaskPatch,
  claims: readonly number[],
  expected: readonly MaskPatch[],
  { width }: { width: number },
): [number, MaskPatch][] {
  if (claims.length <= 1) return claims.map((k) => [k, region]);
  const parts = new Map<number, number[]>(claims.map((k) => [k, []]));
  const away = claims.map((k) => distanceFrom(expected[k], region));
  for (let i = 0; i < region.data.length; i++) {
    if (!region.data[i]) continue;
    let nearest = 0;
    for (let n = 1; n < claims.length; n++) if (away[n][i] < away[nearest][i]) nearest = n;
    const [x, y] = [region.x + (i % region.width), region.y + Math.floor(i / region.width)];
    parts.get(claims[nearest])!.push(y * width + x);
  }
  return [...parts].filter(([, px]) => px.length > 0).map(([k, px]) => [k, patchOf(px, width)]);
}

function goOn(
  one: Live,
  t: number,
  mask: MaskPatch,
  step: Step,
  { crossing, grown }: { crossing: boolean; grown: boolean },
): void {
  // What it is while another crosses it, is a guess: it goes on as it went, and looks as it did. If it is known how it went: what
  // lies beside it since it was first seen may be a part of it, and would hold it where it was.
  if (crossing && one.clear > 0) one.place = expectedPlace(one, t, step);
  else {
    const centre = centreOf(mask);
    const before = centreOf(one.mask);
    const carried = project(step(one.alone, t), before.x, before.y);
    // The middle of what has got another part is elsewhere, and says nothing of the movement.
    if (!grown && areaOf(mask) > WHOLE_SHARE * areaOf(one.mask)) {
      const weight = Math.max(NEWEST, 1 / (one.clear + 1));
      one.velocity.x += weight * ((centre.x - carried.x) / (t - one.alone) - one.velocity.x);
      one.velocity.y += weight * ((centre.y - carried.y) / (t - one.alone) - one.velocity.y);
      one.clear++;
    }
    one.place = centre;
    one.mask = mask;
    one.alone = t;
  }
  one.masks.set(t, mask);
  one.centres.set(t, one.place);
  one.last = t;
}
