import type { Kernels } from '../../kernels/index.ts';
import { mixPoints } from '../geometry/homography.ts';
import type { FrameReader } from '../image/format.ts';
import { followRegion, type TrackedFrame } from './followRegion.ts';
import { quadArea, type Quad, type TrackPart } from './regionModel.ts';
import { ledTo, missedBy, throughSurroundings } from './surroundings.ts';

/** A frame whose corners a person has set: the tracker never moves it. */
export interface Anchor {
  frame: number;
  quad: Quad;
}

export interface TrackRequest {
  /** At least one, in order of frames. */
  anchors: readonly Anchor[];
  parts: readonly TrackPart[];
  /** Frames to follow the region over, both ways, inclusive. */
  first: number;
  last: number;
  blocked?: (frame: number, x: number, y: number) => boolean;
}

/**
 * Follows a region from its anchors over a range: outward from the outer ones, and between two from both sides. What a side is off by
 * when it arrives at the other anchor is taken off it along the way; then both are joined so that the surer one counts more. Whoever stops asking keeps what he has.
 *
 * @yields A frame as soon as something is known of it, and again when more is: the last word on a frame counts.
 */
export function* trackRegion(kernels: Kernels, frames: FrameReader, request: TrackRequest): Generator<TrackedFrame> {
  const { anchors, first, last } = request;
  const follow = function* (anchor: Anchor, to: number): Generator<TrackedFrame, TrackedFrame[]> {
    const out: TrackedFrame[] = [];
    for (const f of followRegion(kernels, frames, { ...request, anchor: anchor.frame, quad: anchor.quad, to })) {
      out.push(f);
      // An anchor is not moved: what a side finds at the other one only tells how far it is off.
      if (!anchors.some((other) => other.frame === f.frame)) yield f;
    }
    return out;
  };
  const bridge: Bridge = (before, after) => throughSurroundings(kernels, frames, before, after, request.blocked);
  for (const a of anchors) yield { frame: a.frame, quad: a.quad, confidence: 1, points: [] };
  for (let i = 0; i + 1 < anchors.length; i++) {
    const [a, b] = [anchors[i], anchors[i + 1]];
    if (b.frame - a.frame < 2) continue;
    const forward = arriving(a, b, yield* follow(a, b.frame));
    const backward = arriving(b, a, yield* follow(b, a.frame));
    yield* closeGaps(bridge, a, joinSides(a, b, forward, backward.reverse()), b);
  }
  const [start, end] = [anchors[0], anchors[anchors.length - 1]];
  if (end.frame < last) yield* closeGaps(bridge, end, yield* follow(end, last));
  if (start.frame > first) yield* closeGaps(bridge, start, yield* follow(start, first));
}

/** Corners on the frames between two whose corners are known. */
type Bridge = (before: Anchor, after: Anchor) => (frame: number) => Quad;

/** Corners that are guessed although they are known before and after are led from there to here. */
function closeGaps(bridge: Bridge, start: Anchor, run: TrackedFrame[], end?: Anchor): TrackedFrame[] {
  const out = run.slice();
  let before = start;
  let open: number[] = [];
  const close = (after: Anchor): void => {
    if (open.length > 0) {
      const quadAt = bridge(before, after);
      for (const k of open) out[k] = { ...out[k], quad: quadAt(out[k].frame) };
    }
    open = [];
    before = after;
  };
  out.forEach((f, i) => {
    if (f.loss) open.push(i);
    else close(f);
  });
  if (end) close(end);
  return out;
}

/** A side may miss the other anchor by so many px, and by this share of the region's side: else it followed something else. */
const MISSED_PX = 2;
const MISSED_SHARE = 0.25;
/** Confidence of a side that did. */
const MISLED = 0.2;

/**
 * A side that comes to the other anchor, without that one's frame: what it misses the anchor by is spread over its way. If that is much,
 * something in front of the region was followed, where a person set it although it cannot be seen: then it counts as hidden.
 */
function arriving(from: Anchor, to: Anchor, run: TrackedFrame[]): TrackedFrame[] {
  const end = run.at(-1);
  if (end?.frame !== to.frame) return run;
  const before = run.slice(0, -1);
  if (end.loss) return before;
  const misled = missedBy(to.quad, end.quad) > MISSED_PX + MISSED_SHARE * Math.sqrt(Math.abs(quadArea(to.quad)));
  const led = ledTo(from.frame, to, end.quad);
  return before.map((f) => ({
    ...f,
    quad: led(f.frame, f.quad),
    ...(misled && { confidence: Math.min(f.confidence, MISLED), loss: f.loss ?? 'hidden' }),
  }));
}

/** Least weight of a side, so that two lost sides still meet in the middle. */
const LEAST = 1e-3;

function joinSides(a: Anchor, b: Anchor, forward: TrackedFrame[], backward: TrackedFrame[]): TrackedFrame[] {
  return forward.map((f, i) => {
    const g = backward[i];
    const t = (f.frame - a.frame) / (b.frame - a.frame);
    const [wf, wg] = [(f.confidence + LEAST) ** 2 * (1 - t), (g.confidence + LEAST) ** 2 * t];
    const surer = wg > wf ? g : f;
    return {
      frame: f.frame,
      quad: mixPoints(f.quad, g.quad, wg / (wf + wg)) as unknown as Quad,
      confidence: Math.max(f.confidence, g.confidence),
      ...(f.loss && g.loss && { loss: surer.loss }),
      points: surer.points,
    };
  });
}
