import { conjugateGradients, median } from '../src/core/geometry/linear.ts';
import { multiply3, project, type Matrix3 } from '../src/core/geometry/homography.ts';
import { LinkMeter } from '../src/core/motion/links.ts';
import { Pyramids } from '../src/core/motion/pyramids.ts';
import { unitSpace } from '../src/core/motion/space.ts';
import type { Kernels } from '../src/kernels/index.ts';
import type { Footage } from './footage.ts';
import { bilinear, type Picture } from './picture.ts';

/** A method to compare with: the luma of a frame with its hole filled. */
export type Peer = (frame: number) => Picture;

/** Samples of other frames for every pixel of a hole: f(s) gives the sampled luma or undefined. */
type Sampler = (x: number, y: number) => number | undefined;

/** Spatial fill: a membrane over the hole, frame by frame. */
export function spatialFill(clip: Footage, touched: (frame: number) => Uint8Array): Peer {
  return (frame) => {
    const p = clip.luma(frame);
    membraneInto(p, touched(frame), new Float32Array(p.values.length));
    return p;
  };
}

/** Plain temporal median of the same pixel in all frames where it is not masked. */
export function temporalMedian(clip: Footage, touched: (frame: number) => Uint8Array, frames: number[]): Peer {
  const stack = frames.map((s) => ({ p: clip.luma(s), mask: touched(s) }));
  return (frame) => {
    const p = clip.luma(frame);
    const hole = touched(frame);
    for (let i = 0; i < hole.length; i++) {
      if (!hole[i]) continue;
      const values = stack.flatMap(({ p: q, mask }) => (mask[i] ? [] : [q.values[i]]));
      if (values.length > 0) p.values[i] = median(values);
    }
    return p;
  };
}

/**
 * Aligned temporal median: features matched between the frame and each source, a robust homography, gain, the median,
 * and a gradient-domain blend into the surroundings.
 */
export class AlignedMedian {
  private readonly meter: LinkMeter;
  private readonly toPx: Matrix3;
  private readonly fromPx: Matrix3;

  constructor(
    kernels: Kernels,
    private readonly clip: Footage,
    private readonly touched: (frame: number) => Uint8Array,
    private readonly offsets: number[],
  ) {
    const { width, height } = clip.store.format;
    const space = unitSpace(width, height);
    this.toPx = Float64Array.of(space.half, 0, space.cx, 0, space.half, space.cy, 0, 0, 1);
    this.fromPx = Float64Array.of(
      1 / space.half,
      0,
      -space.cx / space.half,
      0,
      1 / space.half,
      -space.cy / space.half,
      0,
      0,
      1,
    );
    this.meter = new LinkMeter(kernels, new Pyramids(kernels, clip.store, 40), space, (t, x, y) => {
      const i =
        Math.min(height - 1, Math.max(0, Math.round(y))) * width + Math.min(width - 1, Math.max(0, Math.round(x)));
      return this.touched(t)[i] > 0;
    });
  }

  fill(frame: number): Picture {
    const p = this.clip.luma(frame);
    const hole = this.touched(frame);
    const samplers = this.offsets
      .map((d) => frame + d)
      .filter((s) => s >= 0 && s < this.clip.store.count)
      .flatMap((s) => this.sampler(p, hole, frame, s));
    const filled = p.values.slice();
    const { width: w } = p;
    for (let i = 0; i < hole.length; i++) {
      if (!hole[i]) continue;
      const values = samplers.flatMap((f) => f(i % w, Math.floor(i / w)) ?? []);
      filled[i] = values.length > 0 ? median(values) : NaN;
    }
    membraneInto(p, hole, guidance(filled));
    return p;
  }

  private sampler(p: Picture, hole: Uint8Array, frame: number, source: number): Sampler[] {
    const link = this.meter.measure(frame, source, undefined, 5);
    if (link.fit.inliers < 12) return [];
    const h = multiply3(this.toPx, multiply3(link.fit.matrix, this.fromPx));
    const q = this.clip.luma(source);
    const mask = this.touched(source);
    const raw: Sampler = (x, y) => {
      const s = project(h, x, y);
      if (!(s.x >= 1 && s.y >= 1 && s.x < q.width - 2 && s.y < q.height - 2)) return undefined;
      const i = Math.round(s.y) * q.width + Math.round(s.x);
      return mask[i] || mask[i - 1] || mask[i + 1] ? undefined : bilinear(q, s.x, s.y);
    };
    const ratios: number[] = [];
    for (let i = 0; i < hole.length; i += 997) {
      if (hole[i]) continue;
      const v = raw(i % p.width, Math.floor(i / p.width));
      if (v !== undefined && v > 8) ratios.push(p.values[i] / v);
    }
    const gain = ratios.length > 20 ? median(ratios) : 1;
    return [
      (x, y) => {
        const v = raw(x, y);
        return v === undefined ? undefined : v * gain;
      },
    ];
  }
}

/** 0 where a value is missing, so that the blend continues smoothly there. */
const guidance = (filled: Float32Array): Float32Array => filled.map((v) => (Number.isNaN(v) ? 0 : v));

/**
 * Replaces masked pixels by the guide plus a membrane that meets the surroundings (Pérez et al. 2003): the Laplace
 * equation of the difference, by conjugate gradients.
 */
function membraneInto(p: Picture, mask: Uint8Array, guide: Float32Array): void {
  const { width: w, height: h } = p;
  const index = new Int32Array(w * h).fill(-1);
  const places: number[] = [];
  for (let i = 0; i < mask.length; i++) if (mask[i]) index[i] = places.push(i) - 1;
  const neighbours = (i: number): number[] => {
    const x = i % w;
    return [x > 0 ? i - 1 : -1, x < w - 1 ? i + 1 : -1, i - w, i + w].filter((n) => n >= 0 && n < w * h);
  };
  const links = places.map(neighbours);
  const right = Float64Array.from(places, (_, k) => {
    let sum = 0;
    for (const n of links[k]) if (index[n] < 0) sum += p.values[n] - guide[places[k]];
    return sum;
  });
  const x = conjugateGradients(
    (v, out) => {
      for (let k = 0; k < places.length; k++) {
        let s = links[k].length * v[k];
        for (const n of links[k]) if (index[n] >= 0) s -= v[index[n]];
        out[k] = s;
      }
    },
    (v, out) => out.set(v),
    right,
    400,
    1e-4,
  );
  places.forEach((i, k) => (p.values[i] = guide[i] + x[k]));
}
