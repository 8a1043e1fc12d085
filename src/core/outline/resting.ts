import { boundsOf, invert3, project, type Matrix3, type Point } from '../geometry/homography.ts';
import { intersect, snap, type Rect } from '../image/format.ts';
import { areaOf, at, centreOf, trimmed, type MaskPatch } from '../movers/maskPatch.ts';
import type { FollowRequest, OutlineAnchor } from './followOutline.ts';
import { cuePlaces, type MotionCue } from './motionCue.ts';

/** Share of a thing's px that must surely rest for it to count as resting. */
const RESTS = 0.5;
/** Share of them that something in front must hide to be noticed, and shade above which it is only a shadow. */
const HIDDEN = 0.03;
const SHADOW = 0.5;

/** Where a thing is if it rests. */
export interface RestingPlace {
  /** Px of the frame; what lies outside of it is left out. */
  mask: MaskPatch;
  /** Way of its middle since it was last seen, px. */
  way: Point;
  /** Whether something that moves is in front of it. */
  hidden: boolean;
  cue: MotionCue;
}

/** A thing that rests goes where its background goes, seen or hidden: the frame in which it was last seen tells where it is. */
export class Resting {
  private constructor(
    private readonly cueAt: NonNullable<FollowRequest['cueAt']>,
    private readonly backgroundTo: NonNullable<FollowRequest['backgroundTo']>,
    private readonly frame: Rect,
    private seen: OutlineAnchor,
  ) {}

  /** Undefined if it does not surely rest at an anchor, or the background's motion is not known. */
  static from(
    { cueAt, backgroundTo }: FollowRequest,
    anchor: OutlineAnchor,
    cue: MotionCue,
    { width, height }: { width: number; height: number },
  ): Resting | undefined {
    if (!cueAt || !backgroundTo || shareOf(anchor.mask, cue, (i) => cue.rest[i] > 0) < RESTS) return undefined;
    return new Resting(cueAt, backgroundTo, { x: 0, y: 0, width, height }, anchor);
  }

  /** Undefined where its background is not shown at all: another scene. */
  at(frame: number): RestingPlace | undefined {
    const { mask: before, frame: last } = this.seen;
    const motion = this.backgroundTo(last, frame);
    if (!motion) return undefined;
    const mask = warped(before, motion, this.frame);
    const cue = this.cueAt(frame, mask);
    if (!cue) return undefined;
    const inFront = shareOf(mask, cue, (i) => cue.rest[i] < 0 && cue.shade[i] <= SHADOW);
    const middle = centreOf(before);
    const to = project(motion, middle.x, middle.y);
    return { mask, way: { x: to.x - middle.x, y: to.y - middle.y }, hidden: inFront > HIDDEN, cue };
  }

  /** It was seen, and told from what is around it. */
  saw(outline: OutlineAnchor): void {
    this.seen = outline;
  }
}

/** Share of a mask's px for which something is so in the cue. */
function shareOf(mask: MaskPatch, cue: MotionCue, is: (i: number) => boolean): number {
  const area = areaOf(mask);
  if (area === 0) return 0;
  return cuePlaces(cue, mask, 1).filter((i, k) => mask.data[k] === 1 && is(i)).length / area;
}

/** A mask as another frame shows it. @param motion - From the mask's px to that frame's. */
function warped(mask: MaskPatch, motion: Matrix3, frame: Rect): MaskPatch {
  const [right, bottom] = [mask.x + mask.width - 1, mask.y + mask.height - 1];
  const corners = [mask.x, right].flatMap((x) => [mask.y, bottom].map((y) => project(motion, x, y)));
  const [left, top, x, y] = boundsOf(corners);
  const part = intersect(snap({ x: left, y: top, width: x - left + 1, height: y - top + 1 }, 1), frame);
  const back = invert3(motion);
  const data = new Uint8Array(part.width * part.height);
  for (let k = 0; k < data.length; k++) {
    const { x, y } = project(back, part.x + (k % part.width), part.y + Math.floor(k / part.width));
    data[k] = at(mask, Math.round(x), Math.round(y));
  }
  return trimmed({ ...part, data });
}
