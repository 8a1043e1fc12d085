import type { Kernels } from '../../kernels/index.ts';
import { median } from '../geometry/linear.ts';
import { shorth } from '../geometry/shorth.ts';
import type { FrameFormat } from '../image/format.ts';
import { fitLight, spreadOf, type LightFit } from './light.ts';
import { planeSize, type Region } from './region.ts';
import { lostDetail, meansOf, windowsOf } from './rimWindows.ts';
import { planePart, type SourceFrame } from './sourceFrames.ts';
import { bytesOf } from '../image/mapped.ts';

/** A rim point from which most sources differ by so many times the usual, and so many 8-bit levels, has something before it. */
const STRANGE_TIMES = 4;
const STRANGE_LEVELS = 6;
/** Sources that must show a point for that to be told. */
const WITNESSES = 3;
/** Share of the points that may be strange; beyond, nothing can be told. */
const MOST_STRANGE = 0.7;

/** One source and where it shows the rim's points, interleaved, frame px. */
export interface RimView {
  /** Loads it: not all sources are in memory at once. */
  frame(): SourceFrame;
  points: Float32Array;
}

interface Samples {
  /** Numbers of the rim's points that the source shows. */
  usable: number[];
  /** Per plane, of these points: the source's samples and the frame's own. */
  source: Float32Array[];
  own: Float32Array[];
}

/**
 * Light, error and lack of detail of each source against a frame, per plane, by what both show in windows of the rim. Light is told
 * by the windows' means: between px of a sharp picture and of a blurred one contrasts differ, whatever the light, and so they do
 * between two pictures with grain (regression dilution, Fuller 1987). What passes before the rim just now is left out: px
 * from which most sources differ alike.
 *
 * @param rim - Windows of px, indices row·width + column in the region, as of {@link rimWindows}.
 * @param unit - Sample units per 8-bit level.
 */
export function measureLights(
  kernels: Kernels,
  format: FrameFormat,
  region: Region,
  own: readonly Float32Array[],
  rim: Int32Array,
  views: readonly RimView[],
  unit: number,
): LightFit[][] {
  const seen = views.map((view) => sampleRim(kernels, format, region, own, rim, view));
  const strange = strangers(seen, rim.length, unit);
  return seen.map(({ usable, source, own: target }) => {
    const kept = indicesOf(usable, (i) => strange[i] === 0);
    const windows = windowsOf(
      kept.map((k) => usable[k]),
      kept,
    );
    return source.map((values, plane) => {
      const light = fitLight(meansOf(values, windows), meansOf(target[plane], windows), unit);
      if (!light) return { gain: 1, offset: 0, sigma: NaN, lost: 0 };
      const sigma = spreadOf(picked(values, kept), picked(target[plane], kept), light);
      return { ...light, sigma, lost: plane === 0 ? lostDetail(values, target[plane], windows) : 0 };
    });
  });
}

function indicesOf(values: readonly number[], wanted: (value: number) => boolean): number[] {
  const out: number[] = [];
  for (let k = 0; k < values.length; k++) if (wanted(values[k])) out.push(k);
  return out;
}

function picked(values: Float32Array, places: readonly number[]): Float32Array {
  const out = new Float32Array(places.length);
  for (let k = 0; k < out.length; k++) out[k] = values[places[k]];
  return out;
}

function sampleRim(
  kernels: Kernels,
  format: FrameFormat,
  region: Region,
  own: readonly Float32Array[],
  rim: Int32Array,
  { frame: load, points }: RimView,
): Samples {
  const frame = load();
  const usable = usablePoints(kernels, points, frame);
  const w = region.rect.width;
  const out: Samples = { usable, source: [], own: [] };
  for (let plane = 0; plane < format.colourPlanes; plane++) {
    const { stepX, stepY } = format.planes[plane];
    const { width } = planeSize(region, format, plane);
    const local = new Float32Array(usable.length * 2);
    const target = new Float32Array(usable.length);
    usable.forEach((i, k) => {
      local[2 * k] = (points[2 * i] - frame.rect.x) / stepX;
      local[2 * k + 1] = (points[2 * i + 1] - frame.rect.y) / stepY;
      const x = Math.floor((rim[i] % w) / stepX);
      target[k] = own[plane][Math.floor(Math.floor(rim[i] / w) / stepY) * width + x];
    });
    const sampled = kernels.scoped(() => {
      const at = kernels.put(local);
      const to = kernels.alloc(usable.length * 4);
      const { width: fw, height: fh } = planePart(frame.rect, format.planes[plane]);
      kernels.run.warpPoints(frame.planes[plane], fw, fw, fh, at, usable.length, to);
      return kernels.f32(to, usable.length).slice();
    });
    out.source.push(sampled);
    out.own.push(target);
  }
  return out;
}

function usablePoints(kernels: Kernels, points: Float32Array, { rect, blocked: at }: SourceFrame): number[] {
  const blocked = kernels.u8(at, rect.width * rect.height);
  const out: number[] = [];
  for (let i = 0; i < points.length / 2; i++) {
    const x = Math.round(points[2 * i] - rect.x);
    const y = Math.round(points[2 * i + 1] - rect.y);
    if (x < 1 || y < 1 || x >= rect.width - 2 || y >= rect.height - 2) continue;
    if (blocked[y * rect.width + x] === 0) out.push(i);
  }
  return out;
}

/** 1 for each rim point before which something stands in the frame alone. */
function strangers(seen: readonly Samples[], count: number, unit: number): Uint8Array {
  const differences: number[][] = Array.from({ length: count }, () => []);
  for (const { usable, source, own } of seen) {
    usable.forEach((i, k) => differences[i].push(own[0][k] - source[0][k]));
  }
  const typical = differences.map((d) => (d.length >= WITNESSES ? median(d) : NaN));
  const known = typical.filter((d) => !Number.isNaN(d));
  const { middle, sigma } = shorth(known);
  const limit = Math.max(STRANGE_TIMES * sigma, STRANGE_LEVELS * unit);
  const out = bytesOf(typical, (d) => (Math.abs(d - middle) > limit ? 1 : 0));
  return out.reduce((n, s) => n + s, 0) > MOST_STRANGE * known.length ? new Uint8Array(count) : out;
}
