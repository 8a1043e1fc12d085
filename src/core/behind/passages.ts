import { project, type Point } from '../geometry/homography.ts';
import { median } from '../geometry/linear.ts';
import { touch } from '../movers/looks.ts';
import type { Step } from '../movers/linkRegions.ts';
import { areaOf, centreOf, grown, type MaskPatch } from '../movers/maskPatch.ts';
import { align, bodyIn } from './align.ts';
import type { Looks } from './looks.ts';
import { turnedBody, turnOf } from './turn.ts';

/** Somebody, or something, who passes behind a hole. */
export interface Passer {
  /** Visible px without a shadow, by frame. */
  bodies: ReadonlyMap<number, MaskPatch>;
  /** The same with shadows. */
  wholes: ReadonlyMap<number, MaskPatch>;
  /** Frames that show all of it, ascending. */
  free: readonly number[];
}

/** Share of its usual size below which it is not told any more who it is. */
const LOST = 0.5;
/** Share of its usual size that a frame must show to show all of it. */
const WHOLE = 0.75;
/** Part of its size that something is away from all mattes at least once. */
const AWAY = 0.5;
/** Free frames from which somebody is known. */
const LEAST_FREE = 5;
/** Free frames from which somebody is told from leaves and waves. */
const FREE_FOR_SURE = 15;
/** Frames that tell how somebody goes before and after a hole. */
const TELLING = 12;
/** Frames that somebody may be hidden for to be known again. */
const LONGEST = 90;
/** Of these so many are looked at, and searched for near their middle, px. */
const EVERY = 3;
const NEAR = 2;
/** Away from where they are expected: a share of their size, and of the way that they go unseen. */
const OFF_SIZE = 0.5;
const OFF_WAY = 0.25;
/** Difference of speed: a share of it, and px per frame. */
const OFF_SPEED = 0.5;
const OFF_SPEED_PX = 0.4;
/** Mean difference of two views of the same body, 8-bit levels: limbs swing. */
const UNLIKE = 30;

/** Frames of waiting that count as much as being quite unlike. */
const WAIT = 20;

/** What was followed as one. */
export type Trail = Pick<Passer, 'bodies' | 'wholes'>;

/** Who passes behind holes, from what is visible of what moves. */
export function passersOf(trails: readonly Trail[], looks: Looks, step: Step): Passer[] {
  const partsAlone = trails.flatMap((own) =>
    partsOf(
      own,
      trails.filter((other) => other !== own),
      looks,
    ),
  );
  return joined(
    partsAlone.filter((part) => getsAway(part, looks)),
    looks,
    step,
  );
}

/** Whether something is seen for long, and goes as far as it is large: waves come and go, leaves stay where they are. */
export function goesFar({ bodies, free }: Passer, step: Step): boolean {
  if (free.length < FREE_FOR_SURE) return false;
  const { width, height } = bodies.get(free[0])!;
  const { x, y } = wayBetween(bodies, free[0], free.at(-1)!, step);
  return Math.hypot(x, y) >= Math.max(width, height);
}

/** How far somebody goes from one frame to another beside the camera, px of the latter. */
function wayBetween(bodies: Passer['bodies'], from: number, to: number, step: Step): Point {
  const [was, is] = [centreOf(bodies.get(from)!), centreOf(bodies.get(to)!)];
  const carried = project(step(from, to), was.x, was.y);
  return { x: is.x - carried.x, y: is.y - carried.y };
}

/** Divides what was followed where it was lost behind the hole: whoever came out may be somebody else. */
function partsOf({ bodies, wholes }: Trail, others: readonly Trail[], looks: Looks): Passer[] {
  const frames = [...bodies.keys()].sort((a, b) => a - b);
  const area = new Map(frames.map((t) => [t, areaOf(bodies.get(t)!)]));
  const clear = frames.filter((t) => isClear(bodies.get(t)!, t, others, looks));
  if (clear.length < LEAST_FREE) return [];
  const usual = median(clear.map((t) => area.get(t)!));
  const free = clear.filter((t) => area.get(t)! >= WHOLE * usual);
  const cuts: number[] = [];
  for (let k = 1; k < free.length; k++) {
    const between = frames.filter((t) => t > free[k - 1] && t < free[k]);
    if (between.length === 0) continue;
    const least = between.reduce((a, b) => (area.get(b)! < area.get(a)! ? b : a));
    if (area.get(least)! < LOST * usual) cuts.push(least);
  }
  return [-Infinity, ...cuts]
    .map((from, k) => {
      const within = (t: number): boolean => t > from && t <= (cuts[k] ?? Infinity);
      const some = (masks: Trail['bodies']): Trail['bodies'] => new Map([...masks].filter(([t]) => within(t)));
      return { bodies: some(bodies), wholes: some(wholes), free: free.filter(within) };
    })
    .filter((part) => part.free.length >= LEAST_FREE);
}

/** Whether a frame hides nothing of a body: no matte is beside it, no border of the frame, nobody else. */
function isClear(mask: MaskPatch, t: number, others: readonly Trail[], looks: Looks): boolean {
  if (areaOf(mask) === 0 || touchesHidden(mask, looks, t)) return false;
  return others.every(({ bodies }) => {
    const other = bodies.get(t);
    return !other || areaOf(other) === 0 || !touch(mask, other);
  });
}

/** Whether it is ever away from the mattes: what stays beside them is a part of what goes. The frame's border may be near: feet are. */
const getsAway = ({ bodies, free }: Passer, looks: Looks): boolean =>
  free.some((t) => {
    const body = bodies.get(t)!;
    return !touches(body, looks, t, Math.ceil(AWAY * Math.min(body.width, body.height)), false);
  });

/** A matte is this near to what it hides a part of, px. */
const BESIDE = 2;

