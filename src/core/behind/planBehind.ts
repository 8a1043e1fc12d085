import type { Point } from '../geometry/homography.ts';
import { grow, intersect, type FrameReader, type Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { areParts } from '../movers/areParts.ts';
import { bodyOf } from '../movers/bodies.ts';
import { joinParts } from '../movers/joinParts.ts';
import type { Step } from '../movers/linkRegions.ts';
import { inClip, moved, type MaskPatch } from '../movers/maskPatch.ts';
import { moversOf } from '../movers/movers.ts';
import type { MovingFrame } from '../movers/moverSearch.ts';
import { bodyIn, type Body } from './align.ts';
import { Looks } from './looks.ts';
import { Moments } from './moments.ts';
import { passersOf, type Passer } from './passages.ts';
import { visibleParts } from './visibleParts.ts';
import { Follower, type Way } from './way.ts';

/** Somebody who has to be seen in a hole, and the frame from which they are taken. */
export interface BodyBehind {
  frame: number;
  from: number;
  /** From there to here, px of the small frames. */
  way: Point;
  /** The body in that frame, in px of the small frames. */
  mask: MaskPatch;
  /** Frames that show what is behind it there. */
  others: number[];
}

/** Frames that show what is behind a body: so many, so far apart at least, within so many. */
const OTHERS = 7;
const APART = 3;
const WITHIN = 90;
/** Room around a body in which it may not be in these, px. */
const ROOM = 6;

/**
 * Who passes behind the holes of a shot, in each of its frames the farthest first.
 *
 * @param moving - Of every frame.
 * @param frames - At a draft's size, and their mattes.
 * @param motion - Of the camera, in their px.
 */
export function planBehind(
  moving: readonly MovingFrame[],
  frames: FrameReader,
  mattes: FrameReader,
  motion: CameraMotion,
): BodyBehind[] {
  const looks = new Looks(frames, mattes);
  const step: Step = (from, to) => motion.plane(from, to);
  const visible = moving.map((m, t) => visibleParts(m, looks.hidden(t), looks.width));
  const found = moversOf(visible, step, frames.format, (together) => areParts(together, frames, step));
  const shade = moving.map((m) => m.shade!);
  const bodies = joinParts(found, frames, step).map(
    (mover) => new Map(bodyOf(mover, shade).map((mask, k) => [mover.first + k, mask])),
  );
  const all = passersOf(bodies, looks, step).flatMap((passer) => behindOf(passer, looks, motion));
  return all.sort((a, b) => a.frame - b.frame || footOf(a) - footOf(b));
}

/** Who stands lower in the picture is nearer. */
const footOf = ({ mask, way }: BodyBehind): number => mask.y + mask.height + way.y;

function behindOf(passer: Passer, looks: Looks, motion: CameraMotion): BodyBehind[] {
  const known = new Map<number, Body>();
  const bodyAt = (t: number): Body => {
    const body = known.get(t) ?? bodyIn(looks, t, passer.bodies.get(t)!);
    known.set(t, body);
    return body;
  };
  const way = new Follower(passer, bodyAt, looks, (from, to) => motion.plane(from, to)).way();
  return new Moments(passer, way, bodyAt, looks).find().map((moment) => {
    const mask = passer.bodies.get(moment.from)!;
    return { ...moment, mask, others: framesWithout(moment.from, mask, way, motion) };
  });
}

/** Frames in which a body is not where it is in one frame, nearest first. */
function framesWithout(from: number, mask: MaskPatch, way: Way, motion: CameraMotion): number[] {
  const here = way.get(from)!;
  const isAway = (t: number): boolean => {
    const there = way.get(t);
    if (!there) return true;
    const back = Float64Array.of(there.x, there.y);
    motion.map(t, from, back);
    const then: Rect = moved(mask, back[0] - here.x, back[1] - here.y);
    const both = intersect(grow(mask, ROOM), then);
    return both.width === 0 || both.height === 0;
  };
  const out: number[] = [];
  for (let d = APART; d <= WITHIN && out.length < OTHERS; d += APART) {
    for (const t of [from - d, from + d]) {
      if (t >= 0 && t < motion.data.count && motion.sameScene(from, t) && isAway(t)) out.push(t);
    }
  }
  return out;
}

/** A rectangle of small frames in px of frames that are larger by a factor. */
export const enlarged = ({ x, y, width, height }: Rect, factor: number): Rect => ({
  x: Math.floor(inClip(x, factor)),
  y: Math.floor(inClip(y, factor)),
  width: width * factor,
  height: height * factor,
});
