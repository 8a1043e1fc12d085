import type { Kernels } from '../../kernels/index.ts';
import { middleOf, mixPoints, quadToQuad } from '../geometry/homography.ts';
import { intersect, type FrameReader } from '../image/format.ts';
import { followRegion, type FollowOptions, type TrackedFrame } from './followRegion.ts';
import { mapQuad, partsUpTo, quadArea, type Quad } from './regionModel.ts';

interface Known {
  frame: number;
  quad: Quad;
}

/** Half the side of the surroundings, px, and in sides of the region: enough that what hides it is the smaller part. */
const REACH_PX = 160;
const REACH_SIDES = 1.5;
/** Surroundings must be so many times as large as the region; at the frame's border they may not be. */
const LEAST_TIMES = 3;

/**
 * Leads a region that cannot be seen from frame to frame as its surroundings go: shift, turn and scale, with what they miss at the
 * end spread over the way. Straight, if they cannot be followed either.
 *
 * @returns Corners at a frame between the two, px.
 */
export function throughSurroundings(
  kernels: Kernels,
  frames: FrameReader,
  before: Known,
  after: Known,
  blocked: FollowOptions['blocked'],
): (frame: number) => Quad {
  const straight = (frame: number): Quad =>
    mixPoints(before.quad, after.quad, (frame - before.frame) / (after.frame - before.frame)) as unknown as Quad;
  const around = surroundingsOf(before.quad, frames);
  if (!around) return straight;
  const options = { anchor: before.frame, quad: around, parts: partsUpTo('rotation'), to: after.frame, blocked };
  const found = new Map<number, TrackedFrame>();
  for (const f of followRegion(kernels, frames, options)) {
    if (f.loss) return straight;
    found.set(f.frame, f);
  }
  const carried = (frame: number): Quad | undefined => {
    const quad = found.get(frame)?.quad;
    const m = quad && quadToQuad(around, quad);
    return m && mapQuad(m, before.quad);
  };
  const end = carried(after.frame);
  if (!end) return straight;
  const led = ledTo(before.frame, after, end);
  return (frame) => {
    const quad = carried(frame);
    return quad ? led(frame, quad) : straight(frame);
  };
}

function surroundingsOf(quad: Quad, { format }: FrameReader): Quad | undefined {
  const { x, y } = middleOf(quad);
  const area = Math.abs(quadArea(quad));
  const reach = Math.max(REACH_PX, REACH_SIDES * Math.sqrt(area));
  const box = intersect(
    { x: x - reach, y: y - reach, width: 2 * reach, height: 2 * reach },
    { x: 0, y: 0, width: format.width - 1, height: format.height - 1 },
  );
  if (box.width * box.height < LEAST_TIMES * area) return undefined;
  const [right, bottom] = [box.x + box.width, box.y + box.height];
  return [
    { x: box.x, y: box.y },
    { x: right, y: box.y },
    { x: right, y: bottom },
    { x: box.x, y: bottom },
  ];
}

/** Spreads what a way misses its end by over the frames since it began. @param arrived - Corners with which it comes to the end. */
export function ledTo(from: number, end: Known, arrived: Quad): (frame: number, quad: Quad) => Quad {
  const missed = end.quad.map((p, i) => ({ x: p.x - arrived[i].x, y: p.y - arrived[i].y }));
  return (frame, quad) => {
    const t = (frame - from) / (end.frame - from);
    return quad.map((p, i) => ({ x: p.x + t * missed[i].x, y: p.y + t * missed[i].y })) as unknown as Quad;
  };
}