/** Whether a matte or the frame's border is beside a body. */
const touchesHidden = (mask: MaskPatch, looks: Looks, t: number): boolean => touches(mask, looks, t, BESIDE, true);

/** Whether a matte is so near to a body, px. @param border - Or the frame's border. */
function touches(mask: MaskPatch, looks: Looks, t: number, within: number, border: boolean): boolean {
  const { width, height } = looks;
  const hidden = looks.hidden(t);
  const near = grown(mask, within);
  return near.data.some((v, i) => {
    if (v === 0) return false;
    const [x, y] = [near.x + (i % near.width), near.y + Math.floor(i / near.width)];
    const inside = x >= 0 && y >= 0 && x < width && y < height;
    return inside ? hidden[y * width + x] > 0 : border;
  });
}

/** Joins who goes in on one side of a hole to who comes out on the other: by their way, and by their looks. */
function joined(parts: readonly Passer[], looks: Looks, step: Step): Passer[] {
  const pairs = parts.flatMap((before, a) =>
    parts.flatMap((after, b) => {
      const unlike = a === b ? undefined : unlikeness(before, after, looks, step);
      return unlike === undefined ? [] : [{ a, b, unlike }];
    }),
  );
  const next = new Map<number, number>();
  const taken = new Set<number>();
  for (const { a, b } of pairs.sort((p, q) => p.unlike - q.unlike)) {
    if (next.has(a) || taken.has(b)) continue;
    next.set(a, b);
    taken.add(b);
  }
  return parts.flatMap((_, k) => {
    if (taken.has(k)) return [];
    const chain = [parts[k]];
    for (let n = next.get(k); n !== undefined; n = next.get(n)) chain.push(parts[n]);
    return [chain.reduce(together)];
  });
}

/** One after the other: what followed the first may have gone on with somebody else when the second one is seen. */
function together(a: Passer, b: Passer): Passer {
  const from = b.free[0];
  const all = (one: Trail['bodies'], other: Trail['bodies']): Trail['bodies'] =>
    new Map([...[...one].filter(([t]) => t < from), ...[...other].filter(([t]) => t >= from)]);
  return { bodies: all(a.bodies, b.bodies), wholes: all(a.wholes, b.wholes), free: [...a.free, ...b.free] };
}

/** How unlike two are who may be the same, hidden in between; undefined if they are not. */
function unlikeness(before: Passer, after: Passer, looks: Looks, step: Step): number | undefined {
  const [last, first] = [before.free.at(-1)!, after.free[0]];
  if (first <= last || first - last > LONGEST) return undefined;
  const [a, b] = [ending(before, -1, step), ending(after, 1, step)];
  const middle = Math.round((last + first) / 2);
  const off = distance(expected(a, middle, step), expected(b, middle, step));
  // Speeds are told in the frames in which they are measured; a camera hardly turns that fast.
  const apart = distance(a.speed, b.speed);
  const speed = Math.max(Math.hypot(a.speed.x, a.speed.y), Math.hypot(b.speed.x, b.speed.y));
  const mostOff = OFF_SIZE * a.size + OFF_WAY * speed * (first - last);
  const mostApart = OFF_SPEED * speed + OFF_SPEED_PX;
  if (off > mostOff || apart > mostApart) return undefined;
  const looksOff = likeness(before, after, looks, step);
  // Whoever comes out next is the likeliest.
  const wait = (first - last) / WAIT;
  return looksOff > UNLIKE ? undefined : looksOff / UNLIKE + off / mostOff + apart / mostApart + wait;
}

interface Ending {
  frame: number;
  place: Point;
  /** Beside the camera's, px per frame. */
  speed: Point;
  /** Diagonal of what is seen of it, px. */
  size: number;
}

/** How somebody goes at one end of the time in which they are seen. @param side - -1 for the last frames, 1 for the first. */
function ending({ bodies, free }: Passer, side: 1 | -1, step: Step): Ending {
  const some = side < 0 ? free.slice(-TELLING) : free.slice(0, TELLING);
  const frame = side < 0 ? some.at(-1)! : some[0];
  const other = side < 0 ? some[0] : some.at(-1)!;
  const way = wayBetween(bodies, other, frame, step);
  const n = frame - other || 1;
  const { width, height } = bodies.get(frame)!;
  return {
    frame,
    place: centreOf(bodies.get(frame)!),
    speed: { x: way.x / n, y: way.y / n },
    size: Math.hypot(width, height),
  };
}

function expected({ frame, place, speed }: Ending, t: number, step: Step): Point {
  const carried = project(step(frame, t), place.x, place.y);
  return { x: carried.x + (t - frame) * speed.x, y: carried.y + (t - frame) * speed.y };
}

const distance = (a: Point, b: Point): number => Math.hypot(a.x - b.x, a.y - b.y);

/** The least that views before and after differ by. */
function likeness(before: Passer, after: Passer, looks: Looks, step: Step): number {
  const views = (frames: readonly number[], of: Passer) =>
    frames
      .filter((_, k) => k % EVERY === 0)
      .map((t) => ({ t, body: bodyIn(looks, t, of.bodies.get(t)!), middle: centreOf(of.bodies.get(t)!) }));
  const others = views(after.free.slice(0, TELLING), after);
  let least = Infinity;
  for (const a of views(before.free.slice(-TELLING), before)) {
    for (const b of others) {
      const way = { x: b.middle.x - a.middle.x, y: b.middle.y - a.middle.y };
      const body = turnedBody(a.body, turnOf(step(a.t, b.t), a.middle, a.body.mask));
      const found = align(looks, body, b.t, way, NEAR, b.body);
      if (found) least = Math.min(least, found.mismatch);
    }
  }
  return least;
}
