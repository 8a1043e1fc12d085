import type { Kernels } from '../../kernels/index.ts';
import { boxMean } from '../image/boxMean.ts';

/**
 * A picture with missing pixels: four f32 a pixel, and bytes that are 1 where it is missing. Of the four the first three
 * are colour; the last is texture here ({@link withTexture}).
 */
export interface Incomplete {
  width: number;
  height: number;
  colour: Float32Array;
  missing: Uint8Array;
}

/** Half the side of a patch, as in the kernels. */
const R = 3;
const SMALLEST_SIDE = 28;
/** Rounds of search and vote, coarsest level first; the last value serves all finer levels. */
const ROUNDS = [12, 8, 6, 4, 3];
const SWEEPS_PER_ROUND = 2;
/** How much texture counts, against a level of colour; and half the side of the square that it is measured in, px. */
const TEXTURE_TIMES = 2.5;
const TEXTURE_REACH = 6;

/**
 * Completes a picture with patches of itself, coherently: multi-scale alternation of nearest-patch search and voting
 * (Wexler, Shechtman & Irani 2007; Barnes et al. 2009). The result is sharp: at full size each pixel is copied from the
 * patch that fits best. Texture counts beside colour (Newson et al. 2014): else what is even fits rough ground better than
 * another part of that ground does, and is spread over it.
 *
 * @returns colour with the missing pixels filled. Unchanged if no whole patch is known.
 */
export function patchFill(kernels: Kernels, picture: Incomplete, seed: number): Float32Array {
  const rough = { ...picture, colour: withTexture(picture) };
  const levels = [rough];
  for (let p: Incomplete = rough; Math.min(p.width, p.height) / 2 >= SMALLEST_SIDE && thickness(p) > R;) {
    p = halvePicture(p);
    levels.push(p);
  }
  let field: Int32Array | undefined;
  let colour = onionFill(levels[levels.length - 1]);
  for (let k = levels.length - 1, round = 0; k >= 0; k--, round++) {
    const level = levels[k];
    const sets = patchSets(level);
    if (!sets.source.includes(1)) {
      if (k === 0) return onionFill(level);
      field = undefined;
      colour = onionFill(levels[k - 1]);
      continue;
    }
    const start = field ? upscaleField(field, levels[k + 1], level, sets.source) : randomField(sets.source, seed);
    const known = field ? level.colour : colour;
    const rounds = ROUNDS[Math.min(round, ROUNDS.length - 1)];
    ({ field, colour } = refine(kernels, level, known, sets, start, rounds, seed + k, field !== undefined, k === 0));
  }
  return colour;
}

/** The picture with, as fourth value, how steep luma is around each px on the mean, of what is known. */
function withTexture({ width: w, height: h, colour, missing }: Incomplete): Float32Array {
  const steep = new Float32Array(w * h);
  const known = new Float32Array(w * h);
  for (let y = 0; y + 1 < h; y++) {
    for (let x = 0, i = y * w; x + 1 < w; x++, i++) {
      if (missing[i] || missing[i + 1] || missing[i + w]) continue;
      known[i] = 1;
      steep[i] = Math.abs(colour[4 * i + 4] - colour[4 * i]) + Math.abs(colour[4 * (i + w)] - colour[4 * i]);
    }
  }
  const [sum, count] = [boxMean(steep, w, h, TEXTURE_REACH), boxMean(known, w, h, TEXTURE_REACH)];
  const out = colour.slice();
  for (let i = 0; i < sum.length; i++) out[4 * i + 3] = (TEXTURE_TIMES * sum[i]) / Math.max(count[i], 1e-6);
  return out;
}

interface PatchSets {
  /** Patches that touch something missing. */
  target: Uint8Array;
  /** Patches that are wholly known. */
  source: Uint8Array;
}

function patchSets({ width: w, height: h, missing }: Incomplete): PatchSets {
  const target = new Uint8Array(w * h);
  const source = new Uint8Array(w * h);
  for (let y = R; y < h - R; y++) {
    for (let x = R; x < w - R; x++) {
      let any = 0;
      for (let j = -R; j <= R && !any; j++) {
        for (let i = -R; i <= R; i++) any |= missing[(y + j) * w + x + i];
      }
      if (any) target[y * w + x] = 1;
      else source[y * w + x] = 1;
    }
  }
  return { target, source };
}

function refine(
  kernels: Kernels,
  level: Incomplete,
  colour: Float32Array,
  sets: PatchSets,
  start: Int32Array,
  rounds: number,
  seed: number,
  voteFirst: boolean,
  finest: boolean,
): { field: Int32Array; colour: Float32Array } {
  const { width: w, height: h } = level;
  return kernels.scoped(() => {
    const [a, b] = [kernels.put(colour), kernels.alloc(colour.byteLength)];
    const missing = kernels.put(level.missing);
    const target = kernels.put(sets.target);
    const source = kernels.put(sets.source);
    const field = kernels.put(start);
    const cost = kernels.alloc(w * h * 4);
    kernels.f32(cost, w * h).fill(0);
    const vote = (sharp: boolean): void => {
      kernels.run.patchVote(
        a,
        w,
        h,
        missing,
        target,
        field,
        cost,
        scaleOf(kernels, cost, sets.target),
        sharp ? 1 : 0,
        b,
      );
      kernels.f32(a, colour.length).set(kernels.f32(b, colour.length));
    };
    if (voteFirst) vote(false);
    for (let round = 0; round < rounds; round++) {
      for (let s = 0; s < SWEEPS_PER_ROUND; s++) {
        kernels.run.patchSweep(a, w, h, target, source, field, cost, s, seed * 64 + round * SWEEPS_PER_ROUND + s + 1);
      }
      vote(finest && round + 1 === rounds);
    }
    return { field: kernels.i32(field, w * h).slice(), colour: kernels.f32(a, colour.length).slice() };
  });
}

