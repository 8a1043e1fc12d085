import type { Kernels } from '../../kernels/index.ts';
import { middleOf, mixPoints, quadToQuad } from '../geometry/homography.ts';
import { intersect, type FrameReader } from '../image/format.ts';
import { followRegion, type FollowOptions } from './followRegion.ts';
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

/** What of the picture is tried by turns, as sides of the surroundings away from the region: around it, then beside it. */
const BESIDE = [
  [0, 0],
  [-1, 0],
  [1, 0],
  [0, -1],
  [0, 1],
];
/** Surroundings that miss the end by no more, px, lie on what the region lies on: no others are tried. */
const SAME_SURFACE_PX = 1;

/**
 * Leads a region that cannot be seen from frame to frame as its surroundings go: shift, turn and scale, with what they miss at the
 * end spread over the way. Of what lies around and beside it that counts which misses the end least: what hides the region may
 * fill most of its surroundings, and goes its own way. Straight, if nothing can be followed.
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
  let best: Way | undefined;
  for (const [right, down] of BESIDE) {
    const around = surroundingsOf(before.quad, frames, right, down);
    const way = around && wayOf(kernels, frames, around, before, after, blocked);
    if (way && way.missed < (best?.missed ?? Infinity)) best = way;
    if (best && best.missed <= SAME_SURFACE_PX) break;
  }
  return (frame) => best?.quads.get(frame) ?? straight(before, after, frame);
}

/** Corners frame by frame, and by how much they missed the end before that was spread over the way, px. */
interface Way {
  quads: Map<number, Quad>;
  missed: number;
}

const straight = (before: Known, after: Known, frame: number): Quad =>
  mixPoints(before.quad, after.quad, (frame - before.frame) / (after.frame - before.frame)) as unknown as Quad;

/** How the region goes if it goes as these surroundings do; nothing if they are lost on the way. */
function wayOf(
  kernels: Kernels,
  frames: FrameReader,
  around: Quad,
  before: Known,
  after: Known,
  blocked: FollowOptions['blocked'],
): Way | undefined {
  const options = { anchor: before.frame, quad: around, parts: partsUpTo('rotation'), to: after.frame, blocked };
  const quads = new Map<number, Quad>();
  for (const f of followRegion(kernels, frames, options)) {
    const carried = f.loss ? undefined : quadToQuad(around, f.quad);
    if (!carried) return undefined;
    quads.set(f.frame, mapQuad(carried, before.quad));
  }
  const arrived = quads.get(after.frame);
  if (!arrived) return undefined;
  const led = ledTo(before.frame, after, arrived);
  return {
    quads: new Map([...quads].map(([frame, quad]) => [frame, led(frame, quad)])),
    missed: missedBy(after.quad, arrived),
  };
}

/** Largest distance of a corner from where it is to be, px. */
export const missedBy = (wanted: Quad, arrived: Quad): number =>
  Math.max(...wanted.map((p, i) => Math.hypot(p.x - arrived[i].x, p.y - arrived[i].y)));

/** @param right - How far beside the region, in sides of the surroundings; so is `down`. */
function surroundingsOf(quad: Quad, { format }: FrameReader, right: number, down: number): Quad | undefined {
  const middle = middleOf(quad);
  const area = Math.abs(quadArea(quad));
  const reach = Math.max(REACH_PX, REACH_SIDES * Math.sqrt(area));
  const [left, top] = [middle.x + (2 * right - 1) * reach, middle.y + (2 * down - 1) * reach];
  const box = intersect(
    { x: left, y: top, width: 2 * reach, height: 2 * reach },
    { x: 0, y: 0, width: format.width - 1, height: format.height - 1 },
  );
  if (box.width * box.height < LEAST_TIMES * area) return undefined;
  const [x1, y1] = [box.x + box.width, box.y + box.height];
  return [
    { x: box.x, y: box.y },
    { x: x1, y: box.y },
    { x: x1, y: y1 },
    { x: box.x, y: y1 },
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
