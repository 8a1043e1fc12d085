import type { Kernels } from '../../kernels/index.ts';
import { mixPoints } from '../geometry/homography.ts';
import type { FrameReader } from '../image/format.ts';
import { followRegion, type TrackedFrame } from './followRegion.ts';
import type { Quad, TrackPart } from './regionModel.ts';

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
 * Follows a region from its anchors over a range: outward from the outer ones, and between two from both sides, where the
 * answers are joined so that each anchor holds exactly and the surer side counts more. Whoever stops asking keeps what he has.
 *
 * @yields A frame as soon as something is known of it, and again when more is: the last word on a frame counts.
 */
export function* trackRegion(kernels: Kernels, frames: FrameReader, request: TrackRequest): Generator<TrackedFrame> {
  const { anchors, first, last } = request;
  const follow = function* (anchor: Anchor, to: number): Generator<TrackedFrame, TrackedFrame[]> {
    const out: TrackedFrame[] = [];
    for (const f of followRegion(kernels, frames, { ...request, anchor: anchor.frame, quad: anchor.quad, to })) {
      out.push(f);
      yield f;
    }
    return out;
  };
  for (const a of anchors) yield { frame: a.frame, quad: a.quad, confidence: 1, points: [] };
  for (let i = 0; i + 1 < anchors.length; i++) {
    const [a, b] = [anchors[i], anchors[i + 1]];
    if (b.frame - a.frame < 2) continue;
    const forward = yield* follow(a, b.frame - 1);
    const backward = yield* follow(b, a.frame + 1);
    yield* joinSides(a, b, forward, backward.reverse());
  }
  const [start, end] = [anchors[0], anchors[anchors.length - 1]];
  if (end.frame < last) yield* closeGaps(end, yield* follow(end, last));
  if (start.frame > first) yield* closeGaps(start, yield* follow(start, first));
}

/** Corners that are guessed although the region was found again later are drawn straight from before to after. */
function closeGaps(start: Anchor, run: TrackedFrame[]): TrackedFrame[] {
  const out = run.slice();
  let before: { frame: number; quad: Quad } = start;
  let open: number[] = [];
  out.forEach((f, i) => {
    if (f.loss) return void open.push(i);
    for (const k of open) {
      const t = (out[k].frame - before.frame) / (f.frame - before.frame);
      out[k] = { ...out[k], quad: blend(before.quad, f.quad, t) };
    }
    open = [];
    before = f;
  });
  return out;
}

/** Least weight of a side, so that two lost sides still meet in the middle. */
const LEAST = 1e-3;

function joinSides(a: Anchor, b: Anchor, forward: TrackedFrame[], backward: TrackedFrame[]): TrackedFrame[] {
  return forward.map((f, i) => {
    const g = backward[i];
    const t = (f.frame - a.frame) / (b.frame - a.frame);
    const both = f.loss && g.loss;
    const [wf, wg] = [(f.confidence + LEAST) ** 2 * (1 - t), (g.confidence + LEAST) ** 2 * t];
    const share = wg / (wf + wg);
    const surer = wg > wf ? g : f;
    return {
      frame: f.frame,
      // Where neither side sees it, the way from anchor to anchor is drawn straight.
      quad: both
        ? blend(lastSeen(a, forward, i), lastSeen(b, backward, i, 1), seenShare(forward, backward, i))
        : blend(f.quad, g.quad, share),
      confidence: Math.max(f.confidence, g.confidence),
      ...(both && { loss: surer.loss }),
      points: surer.points,
    };
  });
}

/** The nearest corners that one side still had: going back from frame i (or on, for the other side). */
function lastSeen(anchor: Anchor, run: TrackedFrame[], i: number, step = -1): Quad {
  for (let k = i; k >= 0 && k < run.length; k += step) if (!run[k].loss) return run[k].quad;
  return anchor.quad;
}

/** How far frame i lies between the last frame that the forward side saw and the next that the backward side saw, 0..1. */
function seenShare(forward: TrackedFrame[], backward: TrackedFrame[], i: number): number {
  let [from, to] = [i, i];
  while (from >= 0 && forward[from].loss) from--;
  while (to < backward.length && backward[to].loss) to++;
  return (i - from) / (to - from);
}

const blend = (a: Quad, b: Quad, t: number): Quad => mixPoints(a, b, t) as unknown as Quad;
