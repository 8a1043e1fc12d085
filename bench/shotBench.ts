import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Renderer } from '../demo/renderer.ts';
import { shotFiles, type RenderedShot } from '../demo/render.ts';
import { Truth, type Shot } from '../demo/shot.ts';
import { FILL_DEFAULTS } from '../src/core/fill/settings.ts';
import { bytesOf } from '../src/core/image/mapped.ts';
import { loadKernels } from '../src/media/kernelFile.ts';
import { asStored } from './asStored.ts';
import { Footage } from './footage.ts';
import { floorOf, mnestraOn, type Usage } from './measureProcess.ts';
import { changedOutside, FrameJudge, type FrameScore, type FrameTruth } from './metrics.ts';
import { oracleFill } from './oracle.ts';
import { AlignedMedian, spatialFill, temporalMedian } from './peers.ts';
import { cropMask, cropPicture, dilateMask, partAround, type Part, type Picture } from './picture.ts';
import { cellsNear, placesIn, STEP, surfacesOf } from './world.ts';

export interface MethodScore {
  method: string;
  seenMean: number;
  /** Mean over the worst twentieth of the frames, at least one. */
  seenWorst: number;
  unseenMean: number;
  ssim: number;
  flicker: number;
  sharpness: number;
  seam: number;
}

/** What a judge says of fills of a shot. */
export interface Quality {
  holeShare: number;
  scores: MethodScore[];
  changedOutside: number;
}

export interface ShotResult extends Quality {
  shot: string;
  frames: number;
  /** Share of the hole about which the reveal, before any fill, and the full take say the same: seen or unseen. */
  revealAgrees: number;
  time: Record<'floor' | 'reveal' | 'draft' | 'full', Usage>;
}

/** Every n-th frame is judged (and its follower, for flicker). */
const JUDGE_EVERY = 10;
/** Frames that the truth of visibility and the oracle look at. */
const SOURCE_EVERY = 6;
/** Sources of the aligned median, frames away. */
const ALIGNED = [-60, -45, -32, -24, -16, -8, 8, 16, 24, 32, 45, 60];

/** Measures time, then quality, of one rendered shot. */
export async function benchShot(shot: Shot, folder: string, scratch: string): Promise<ShotResult> {
  const files = shotFiles(folder, shot);
  const out = (name: string): string => join(scratch, `${shot.name}.${name}`);
  const run = mnestraOn(files);
  const time = {
    floor: await floorOf(files.clip, out('floor.mkv')),
    reveal: await run('reveal', '--json', out('reveal.json'), '--output', out('reveal.mkv')),
    draft: await run('fill', '--draft', '--output', out('draft.mkv')),
    full: await run('fill', '--output', out('full.mkv'), '--report', out('full.json')),
  };
  const quality = await judge(shot, files, { mnestra: out('full.mkv'), draft: out('draft.mkv') }, scratch, true);
  const revealAgrees = await agreement(out('reveal.json'), out('full.json'));
  for (const name of ['floor.mkv', 'reveal.mkv', 'draft.mkv', 'full.mkv', 'reveal.json', 'full.json'])
    await rm(out(name), { force: true });
  return { shot: shot.name, frames: shot.frames, time, revealAgrees, ...quality };
}

/** How good a full take of a shot is, beside the grain limit alone: in the minutes that the take needs. */
export async function benchQuality(shot: Shot, folder: string, scratch: string): Promise<Quality> {
  const files = shotFiles(folder, shot);
  const full = join(scratch, `${shot.name}.full.mkv`);
  await mnestraOn(files)('fill', '--output', full);
  const quality = await judge(shot, files, { mnestra: full }, scratch, false);
  await rm(full, { force: true });
  return quality;
}

/** One minus the share of the hole that one calls unseen and the other does not, by the amounts of each frame. */
async function agreement(reveal: string, report: string): Promise<number> {
  const read = async (file: string): Promise<Record<string, Unseen[]>> =>
    JSON.parse(await readFile(file, 'utf8')) as Record<string, Unseen[]>;
  const promised = new Map((await read(reveal)).frames.map((f) => [f.frame, f.unseen / Math.max(1, f.hole)]));
  let [apart, hole] = [0, 0];
  for (const f of (await read(report)).fill) {
    apart += Math.abs(f.unseen - (promised.get(f.frame) ?? 0) * f.hole);
    hole += f.hole;
  }
  return 1 - apart / Math.max(1, hole);
}

interface Unseen {
  frame: number;
  hole: number;
  unseen: number;
}

/**
 * Judges fills against the truth, with the grain limit beside them.
 *
 * @param fills - By name: the first must leave every sample outside of the true matte as it was.
 * @param peers - Also what other methods make of the hole, which takes minutes.
 */
