import { boundsOf, invert3, project, type Matrix3, type Point } from '../geometry/homography.ts';
import { intersect, snap, type Rect } from '../image/format.ts';
import { areaOf, at, centreOf, trimmed, type MaskPatch } from '../movers/maskPatch.ts';
import type { FollowRequest, OutlineAnchor } from './followOutline.ts';
import { cuePlaces, type MotionCue } from './motionCue.ts';

/** Share of a thing's px that must surely rest for it to count as resting. */
const RESTS = 0.5;
/** Share of them that must move to be noticed, and shade above which it is only a shadow. */
const PASSED = 0.005;
const SHADOW = 0.5;

/** Where a thing is if it rests. */
export interface RestingPlace {
  /** Px of the frame; what lies outside of it is left out. */
  mask: MaskPatch;
  /** Way of its middle since another frame, px. */
  way: Point;
  /** Whether something moves there: in front of it, or it stood there in most of the other frames. */
  passed: boolean;
  cue: MotionCue;
}

/** A thing that rests goes where its background goes, seen or hidden: the frame in which it was last seen as a whole tells where it is. */
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

  /**
   * Undefined where its background is not shown at all: another scene.
   * @param since - The frame from which its way is told.
   */
  at(frame: number, since: number): RestingPlace | undefined {
    const { mask: seen, frame: last } = this.seen;
    const [motion, earlier] = [this.backgroundTo(last, frame), this.backgroundTo(last, since)];
    if (!motion || !earlier) return undefined;
    const mask = warped(seen, motion, this.frame);
    const cue = this.cueAt(frame, mask);
    if (!cue) return undefined;
    const moving = shareOf(mask, cue, (i) => cue.rest[i] < 0 && cue.shade[i] <= SHADOW);
    const middle = centreOf(seen);
    const [from, to] = [project(earlier, middle.x, middle.y), project(motion, middle.x, middle.y)];
    return { mask, way: { x: to.x - from.x, y: to.y - from.y }, passed: moving > PASSED, cue };
  }

  /** It was seen, told from what is around it, and nothing was in front of it. */
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
