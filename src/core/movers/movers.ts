import { project, type Point } from '../geometry/homography.ts';
import { intersect } from '../image/format.ts';
import { linkRegions, type ArePartsOfOne, type Step, type Trail } from './linkRegions.ts';
import { areaOf, centreOf, grown, moved, shared, union, type MaskPatch } from './maskPatch.ts';
import { mergeTrails } from './mergeTrails.ts';
import { parted } from './partedTrails.ts';
import type { Moving } from './segment.ts';
import { withoutFlecks } from './withoutFlecks.ts';

/** Something that moves by itself, in px of the small frames. */
export interface Mover {
  first: number;
  last: number;
  /** Per frame first..last. */
  masks: MaskPatch[];
  /** Middle per frame. */
  path: Point[];
  /** Frame that shows it best, for its picture. */
  best: number;
}

/** Largest area that something must reach at least once, share of the frame. */
const LEAST_AREA = 0.0004;
/** Frames that something must be seen in; more if it is small. */
const LEAST_FRAMES = 6;
const SMALL_AREA = 0.003;
const LEAST_FRAMES_SMALL = 12;
/** Way against the background, as a share of its own size: what stays in its place is leaves, light or depth. */
const LEAST_WAY = 0.6;
/** The same, px of the small frames. */
const LEAST_WAY_PX = 4;

/** A loose part belongs to what is this near, px. */
const LOOSE_PX = 2;

/**
 * What moves in a shot, largest first.
 * @param moving - Per frame, from `movingRegions`.
 */
export function moversOf(
  moving: readonly Moving[],
  step: Step,
  size: { width: number; height: number },
  arePartsOfOne: ArePartsOfOne,
): Mover[] {
  const regions = moving.map((m) => m.regions);
  const own = (trail: Trail, from: number, to: number): Point => ownMovement(trail, from, to, step);
  const linked = parted(linkRegions(regions, step, size, arePartsOfOne), step, size, arePartsOfOne);
  const trails = mergeTrails(linked, own, size);
  const frame = size.width * size.height;
  const moverTrails = trails.filter((trail) => isMover(trail, frame, step));
  moving.forEach(({ loose }, t) => takeIn(loose, t, moverTrails));
  const found = moverTrails.map((trail) => moverOf(trail, step));
  return listed(withoutFlecks(found, frame, step));
}

/** Largest first, each with the frame that shows it best. */
export function listed(movers: readonly Omit<Mover, 'best'>[]): Mover[] {
  return movers
    .map((mover) => ({ ...mover, best: bestFrame(mover, movers) }))
    .map((mover) => ({ mover, area: mover.masks.reduce((sum, m) => sum + areaOf(m), 0) }))
    .sort((a, b) => b.area - a.area)
    .map(({ mover }) => mover);
}

function ownMovement(trail: Trail, from: number, to: number, step: Step): Point {
  const [a, b] = [trail.centres.get(from)!, trail.centres.get(to)!];
  const carried = project(step(from, to), a.x, a.y);
  const n = Math.max(1, to - from);
  return { x: (b.x - carried.x) / n, y: (b.y - carried.y) / n };
}

function isMover(trail: Trail, frame: number, step: Step): boolean {
  const frames = [...trail.masks.keys()].sort((a, b) => a - b);
  const largest = Math.max(...[...trail.masks.values()].map(areaOf));
  if (largest < LEAST_AREA * frame) return false;
  if (frames.length < (largest < SMALL_AREA * frame ? LEAST_FRAMES_SMALL : LEAST_FRAMES)) return false;
  // The farthest that it gets from where it was at its first, middle and last.
  let way = 0;
  for (const from of [frames[0], frames[frames.length >> 1], frames.at(-1)!]) {
    for (const to of frames) {
      const a = trail.centres.get(from)!;
      const carried = project(step(from, to), a.x, a.y);
      const b = trail.centres.get(to)!;
      way = Math.max(way, Math.hypot(b.x - carried.x, b.y - carried.y));
    }
  }
  return way > Math.max(LEAST_WAY_PX, LEAST_WAY * Math.sqrt(largest));
}

/** Gives each loose part of a frame to the mover that it touches most. */
function takeIn(loose: readonly MaskPatch[], t: number, trails: readonly Trail[]): void {
  for (const part of loose) {
    const near = grown(part, LOOSE_PX);
    let [home, most]: [Trail | undefined, number] = [undefined, 0];
    for (const trail of trails) {
      const touches = trail.masks.has(t) ? shared(trail.masks.get(t)!, near) : 0;
      if (touches > most) [home, most] = [trail, touches];
    }
    home?.masks.set(t, union(home.masks.get(t)!, part));
  }
}

function moverOf(trail: Trail, step: Step): Omit<Mover, 'best'> {
  const frames = [...trail.masks.keys()].sort((a, b) => a - b);
  const [first, last] = [frames[0], frames.at(-1)!];
  const masks: MaskPatch[] = [];
  for (let t = first; t <= last; t++) masks.push(trail.masks.get(t) ?? between(trail, t, step));
  return { first, last, masks, path: masks.map(centreOf) };
}

/** Where it is seen largest and on its own; where it is largest, if others are always near. */
function bestFrame(mover: Omit<Mover, 'best'>, all: readonly Omit<Mover, 'best'>[]): number {
  const areas = mover.masks.map(areaOf);
  const alone = areas.map((area, k) => {
    const t = mover.first + k;
    const near = all.some((other) => {
      const mask = other === mover ? undefined : (other.masks[t - other.first] as MaskPatch | undefined);
      if (!mask) return false;
      const both = intersect(mask, mover.masks[k]);
      return both.width > 0 && both.height > 0;
    });
    return near ? 0 : area;
  });
  const by = alone.some((area) => area > 0) ? alone : areas;
  return mover.first + by.indexOf(Math.max(...by));
}

/** Where nothing was seen for a while: the last mask, on the way to the next. */
function between(trail: Trail, t: number, step: Step): MaskPatch {
  let before = t - 1;
  while (!trail.masks.has(before)) before--;
  let after = t + 1;
  while (!trail.masks.has(after)) after++;
  const part = (t - before) / (after - before);
  const own = ownMovement(trail, before, after, step);
  const nearer = part < 0.5 ? before : after;
  const mask = trail.masks.get(nearer)!;
  const was = trail.centres.get(nearer)!;
  const carried = project(step(nearer, t), was.x, was.y);
  return moved(mask, carried.x - was.x + (t - nearer) * own.x, carried.y - was.y + (t - nearer) * own.y);
}
