import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Renderer } from '../demo/renderer.ts';
import { isRendered, renderShot, shotFiles } from '../demo/render.ts';
import { scaled, Truth, type Shot } from '../demo/shot.ts';
import { partsUpTo, type Quad, type TrackPart } from '../src/core/tracking/regionModel.ts';
import { trackRegion, type Anchor } from '../src/core/tracking/trackRegion.ts';
import type { TrackRow } from '../src/core/tracking/trackTable.ts';
import type { Kernels } from '../src/kernels/index.ts';
import { loadKernels } from '../src/media/kernelFile.ts';
import { decodeLuma, type LumaFrames } from '../src/media/lumaStore.ts';
import { probeClip } from '../src/media/probe.ts';
import { sequence } from '../demo/noise.ts';
import { MNESTRA, measureProcess, type Usage } from './measureProcess.ts';

/** A region whose true way is known. */
interface Region {
  name: string;
  frame: number;
  /** Upper left corner and side, px. */
  x: number;
  y: number;
  side: number;
  model: TrackPart;
}

export interface TrackScore {
  region: string;
  /** Corner errors of the frames in which at least half of the region is seen, px. */
  mean: number;
  /** Mean of the last five such frames at either end. */
  end: number;
  /** Mean over frames in which a third to nine tenths of it is seen. */
  partlyHidden: number;
  frames: number;
  /** Of the frames with a confidence above 0.8: how many are right within a pixel. */
  sure: number;
  sureAndRight: number;
  /** Of the frames in which less than a tenth is seen: how many have a confidence below 0.3. */
  gone: number;
  goneAndLost: number;
}

/** A region that is lost for a while, before and after three anchors were set there; largest errors of that while, px. */
export interface SteeredScore {
  region: string;
  /** Frames in which it failed. */
  first: number;
  last: number;
  before: number;
  after: number;
}

/** Scores of a shot's regions, and the CPU time of the first, beside that of decoding the clip. */
export interface Tracks {
  scores: TrackScore[];
  steered: SteeredScore[];
  decode: Usage;
  track: Usage;
}

/** Regions on the still world, by shot: large ones, some that are crossed by something, and small ones. */
const REGIONS: Record<string, Region[]> = {
  granary: [
    { name: 'bricks', frame: 0, x: 1120, y: 560, side: 200, model: 'perspective' },
    { name: 'behind the post', frame: 0, x: 830, y: 560, side: 200, model: 'perspective' },
    { name: 'hatch', frame: 60, x: 1180, y: 500, side: 200, model: 'perspective' },
    { name: 'brick of 12 px', frame: 0, x: 1180, y: 640, side: 12, model: 'shift' },
  ],
  panel: [
    { name: 'glossy screen, crossed by a hand', frame: 0, x: 230, y: 40, side: 530, model: 'perspective' },
    { name: 'bars on it', frame: 0, x: 850, y: 280, side: 180, model: 'perspective' },
  ],
  boardwalk: [
    { name: 'planks', frame: 0, x: 900, y: 800, side: 200, model: 'perspective' },
    { name: 'planks on the right', frame: 62, x: 1350, y: 780, side: 200, model: 'perspective' },
    { name: 'ground', frame: 62, x: 300, y: 860, side: 200, model: 'perspective' },
    { name: 'nail of 12 px', frame: 0, x: 730, y: 804, side: 12, model: 'shift' },
  ],
};

/** Further regions anywhere on the still world, for the confidence alone. */
const SCATTERED = 16;

/** Tracks regions of a shot and compares with where they truly go; the first also through the command line, for its time. */
export async function benchTracks(shot: Shot, folder: string, scratch: string): Promise<Tracks | undefined> {
  const regions = REGIONS[shot.name];
  if (!regions) return undefined;
  const { clip } = shotFiles(folder, shot);
  const renderer = await Renderer.create(shot.lens);
  const truth = new Truth(renderer, shot, shot.build(renderer));
  const decode = await measureProcess('ffmpeg', [
    ...['-nostdin', '-loglevel', 'error', '-i', clip, '-map', '0:v', '-f', 'null', '-'],
  ]);
  const output = join(scratch, 'track.csv');
  const track = await measureProcess('node', [MNESTRA, ...argumentsOf(regions[0], clip, output)]);
  const raw = join(scratch, 'luma.raw');
  const luma = await decodeLuma(clip, await probeClip(clip), raw, { first: 0, last: shot.frames - 1 });
  const kernels = await loadKernels();
  const all = [...regions, ...scattered(shot, truth)];
  const seen = seenTable(all, shot, truth);
  const each = all.map((r, i) => score(r, shot, truth, follow(kernels, luma, r, shot.frames - 1), seen[i]));
  const scores = [...each.slice(0, regions.length), total(each.slice(regions.length))];
  const steered = all.slice(0, regions.length).flatMap((r) => steer(kernels, luma, r, shot, truth) ?? []);
  luma.close();
  for (const path of [output, raw]) await rm(path);
  return { scores, steered, decode, track };
}

