import type { Point } from '../geometry/homography.ts';
import type { FrameReader, Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { bodyOf } from '../movers/bodies.ts';
import { joinParts } from '../movers/joinParts.ts';
import type { Step } from '../movers/linkRegions.ts';
import { inClip, type MaskPatch } from '../movers/maskPatch.ts';
import { moversOf, type Mover } from '../movers/movers.ts';
import type { MovingFrame } from '../movers/moverSearch.ts';
import { bodyIn, type Body } from './align.ts';
import type { SmallBody } from './cutBody.ts';
import { ClearFrames } from './clearFrames.ts';
import { Looks } from './looks.ts';
import { Moments } from './moments.ts';
import { goesFar, passersOf, type Passer } from './passages.ts';
import type { Turn } from './turn.ts';
import { visibleParts } from './visibleParts.ts';
import { Follower } from './way.ts';

/** Somebody who has to be seen in a hole, and the frame from which they are taken. */
export interface BodyBehind {
  frame: number;
  from: number;
  /** From there to here, px of the small frames. */
  way: Point;
  /** How it is turned on the way, px of the small frames. */
  turn?: Turn;
  /** The body in that frame, in px of the small frames. */
  body: SmallBody;
  /** Frames that show what is behind it there. */
  others: number[];
}

/**
 * Who passes behind the holes of a shot, in each of its frames the farthest first.
 *
 * @param moving - Of every frame.
 * @param frames - At a draft's size, and their mattes.
 * @param motion - Of the camera, in their px.
 * @param restless - Some of the background moves by itself: what is seen briefly, or stays where it is, is that.
 */
export function planBehind(
  moving: readonly MovingFrame[],
  frames: FrameReader,
  mattes: FrameReader,
  motion: CameraMotion,
  restless: boolean,
): BodyBehind[] {
  const looks = new Looks(frames, mattes);
  const step: Step = (from, to) => motion.plane(from, to);
  const visible = moving.map((m, t) => visibleParts(m, looks.hidden(t), looks.width));
  // Whoever overtakes somebody goes the same way for a while: two that meet are never taken for parts of one here.
  const found = moversOf(visible, step, frames.format, () => false);
  const shade = moving.map((m) => m.shade!);
  const trails = joinParts(found, frames, step).map((mover) => ({
    bodies: byFrame(mover, bodyOf(mover, shade)),
    wholes: byFrame(mover, mover.masks),
  }));
  const clear = new ClearFrames(visible, looks, motion);
  const passers = passersOf(trails, looks, step).filter((passer) => !restless || goesFar(passer, step));
  const all = passers.flatMap((passer) => behindOf(passer, looks, step, clear));
  return all.sort((a, b) => a.frame - b.frame || footOf(a) - footOf(b));
}

const byFrame = ({ first }: Mover, masks: readonly MaskPatch[]): Map<number, MaskPatch> =>
  new Map(masks.map((mask, k) => [first + k, mask]));

/** Who stands lower in the picture is nearer. */
const footOf = ({ body: { mask }, way }: BodyBehind): number => mask.y + mask.height + way.y;

function behindOf(passer: Passer, looks: Looks, step: Step, clear: ClearFrames): BodyBehind[] {
  const known = new Map<number, Body>();
  const bodyAt = (t: number): Body => {
    const body = known.get(t) ?? bodyIn(looks, t, passer.bodies.get(t)!);
    known.set(t, body);
    return body;
  };
  const way = new Follower(passer, bodyAt, looks, step).way();
  return new Moments(passer, way, bodyAt, looks, step, (t) => clear.blendsIn(t, bodyAt(t))).find().map((moment) => {
    const body = { mask: passer.bodies.get(moment.from)!, whole: passer.wholes.get(moment.from)! };
    return { ...moment, body, others: clear.around(moment.from, body.whole) };
  });
}

/** A rectangle of small frames in px of frames that are larger by a factor. */
export const enlarged = ({ x, y, width, height }: Rect, factor: number): Rect => ({
  x: Math.floor(inClip(x, factor)),
  y: Math.floor(inClip(y, factor)),
  width: width * factor,
  height: height * factor,
});
