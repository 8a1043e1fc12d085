import { conjugateGradients, median } from '../src/core/geometry/linear.ts';
import { multiply3, project, type Matrix3 } from '../src/core/geometry/homography.ts';
import { floatsOf } from '../src/core/image/mapped.ts';
import { LinkMeter } from '../src/core/motion/links.ts';
import { Pyramids } from '../src/core/motion/pyramids.ts';
import { unitSpace } from '../src/core/motion/space.ts';
import type { Kernels } from '../src/kernels/index.ts';
import type { Footage } from './footage.ts';
import { bilinear, dilateMask, placesOf, type Picture } from './picture.ts';

/** A method to compare with: the luma of a frame with its hole filled. */
export type Peer = (frame: number) => Picture;

/** Spatial fill: a membrane over the hole, frame by frame. */
export function spatialFill(clip: Footage, touched: (frame: number) => Uint8Array): Peer {
  return (frame) => {
    const p = clip.luma(frame);
    membraneInto(p, touched(frame), new Float32Array(p.values.length));
    return p;
  };
}

/**
 * The median of what several sources show at each place.
 * @param shown - Per source a value for each place, NaN where it shows nothing.
 * @returns NaN where none shows anything.
 */
export function medians(shown: readonly Float32Array[], count: number): Float32Array {
  const out = new Float32Array(count).fill(NaN);
  const values = new Float64Array(shown.length);
  for (let k = 0; k < count; k++) {
    let n = 0;
    for (const one of shown) if (!Number.isNaN(one[k])) values[n++] = one[k];
    if (n > 0) out[k] = median(values.subarray(0, n));
  }
  return out;
}

/** Plain temporal median of the same pixel in all frames where it is not masked. */
export function temporalMedian(clip: Footage, touched: (frame: number) => Uint8Array, frames: number[]): Peer {
  const stack = frames.map((s) => ({ p: clip.luma(s), mask: touched(s) }));
  return (frame) => {
    const p = clip.luma(frame);
    const places = placesOf(touched(frame));
    const shown = stack.map(({ p: q, mask }) => floatsOf(places, (i) => (mask[i] ? NaN : q.values[i])));
    const found = medians(shown, places.length);
    places.forEach((i, k) => {
      if (!Number.isNaN(found[k])) p.values[i] = found[k];
    });
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
    // Px next to the hole are asked for too: there the difference to the frame is known.
    const places = placesOf(dilateMask(hole, p.width, p.height, 1));
    const shown = this.offsets
      .map((d) => frame + d)
      .filter((s) => s >= 0 && s < this.clip.store.count)
      .flatMap((s) => this.shownBy(s, frame, p, places));
    const found = medians(shown, places.length);
    const guide = new Float32Array(hole.length).fill(NaN);
    places.forEach((i, k) => (guide[i] = found[k]));
    membraneInto(
      p,
      hole.map((v, i) => (v && !Number.isNaN(guide[i]) ? 1 : 0)),
      guide,
    );
    // What no source shows goes on smoothly from all of that.
    membraneInto(
      p,
      hole.map((v, i) => (v && Number.isNaN(guide[i]) ? 1 : 0)),
      new Float32Array(hole.length),
    );
    return p;
  }

  /** What a source shows at places of a frame, in the frame's light; nothing if the two cannot be aligned. */
  private shownBy(source: number, frame: number, p: Picture, places: Int32Array): Float32Array[] {
    const link = this.meter.measure(frame, source, undefined, 5);
    if (link.fit.inliers < 12) return [];
    const sample = this.sampler(source, multiply3(this.toPx, multiply3(link.fit.matrix, this.fromPx)));
    const { width: w } = p;
    const ratios: number[] = [];
    const hole = this.touched(frame);
    for (let i = 0; i < hole.length; i += 997) {
      const v = hole[i] ? NaN : sample(i % w, Math.floor(i / w));
      if (v > 8) ratios.push(p.values[i] / v);
    }
    const gain = ratios.length > 20 ? median(ratios) : 1;
    return [floatsOf(places, (i) => gain * sample(i % w, Math.floor(i / w)))];
  }

  /** Luma of a source at a place of the frame that a homography leads from; NaN where a matte lies there, or out of view. */
  private sampler(source: number, toSource: Matrix3): (x: number, y: number) => number {
    const q = this.clip.luma(source);
    const mask = this.touched(source);
    return (x, y) => {
      const s = project(toSource, x, y);
      if (!(s.x >= 1 && s.y >= 1 && s.x < q.width - 2 && s.y < q.height - 2)) return NaN;
      const i = Math.round(s.y) * q.width + Math.round(s.x);
      return mask[i] || mask[i - 1] || mask[i + 1] ? NaN : bilinear(q, s.x, s.y);
    };
  }
}

/**
 * Replaces pixels by a guide plus a membrane that meets the surroundings (Pérez et al. 2003): the Laplace equation of the
 * difference, by conjugate gradients.
 * @param mask - Of the pixels.
 * @param guide - A value per px of the picture, NaN outside of the mask where it is not known: there the membrane ends freely.
 */
export function membraneInto(p: Picture, mask: Uint8Array, guide: Float32Array): void {
  const places = placesOf(mask);
  const { links, degrees, right } = system(p, places, guide);
  const x = conjugateGradients(
    (v, out) => {
      for (let k = 0; k < v.length; k++) {
        const n = 4 * k;
        out[k] = degrees[k] * v[k] - v[links[n]] - v[links[n + 1]] - v[links[n + 2]] - v[links[n + 3]];
      }
    },
    (v, out) => out.set(v),
    right,
    400,
    1e-4,
  );
  places.forEach((i, k) => (p.values[i] = guide[i] + x[k]));
}

/**
 * The equations of a membrane: per place its four neighbours, how many of them count, and the right side. In place of those that
 * are known, or none, stands one more unknown whose equation makes it 0.
 */
function system(p: Picture, places: Int32Array, guide: Float32Array) {
  const { width: w, height: h } = p;
  const zero = places.length;
  const index = new Int32Array(w * h).fill(-1);
  places.forEach((i, k) => (index[i] = k));
  const links = new Int32Array(4 * (zero + 1)).fill(zero);
  const degrees = new Float64Array(zero + 1);
  const right = new Float64Array(zero + 1);
  degrees[zero] = 5;
  places.forEach((i, k) => {
    const [x, y] = [i % w, Math.floor(i / w)];
    const around = [x > 0 ? i - 1 : -1, x < w - 1 ? i + 1 : -1, y > 0 ? i - w : -1, y < h - 1 ? i + w : -1];
    around.forEach((n, side) => {
      if (n < 0 || Number.isNaN(guide[n])) return;
      degrees[k]++;
      if (index[n] >= 0) links[4 * k + side] = index[n];
      else right[k] += p.values[n] - guide[n];
    });
  });
  return { links, degrees, right };
}
