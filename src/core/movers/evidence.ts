import type { Kernels } from '../../kernels/index.ts';
import type { FrameLayer, LaidPlane } from './layFrames.ts';

/** Frames before and after that a frame is compared with. */
const OFFSETS = [8, 18, 31, 48];
/**
 * On a tripod nothing drifts with distance: there frames from far around are compared with, which what stands for a while
 * has left. They are the same ones for neighbouring frames.
 */
const STILL_FRAMES = 9;
const STILL_REACH = 240;
/** Of the frames that show a place, the share that must show the same as this one: rank of the unlikeness that counts. */
const RANK = 0.4;
/** Frames that must show a place for it to be judged. */
const LEAST_SEEN = 2;
/** Displacement that is forgiven, px of the plane: registration and slight depth. */
const FORGIVEN_PX = 1;
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;
/** Unlikeness of a place that nothing is known of. */
export const UNKNOWN = 65535;

function comparedWith(layer: FrameLayer, frame: number, count: number): number[] {
  const inScene = (s: number): boolean => s >= 0 && s < count && layer.sameScene(frame, s);
  if (layer.tripod) {
    const step = Math.ceil(Math.min(count, 2 * STILL_REACH) / STILL_FRAMES);
    const first = Math.max(0, Math.ceil((frame - STILL_REACH) / step));
    const far = Array.from({ length: STILL_FRAMES + 1 }, (_, k) => (first + k) * step)
      .filter((s) => Math.abs(s - frame) >= OFFSETS[0] && s - frame <= STILL_REACH)
      .filter(inScene);
    if (far.length >= OFFSETS.length) return far;
  }
  return OFFSETS.flatMap((d) => [frame - d, frame + d]).filter(inScene);
}

/** What the other frames say of a frame, per px of the small frames. */
export interface Evidence {
  /** Sums over 3x3 px of 12-bit levels, {@link UNKNOWN} where too few frames show a place. */
  unlikeness: Uint16Array;
  /** The frame's own planes, 12 bits. */
  own: Uint16Array[];
  /** Per plane the median of what the others show at the place, 12 bits; UNKNOWN where too few show it. */
  background: Uint16Array[];
}

/**
 * How unlike a frame is to what the other frames show at the same places of the background, per px of the small frames:
 * sums over 3x3 px of 12-bit levels, {@link UNKNOWN} where too few frames show a place.
 */
export const unlikenessOf = (kernels: Kernels, layer: FrameLayer, frame: number, count: number): Uint16Array =>
  compare(kernels, layer, frame, count, false).unlikeness;

/** As {@link unlikenessOf}, with the background itself. */
export const evidenceOf = (kernels: Kernels, layer: FrameLayer, frame: number, count: number): Evidence =>
  compare(kernels, layer, frame, count, true);

function compare(kernels: Kernels, layer: FrameLayer, frame: number, count: number, whole: boolean): Evidence {
  const others = comparedWith(layer, frame, count);
  const { width: w, height: h } = layer.planes[0];
  const n = w * h;
  return kernels.scoped(() => {
    const costs = kernels.alloc(n * 2 * others.length);
    const sizes = layer.planes.map((p) => p.width * p.height);
    // What is laid over is kept only if the background is wanted.
    const room = sizes.map((size) => kernels.alloc(size * 2 * (whole ? others.length : 1)));
    const part = kernels.alloc(n * 2);
    const work = kernels.alloc(n * 4);
    const own = layer.own(frame);
    others.forEach((other, k) => {
      const laid = layer.planes.map((p, i): LaidPlane => ({ ...p, at: room[i] + (whole ? k * sizes[i] * 2 : 0) }));
      layer.lay(other, frame, laid);
      const total = costs + k * n * 2;
      laid.forEach((plane, p) => {
        const { width, height, stepX, stepY } = plane;
        const radius = p === 0 ? FORGIVEN_PX : 0;
        kernels.run.unlikeness(own[p].at, plane.at, width, height, radius, p === 0 ? total : part, work);
        if (p > 0) kernels.run.addCost(total, w, h, part, width, stepX, stepY, CHROMA_TIMES);
      });
    });
    const [out, column] = [kernels.alloc(n * 2), kernels.alloc(others.length * 16)];
    const ranked = (planes: number, size: number, rank: number): Uint16Array => {
      kernels.run.rankPlanes(planes, others.length, size, rank, LEAST_SEEN, out, column);
      return kernels.u16(out, size);
    };
    const background = whole ? room.map((at, p) => ranked(at, sizes[p], 0.5).slice()) : [];
    ranked(costs, n, RANK);
    kernels.run.forgiveEdges(own[0].at, w, h, out, work);
    const unlikeness = kernels.u16(out, n).slice();
    return { unlikeness, background, own: whole ? own.map(({ at }, p) => kernels.u16(at, sizes[p]).slice()) : [] };
  });
}
