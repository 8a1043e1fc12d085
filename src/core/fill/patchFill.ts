import type { Kernels } from '../../kernels/index.ts';
import { alignShifts } from './alignShifts.ts';
import { levelSeams } from './levelSeams.ts';
import { onionFill } from './onionFill.ts';
import { levelsOf } from './patchLevels.ts';
import { PATCH_REACH as R, patchSets, randomField, shifted, type Incomplete, type PatchSets } from './patches.ts';
import { frequentShifts, repeats } from './repeats.ts';
import { shiftMap } from './shiftMap.ts';

/** Rounds of search and vote, coarsest level first; the last value serves all finer levels. */
const ROUNDS = [12, 8, 6, 4, 3];
const SWEEPS_PER_ROUND = 2;
/** Patches that are placed by shifts are so many at most: finer levels only mend what comes of it, in so many rounds. */
const MOST_SHIFTED = 9000;
const MENDING_ROUNDS = 1;
/** Shifts that are tried: those at which the picture repeats itself, and those that the search has used most. */
const REPEATS = 60;
const SEARCHED = 40;

/** How a picture was completed: for each pixel the patch it is taken from, and how badly patches fit in all. */
interface Completion {
  field: Int32Array;
  colour: Float32Array;
  cost: number;
}

/**
 * Completes a picture with patches of itself, in two ways, of which the one counts whose patches fit better:
 *
 * - coherently, by multi-scale alternation of nearest-patch search and voting (Wexler, Shechtman & Irani 2007; Barnes et al.
 *   2009). Texture counts beside colour (Newson et al. 2014): else what is even fits rough ground better than another part of
 *   that ground does, and is spread over it;
 * - from few shifts, of the distances at which the picture repeats itself (He & Sun 2014) and of those that the search has
 *   used most: bricks keep their rhythm, and lines go on straight.
 *
 * The result is sharp: at full size each pixel is copied from one place; then the seams between parts are evened out.
 *
 * @returns colour with the missing pixels filled. Unchanged if no whole patch is known.
 */
export function patchFill(kernels: Kernels, picture: Incomplete, seed: number): Float32Array {
  const levels = levelsOf(picture);
  const sets = levels.map(patchSets);
  if (!sets[0].source.includes(1)) return onionFill(levels[0]);
  const found = search(kernels, levels, sets, seed);
  const copied = shift(kernels, levels, sets, found, seed);
  const best = copied && copied.cost < found[0]!.cost ? copied : found[0]!;
  return putTogether(levels[0], sets[0], best);
}

/** Copies each pixel from the patch that is taken for it, and evens out the seams. */
function putTogether(level: Incomplete, { target }: PatchSets, { field, colour }: Completion): Float32Array {
  const out = colour.slice();
  const from = field.map((patch, i) => (level.missing[i] === 1 && target[i] === 1 ? patch : -1));
  from.forEach((patch, i) => {
    if (patch >= 0) out.set(level.colour.subarray(4 * patch, 4 * patch + 4), 4 * i);
  });
  levelSeams(level, out, from);
  return out;
}

/** @returns Per level what was found; undefined where no whole patch is known. */
function search(kernels: Kernels, levels: Incomplete[], sets: PatchSets[], seed: number): (Completion | undefined)[] {
  const out: (Completion | undefined)[] = levels.map(() => undefined);
  for (let k = levels.length - 1, round = 0; k >= 0; k--, round++) {
    if (!sets[k].source.includes(1)) continue;
    const before = out[k + 1];
    const begin = before
      ? { field: upscaleField(before.field, levels[k + 1], levels[k], sets[k].source), colour: levels[k].colour }
      : { field: randomField(sets[k].source, seed), colour: onionFill(levels[k]) };
    const rounds = ROUNDS[Math.min(round, ROUNDS.length - 1)];
    out[k] = refine(kernels, levels[k], sets[k], begin, {
      rounds,
      seed: seed + k,
      vote: before !== undefined,
      last: k === 0,
    });
  }
  return out;
}