/** The 75th percentile of the costs: patches worse than most count little (Wexler et al., section 3.2). */
function scaleOf(kernels: Kernels, cost: number, target: Uint8Array): number {
  const costs = kernels.f32(cost, target.length);
  const own: number[] = [];
  for (let i = 0; i < target.length; i++) if (target[i] === 1) own.push(costs[i]);
  own.sort((x, y) => x - y);
  return Math.max(own[Math.floor(own.length * 0.75)] ?? 1, 1e-3);
}

function randomField(source: Uint8Array, seed: number): Int32Array {
  const all: number[] = [];
  source.forEach((s, i) => s === 1 && all.push(i));
  let state = (Math.imul(seed, 2654435761) | 1) >>> 0;
  return Int32Array.from({ length: source.length }, () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return all[Math.floor((state / 4294967296) * all.length)];
  });
}

function upscaleField(field: Int32Array, from: Incomplete, to: Incomplete, source: Uint8Array): Int32Array {
  const spare = randomField(source, 7);
  const out = new Int32Array(to.width * to.height);
  for (let y = 0; y < to.height; y++) {
    for (let x = 0; x < to.width; x++) {
      const cx = Math.min(from.width - 1 - R, Math.max(R, x >> 1));
      const cy = Math.min(from.height - 1 - R, Math.max(R, y >> 1));
      const found = field[cy * from.width + cx];
      const sx = (found % from.width) * 2 + (x - 2 * cx);
      const sy = Math.floor(found / from.width) * 2 + (y - 2 * cy);
      const at = sy * to.width + sx;
      const valid = sx >= 0 && sy >= 0 && sx < to.width && sy < to.height && source[at] === 1;
      out[y * to.width + x] = valid ? at : spare[y * to.width + x];
    }
  }
  return out;
}

/** Half size: the mean of the known ones of four pixels; missing where fewer than two are known. */
function halvePicture({ width: w, height: h, colour, missing }: Incomplete): Incomplete {
  const [ow, oh] = [w >> 1, h >> 1];
  const out = { width: ow, height: oh, colour: new Float32Array(ow * oh * 4), missing: new Uint8Array(ow * oh) };
  for (let y = 0; y < oh; y++) {
    for (let x = 0; x < ow; x++) {
      let known = 0;
      const at = (y * ow + x) * 4;
      for (const i of [
        2 * y * w + 2 * x,
        2 * y * w + 2 * x + 1,
        (2 * y + 1) * w + 2 * x,
        (2 * y + 1) * w + 2 * x + 1,
      ]) {
        if (missing[i]) continue;
        known++;
        for (let c = 0; c < 4; c++) out.colour[at + c] += colour[4 * i + c];
      }
      for (let c = 0; c < 4; c++) out.colour[at + c] /= Math.max(1, known);
      out.missing[y * ow + x] = known < 2 ? 1 : 0;
    }
  }
  return out;
}

/** Largest distance of a missing pixel from a known one, px (city block, two passes). */
function thickness({ width: w, height: h, missing }: Incomplete): number {
  const d = new Int32Array(w * h);
  let most = 0;
  for (let i = 0; i < d.length; i++) {
    if (missing[i]) d[i] = 1 + Math.min(i % w > 0 ? d[i - 1] : 0, i >= w ? d[i - w] : 0);
  }
  for (let i = d.length - 1; i >= 0; i--) {
    if (!missing[i]) continue;
    d[i] = Math.min(d[i], 1 + Math.min(i % w < w - 1 ? d[i + 1] : 0, i + w < d.length ? d[i + w] : 0));
    most = Math.max(most, d[i]);
  }
  return most;
}

/** Fills from the border inward with the mean of the known neighbours: a start for the search. */
export function onionFill({ width: w, height: h, colour, missing }: Incomplete): Float32Array {
  const out = colour.slice();
  const left = missing.slice();
  let ring: number[] = [];
  for (let i = 0; i < left.length; i++) if (left[i] === 1) ring.push(i);
  while (ring.length > 0) {
    const next: number[] = [];
    const done: number[] = [];
    for (const i of ring) (fillFromNeighbours(out, left, i, w, h) ? done : next).push(i);
    if (done.length === 0) break;
    for (const i of done) left[i] = 0;
    ring = next;
  }
  return out;
}

function fillFromNeighbours(out: Float32Array, left: Uint8Array, i: number, w: number, h: number): boolean {
  const x = i % w;
  const y = (i - x) / w;
  const sum = [0, 0, 0, 0];
  let n = 0;
  for (let b = Math.max(0, y - 1); b <= Math.min(h - 1, y + 1); b++) {
    for (let a = Math.max(0, x - 1); a <= Math.min(w - 1, x + 1); a++) {
      const k = b * w + a;
      if (left[k] === 1) continue;
      n++;
      for (let c = 0; c < 4; c++) sum[c] += out[4 * k + c];
    }
  }
  if (n === 0) return false;
  for (let c = 0; c < 4; c++) out[4 * i + c] = sum[c] / n;
  return true;
}