export async function judge(
  shot: Shot,
  files: RenderedShot,
  fills: Record<string, string>,
  scratch: string,
  peers: boolean,
): Promise<Quality> {
  const open = (path: string, name: string, grey = false): Promise<Footage> => Footage.open(path, scratch, name, grey);
  const [clip, truthFootage, limit, matte, ...filled] = await Promise.all([
    open(files.clip, 'clip'),
    open(files.truth, 'truth'),
    open(files.limit, 'limit'),
    open(files.matte, 'matte', true),
    ...Object.entries(fills).map(async ([name, path]) => open(await asStored(path, files.clip), name)),
  ]);
  const results = Object.keys(fills).map((name, k): [string, Footage] => [name, filled[k]]);
  const { width: w, height: h } = shot.lens;
  const matteAt = kept((t) => matte.bytes(t));
  const touched = kept((t) => bytesOf(matteAt(t), (v) => (v > 0 ? 1 : 0)));
  const renderer = await Renderer.create(shot.lens);
  const truth = new Truth(renderer, shot, shot.build(renderer));
  const sources = Array.from({ length: Math.ceil(shot.frames / SOURCE_EVERY) }, (_, k) => k * SOURCE_EVERY);
  const beside = peers ? await peersBeside(clip, truthFootage, touched, sources) : [];
  const table = new Map<string, FrameScore[]>();
  const note = (method: string, score: FrameScore): void =>
    void table.set(method, [...(table.get(method) ?? []), score]);
  let changed = 0;
  let hole = 0;
  for (let t = 0; t < shot.frames; t++) {
    const mask = touched(t);
    changed += changedOutside(clip.bytes(t), results[0][1].bytes(t), mask, clip.store.format);
    const area = mask.reduce((a, b) => a + b, 0);
    hole += area / (w * h);
    if (t % JUDGE_EVERY !== JUDGE_EVERY >> 1 || t + 1 >= shot.frames || area === 0) continue;
    const near = sources.filter((s) => s !== t && Math.abs(s - t) <= FILL_DEFAULTS.reach);
    const cells = cellsNear(mask, w, h);
    const wide = surfacesOf(truth, t, w, h, cellsNear(dilateMask(mask, w, h, 28), w, h));
    const behind = wide.map((point, k) => (cells[k] ? point : undefined));
    const motions = new Map(near.map((s) => [s, placesIn(truth, s, behind)]));
    const part = partAround(mask, w, h, 40, STEP);
    const next = placesIn(truth, t + 1, wide);
    const passing = passingCells(truth.movers(t), cells, w, h);
    const facts = cropped(
      frameTruth(t, { truthFootage, limit }, matteAt, [mask, touched(t + 1)], motions, next, passing),
      part,
    );
    const judgeOf = new FrameJudge(facts);
    const rate = (method: string, a: Picture, b: Picture): void =>
      note(method, judgeOf.score(cropPicture(a, part), cropPicture(b, part)));
    for (const [name, result] of results) rate(name, result.luma(t), result.luma(t + 1));
    note('grain limit', judgeOf.score(facts.limit, facts.limitNext));
    for (const { method, still, fill } of beside) {
      const own = fill(t, mask, motions);
      rate(method, own, still ? own : fill(t + 1, touched(t + 1), motions));
    }
  }
  for (const f of [clip, truthFootage, limit, matte, ...filled]) await f.close();
  const onlyStill = new Set(beside.flatMap(({ method, still }) => (still ? method : [])));
  return {
    changedOutside: changed,
    holeShare: hole / shot.frames,
    scores: [...table].map(([method, scores]) => summary(method, scores, onlyStill.has(method))),
  };
}

/** Another method to fill a hole by, or what knows the truth. */
interface Beside {
  method: string;
  /** Each frame is filled by itself: flicker says nothing. */
  still: boolean;
  /** @param motions - Per source frame: the true places of the frame's grid in it. */
  fill(frame: number, hole: Uint8Array, motions: Map<number, Float32Array>): Picture;
}

async function peersBeside(
  clip: Footage,
  truth: Footage,
  touched: (frame: number) => Uint8Array,
  sources: readonly number[],
): Promise<Beside[]> {
  const aligned = new AlignedMedian(await loadKernels(), clip, touched, ALIGNED);
  const median = temporalMedian(
    clip,
    touched,
    sources.filter((_, k) => k % 2 === 0),
  );
  const spatial = spatialFill(clip, touched);
  const cols = Math.ceil(clip.store.format.width / STEP);
  return [
    {
      method: 'oracle',
      still: true,
      fill: (t, hole, motions) => oracleFill(clip, truth, t, hole, touched, motions, cols),
    },
    { method: 'aligned median', still: false, fill: (t) => aligned.fill(t) },
    { method: 'median', still: true, fill: (t) => median(t) },
    { method: 'spatial', still: true, fill: (t) => spatial(t) },
  ];
}