/** An error from which a track has failed, px, and frames in a row that make a stretch worth steering. */
const FAILED_PX = 2;
const STEERED_FRAMES = 20;

/** Sets the region where it truly is at each third of the frames in which it was lost, the last of them too, and follows again. */
function steer(kernels: Kernels, luma: LumaFrames, region: Region, shot: Shot, truth: Truth): SteeredScore | undefined {
  const layer = layerOf(region, truth);
  const errors = new Map(
    follow(kernels, luma, region, shot.frames - 1).map((row) => [row.frame, cornerError(region, layer, row, truth)]),
  );
  const failed = (t: number): boolean => (errors.get(t) ?? 0) > FAILED_PX;
  const first = [...Array(shot.frames).keys()].find((t) =>
    Array.from({ length: STEERED_FRAMES }, (_, k) => t + k).every((f) => f < shot.frames && failed(f)),
  );
  if (first === undefined) return undefined;
  const last = first + STEERED_FRAMES - 1;
  const set = [1, 2, 3].map((k) => {
    const frame = first - 1 + Math.round((k * STEERED_FRAMES) / 3);
    return { frame, quad: trueQuad(region, layer, frame, truth) };
  });
  const again = follow(kernels, luma, region, last, set);
  const within = again.filter((row) => row.frame >= first && row.frame <= last);
  const worst = (list: number[]): number => Math.max(...list);
  return {
    region: region.name,
    first,
    last,
    before: worst(within.map((row) => errors.get(row.frame)!)),
    after: worst(within.map((row) => cornerError(region, layer, row, truth))),
  };
}

const trueQuad = (region: Region, layer: number, frame: number, truth: Truth): Quad =>
  cornersOf(region).map(([x, y]) => truth.follow(layer, region.frame, x, y, frame)) as unknown as Quad;

/** Frames of a long shot, and how much smaller it is than its recipe. */
const LONG_FRAMES = 300;
const LONG_SCALE = 0.5;

/** Mean error of a region's first and last hundred frames in a shot of three hundred, px of that shot. */
export async function benchLongTrack(
  shot: Shot,
  folder: string,
  scratch: string,
): Promise<{ early: number; late: number }> {
  const half = scaled(shot, LONG_SCALE, shot.frames);
  const long: Shot = { ...half, frames: LONG_FRAMES, name: `${shot.name}-long` };
  if (!isRendered(folder, long, false)) await renderShot(long, folder, false);
  const { clip } = shotFiles(folder, long);
  const renderer = await Renderer.create(long.lens);
  const truth = new Truth(renderer, long, long.build(renderer));
  const raw = join(scratch, 'long.raw');
  const luma = await decodeLuma(clip, await probeClip(clip), raw, { first: 0, last: long.frames - 1 });
  const [{ x, y, side, ...rest }] = REGIONS[shot.name];
  const region = { ...rest, x: x * LONG_SCALE, y: y * LONG_SCALE, side: side * LONG_SCALE };
  const rows = follow(await loadKernels(), luma, region, long.frames - 1);
  luma.close();
  await rm(raw);
  const layer = layerOf(region, truth);
  const errors = rows.map((row) => cornerError(region, layer, row, truth));
  const mean = (list: number[]): number => list.reduce((a, b) => a + b, 0) / list.length;
  return { early: mean(errors.slice(0, 100)), late: mean(errors.slice(-100)) };
}

function follow(
  kernels: Kernels,
  luma: LumaFrames,
  region: Region,
  last: number,
  more: readonly Anchor[] = [],
): TrackRow[] {
  const quad = cornersOf(region).map(([x, y]) => ({ x, y })) as unknown as Quad;
  const parts = partsUpTo(region.model);
  const anchors = [{ frame: region.frame, quad }, ...more].sort((a, b) => a.frame - b.frame);
  const rows = new Map<number, TrackRow>();
  for (const f of trackRegion(kernels, luma, { anchors, parts, first: 0, last })) rows.set(f.frame, f);
  return [...rows.values()].sort((a, b) => a.frame - b.frame);
}

/** Regions of many sizes at many places and frames, seeded, each wholly on one still surface. */
function scattered(shot: Shot, truth: Truth): Region[] {
  const random = sequence(71);
  const out: Region[] = [];
  while (out.length < SCATTERED) {
    const side = Math.round(14 * 16 ** random());
    const { width, height } = shot.lens;
    const [x, y] = [Math.round(random() * (width - side)), Math.round(random() * (height - side))];
    const frame = Math.floor(random() * shot.frames);
    const region: Region = {
      name: '',
      frame,
      x,
      y,
      side,
      model: side < 40 ? 'shift' : 'perspective',
    };
    const layer = truth.surface(frame, x + side / 2, y + side / 2)?.layer;
    if (layer !== undefined && seenShare(region, layer, frame, truth, coverOf(truth, frame)) === 1) out.push(region);
  }
  return out;
}