/** @returns undefined where nothing repeats. */
function shift(
  kernels: Kernels,
  levels: Incomplete[],
  sets: PatchSets[],
  found: (Completion | undefined)[],
  seed: number,
): Completion | undefined {
  const few = sets.findIndex(({ target }) => sumOf(target) <= MOST_SHIFTED);
  const top = few < 0 ? levels.length - 1 : few;
  const searched = found[top];
  if (!searched) return undefined;
  let shifts = [
    ...repeats(kernels, levels[top], sets[top], REPEATS, seed),
    ...frequentShifts(levels[top], searched.field, sets[top].target, SEARCHED),
  ];
  let labels = shiftMap(levels[top], sets[top], shifts);
  for (let k = top - 1; k >= 0; k--) {
    labels = upscaleLabels(labels, levels[k + 1], levels[k]);
    shifts = alignShifts(
      levels[k],
      sets[k],
      labels,
      shifts.map((d) => 2 * d),
    );
  }
  const [level] = levels;
  const begin = { field: fieldOf(level, sets[0], labels, shifts, seed), colour: level.colour };
  return refine(kernels, level, sets[0], begin, { rounds: MENDING_ROUNDS, seed, vote: true, last: true });
}

/** Each patch as its shift says, by chance where that leads to none. */
function fieldOf(
  level: Incomplete,
  { source }: PatchSets,
  labels: Int32Array,
  shifts: readonly number[],
  seed: number,
): Int32Array {
  const field = randomField(source, seed);
  labels.forEach((label, i) => {
    if (label < 0) return;
    const from = shifted(level, source, i, shifts[2 * label], shifts[2 * label + 1]);
    if (from >= 0) field[i] = from;
  });
  return field;
}

function upscaleLabels(labels: Int32Array, from: Incomplete, to: Incomplete): Int32Array {
  const out = new Int32Array(to.width * to.height);
  for (let y = 0; y < to.height; y++) {
    const row = Math.min(from.height - 1, y >> 1) * from.width;
    for (let x = 0; x < to.width; x++) out[y * to.width + x] = labels[row + Math.min(from.width - 1, x >> 1)];
  }
  return out;
}

interface Refining {
  rounds: number;
  seed: number;
  /** The colours are voted before the first search: where it begins from patches, not from colours. */
  vote: boolean;
  /** At full size the last vote is sharp. */
  last: boolean;
}

function refine(
  kernels: Kernels,
  level: Incomplete,
  sets: PatchSets,
  begin: Pick<Completion, 'field' | 'colour'>,
  { rounds, seed, vote: voteFirst, last }: Refining,
): Completion {
  const { width: w, height: h } = level;
  return kernels.scoped(() => {
    const [a, b] = [kernels.put(begin.colour), kernels.alloc(begin.colour.byteLength)];
    const missing = kernels.put(level.missing);
    const target = kernels.put(sets.target);
    const source = kernels.put(sets.source);
    const field = kernels.put(begin.field);
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
      kernels.f32(a, begin.colour.length).set(kernels.f32(b, begin.colour.length));
    };
    if (voteFirst) vote(false);
    for (let round = 0; round < rounds; round++) {
      for (let s = 0; s < SWEEPS_PER_ROUND; s++) {
        kernels.run.patchSweep(
          a,
          w,
          h,
          target,
          source,
          field,
          cost,
          0,
          s,
          seed * 64 + round * SWEEPS_PER_ROUND + s + 1,
        );
      }
      vote(last && round + 1 === rounds);
    }
    // What the patches of the last vote cost.
    if (last) kernels.run.patchSweep(a, w, h, target, source, field, cost, 0, 0, seed);
    return {
      field: kernels.i32(field, w * h).slice(),
      colour: kernels.f32(a, begin.colour.length).slice(),
      cost: sumOf(kernels.f32(cost, w * h), sets.target),
    };
  });
}

function sumOf(values: Float32Array | Uint8Array, where: Uint8Array = values as Uint8Array): number {
  let sum = 0;
  for (let i = 0; i < values.length; i++) if (where[i] === 1) sum += values[i];
  return sum;
}

/** The 75th percentile of the costs: patches worse than most count little (Wexler et al., section 3.2). */
function scaleOf(kernels: Kernels, cost: number, target: Uint8Array): number {
  const costs = kernels.f32(cost, target.length);
  const own: number[] = [];
  for (let i = 0; i < target.length; i++) if (target[i] === 1) own.push(costs[i]);
  own.sort((x, y) => x - y);
  return Math.max(own[Math.floor(own.length * 0.75)] ?? 1, 1e-3);
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