/** A function of a frame whose answers are kept. */
function kept<T>(of: (frame: number) => T): (frame: number) => T {
  const held = new Map<number, T>();
  return (frame) => {
    if (!held.has(frame)) held.set(frame, of(frame));
    return held.get(frame)!;
  };
}

/** Cells in or next to which something passes that stays in the film. */
function passingCells(passes: (x: number, y: number) => boolean, cells: Uint8Array, w: number, h: number): Uint8Array {
  const cols = Math.ceil(w / STEP);
  const found = cells.map((c, k) => (c && passes((k % cols) * STEP + 4, Math.floor(k / cols) * STEP + 4) ? 1 : 0));
  return dilateMask(found, cols, Math.ceil(h / STEP), 1);
}

/** The same facts for a part of the frame alone. */
function cropped(t: FrameTruth, part: Part): FrameTruth {
  const { width: w } = t.truth;
  const cols = Math.ceil(part.width / STEP);
  const rows = Math.ceil(part.height / STEP);
  const next = new Float32Array(cols * rows * 2);
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      const from = 2 * ((r + part.y / STEP) * t.nextCols + c + part.x / STEP);
      next.set([t.next[from] - part.x, t.next[from + 1] - part.y], 2 * (r * cols + c));
    }
  }
  const mask = (m: Uint8Array): Uint8Array => cropMask(m, w, part);
  const picture = (p: Picture): Picture => cropPicture(p, part);
  return {
    frame: t.frame,
    truth: picture(t.truth),
    limit: picture(t.limit),
    limitNext: picture(t.limitNext),
    hole: mask(t.hole),
    touched: mask(t.touched),
    touchedNext: mask(t.touchedNext),
    seen: mask(t.seen),
    next,
    nextCols: cols,
  };
}

function frameTruth(
  frame: number,
  footage: { truthFootage: Footage; limit: Footage },
  matteAt: (t: number) => Uint8Array,
  [touched, touchedNext]: [Uint8Array, Uint8Array],
  motions: Map<number, Float32Array>,
  next: Float32Array,
  passing: Uint8Array,
): FrameTruth {
  const truth = footage.truthFootage.luma(frame);
  const { width: w, height: h } = truth;
  const cols = Math.ceil(w / STEP);
  const seenCells = new Uint8Array(cols * Math.ceil(h / STEP));
  for (const [s, grid] of motions) {
    const mask = matteAt(s);
    for (let k = 0; k < seenCells.length; k++) {
      const [x, y] = [grid[2 * k], grid[2 * k + 1]];
      if (!Number.isNaN(x) && mask[Math.round(y) * w + Math.round(x)] === 0) seenCells[k] = 1;
    }
  }
  const matte = matteAt(frame);
  const seen = new Uint8Array(w * h);
  const hole = new Uint8Array(w * h);
  for (let i = 0; i < seen.length; i++) {
    if (!touched[i]) continue;
    const cell = Math.floor(i / w / STEP) * cols + Math.floor((i % w) / STEP);
    // What another walker covers or shades just now, no other frame can tell: it is not judged.
    if (passing[cell]) continue;
    // Between grid points that are seen and such that are not nothing is certain: not judged either.
    const corners = seenCells[cell] + seenCells[cell + 1] + seenCells[cell + cols] + seenCells[cell + cols + 1];
    seen[i] = corners === 4 ? 1 : 0;
    hole[i] = matte[i] >= 128 && (corners === 4 || corners === 0) ? 1 : 0;
  }
  return {
    frame,
    truth,
    limit: footage.limit.luma(frame),
    limitNext: footage.limit.luma(frame + 1),
    hole,
    touched,
    touchedNext,
    seen,
    next,
    nextCols: cols,
  };
}

function summary(method: string, scores: FrameScore[], still: boolean): MethodScore {
  const finite = (f: (s: FrameScore) => number): number[] => scores.map(f).filter((v) => Number.isFinite(v));
  const mean = (v: number[]): number => (v.length === 0 ? NaN : v.reduce((a, b) => a + b, 0) / v.length);
  const seen = finite((s) => s.psnrSeen).sort((a, b) => a - b);
  return {
    method,
    seenMean: mean(seen),
    seenWorst: mean(seen.slice(0, Math.max(1, Math.ceil(seen.length / 20)))),
    unseenMean: mean(finite((s) => s.psnrUnseen)),
    ssim: mean(finite((s) => s.ssimSeen)),
    flicker: still ? NaN : mean(finite((s) => s.flicker)),
    sharpness: mean(finite((s) => s.sharpness)),
    seam: mean(finite((s) => s.seam)),
  };
}