/** Counts of several regions together; their errors are no matter of theirs. */
function total(scores: TrackScore[]): TrackScore {
  const sum = (key: 'frames' | 'sure' | 'sureAndRight' | 'gone' | 'goneAndLost'): number =>
    scores.reduce((n, s) => n + s[key], 0);
  const [frames, sure, sureAndRight] = [sum('frames'), sum('sure'), sum('sureAndRight')];
  const none = { mean: NaN, end: NaN, partlyHidden: NaN };
  return {
    region: 'scattered',
    ...none,
    frames,
    sure,
    sureAndRight,
    gone: sum('gone'),
    goneAndLost: sum('goneAndLost'),
  };
}

function argumentsOf(r: Region, clip: string, output: string): string[] {
  const corners = cornersOf(r).map(([x, y]) => `${x},${y}`);
  const where = ['--frame', String(r.frame), '--region', corners.join(' '), '--model', r.model];
  return ['track', '--quiet', '--input', clip, ...where, '--output', output];
}

const cornersOf = ({ x, y, side }: Region): [number, number][] => [
  [x, y],
  [x + side, y],
  [x + side, y + side],
  [x, y + side],
];

function score(region: Region, shot: Shot, truth: Truth, rows: TrackRow[], seen: number[]): TrackScore {
  const layer = layerOf(region, truth);
  const errors = rows.map((row) => cornerError(region, layer, row, truth));
  const mean = (list: number[]): number => list.reduce((a, b) => a + b, 0) / list.length;
  const where = (test: (i: number) => boolean): number[] => rows.map((_, i) => i).filter(test);
  const inSight = where((i) => seen[i] >= 0.5 && rows[i].frame !== region.frame);
  const ends = [...inSight.slice(0, 5), ...inSight.slice(-5)].filter(
    (i) => Math.abs(rows[i].frame - region.frame) > shot.frames / 4,
  );
  const partly = where((i) => seen[i] > 0.33 && seen[i] < 0.9);
  const sure = where((i) => rows[i].confidence > 0.8 && rows[i].frame !== region.frame);
  const gone = where((i) => seen[i] < 0.1);
  return {
    region: region.name,
    frames: inSight.length,
    mean: mean(inSight.map((i) => errors[i])),
    end: mean(ends.map((i) => errors[i])),
    partlyHidden: mean(partly.map((i) => errors[i])),
    sure: sure.length,
    sureAndRight: sure.filter((i) => errors[i] <= 1).length,
    gone: gone.length,
    goneAndLost: gone.filter((i) => rows[i].confidence < 0.3).length,
  };
}

/** Mean distance of the corners from where they truly are; of a shift, that of the middle. */
function cornerError(region: Region, layer: number, row: TrackRow, truth: Truth): number {
  const off = cornersOf(region).map(([x, y], i) => {
    const at = truth.follow(layer, region.frame, x, y, row.frame);
    return { x: row.quad[i].x - at.x, y: row.quad[i].y - at.y };
  });
  if (region.model !== 'shift') return off.reduce((s, p) => s + Math.hypot(p.x, p.y), 0) / 4;
  return Math.hypot(off.reduce((s, p) => s + p.x, 0) / 4, off.reduce((s, p) => s + p.y, 0) / 4);
}

const layerOf = ({ frame, x, y, side }: Region, truth: Truth): number =>
  truth.surface(frame, x + side / 2, y + side / 2)!.layer;

/** By region, then by frame: the share that is seen. Frame by frame, since what moves is painted anew for each. */
function seenTable(regions: Region[], shot: Shot, truth: Truth): number[][] {
  const out: number[][] = regions.map(() => []);
  for (let t = 0; t < shot.frames; t++) {
    const covered = coverOf(truth, t);
    regions.forEach((r, i) => (out[i][t] = seenShare(r, layerOf(r, truth), t, truth, covered)));
  }
  return out;
}

function coverOf(truth: Truth, frame: number): (x: number, y: number) => boolean {
  const [passing, going] = [truth.movers(frame), truth.gone(frame)];
  return (x, y) => passing(x, y) || going(x, y);
}

/** Share of a region that a frame shows, from a grid of 8 by 8 points. */
function seenShare(
  region: Region,
  layer: number,
  frame: number,
  truth: Truth,
  covered: (x: number, y: number) => boolean,
): number {
  let seen = 0;
  for (let k = 0; k < 64; k++) {
    const x = region.x + (((k % 8) + 0.5) / 8) * region.side;
    const y = region.y + ((Math.floor(k / 8) + 0.5) / 8) * region.side;
    const at = truth.follow(layer, region.frame, x, y, frame);
    const shown = truth.surface(frame, at.x, at.y)?.layer === layer && truth.inView(at);
    if (shown && !covered(at.x, at.y)) seen++;
  }
  return seen / 64;
}
