import { mkdir, writeFile } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import { AppError } from '../core/errors.ts';
import type { Point } from '../core/geometry/homography.ts';
import type { Rect } from '../core/image/format.ts';
import { bytesOf } from '../core/image/mapped.ts';
import { followOutline, type FollowedOutline } from '../core/outline/followOutline.ts';
import { CLICK_RADIUS, type Stroke } from '../core/outline/hints.ts';
import { outlineJson } from '../core/outline/outlineTable.ts';
import { pointOut } from '../core/outline/pointOut.ts';
import { rasterRows, type RasterPatch } from '../core/shapes/raster.ts';
import { cutOff, decodeFrames, draftFactor, draftFormat } from '../media/decode.ts';
import { encodeFrames } from '../media/encode.ts';
import { loadKernels } from '../media/kernelFile.ts';
import { MotionCues } from '../media/motionCues.ts';
import { findCamera } from '../media/moversWork.ts';
import { pauses } from '../media/pauses.ts';
import { storedFormat } from '../media/pixelFormat.ts';
import { probeClip, type ClipInfo } from '../media/probe.ts';
import { RawStore } from '../media/rawStore.ts';
import { softened } from '../media/softened.ts';
import { inScratch } from './scratch.ts';
import type { Terminal } from './terminal.ts';

export interface OutlineCommand {
  input: string;
  frame: number;
  add: Point[];
  remove: Point[];
  box?: Rect;
  output: string;
  json?: string;
  /** How far on both sides of the outline its edge is looked for in the picture, px; without it the edge is hard. */
  soft?: number;
  first?: number;
  last?: number;
  threads?: number;
}

/** The outline of a frame, and what of its matte is not 0. */
interface Found {
  outline: FollowedOutline;
  matte: RasterPatch;
}

/** `mnestra outline`. */
export async function outlineCommand(request: OutlineCommand, terminal: Terminal, signal: AbortSignal): Promise<void> {
  const clip = await probeClip(request.input);
  checkPlaces(request, clip);
  await mkdir(dirname(resolve(request.output)), { recursive: true });
  const bytes = 3.4 * clip.width * clip.height * clip.frames;
  await inScratch(bytes, 'The outline', async (folder) => {
    const found = await follow(request, clip, folder, terminal, signal);
    terminal.stage('write');
    const stored = storedFormat('gray', clip.width, clip.height);
    const mattes = new Map(found.map((f) => [f.outline.frame, f.matte]));
    await encodeFrames({ output: request.output, clip, stored, signal }, (t) => wholeMatte(mattes.get(t), clip));
    if (request.json) await writeFile(request.json, outlineJson(found.map((f) => f.outline)));
  });
}

function checkPlaces({ frame, add, remove, box, first, last }: OutlineCommand, clip: ClipInfo): void {
  const { width, height, frames } = clip;
  if (frame >= frames)
    throw new AppError('usage', `--frame must be 0 to ${frames - 1}: the clip has no frame ${frame}.`);
  if (frame < (first ?? 0) || frame > (last ?? frames)) {
    throw new AppError('usage', `--frame must lie within the frames that are followed.`);
  }
  const corners = box ? [{ x: box.x, y: box.y }] : [];
  for (const { x, y } of [...add, ...remove, ...corners]) {
    if (x < 0 || y < 0 || x > width - 1 || y > height - 1) {
      throw new AppError('usage', `${x},${y} is not in the picture, which is ${width}x${height}.`);
    }
  }
}

async function follow(
  request: OutlineCommand,
  clip: ClipInfo,
  folder: string,
  terminal: Terminal,
  signal: AbortSignal,
): Promise<Found[]> {
  terminal.stage('decode');
  const stored = storedFormat(clip.pixelFormat, clip.width, clip.height);
  const factor = draftFactor(clip.width, clip.height);
  const small = { path: join(folder, 'small.raw'), stored: draftFormat(stored, factor) };
  const full = { path: join(folder, 'frames.raw'), stored };
  await decodeFrames(request.input, [full, small], clip, signal);
  const frames = new RawStore(full.path, stored.format);
  const smallFrames = { path: small.path, format: small.stored.format, factor, count: frames.count };
  let cues: MotionCues | undefined;
  try {
    if (frames.count < clip.frames) throw cutOff(clip.frames, frames.count);
    const onProgress = (stage: string, done: number): void => terminal.progress(stage, done);
    const { threads } = request;
    const camera = await findCamera({ frames: smallFrames, count: frames.count, threads, signal, onProgress });
    cues = new MotionCues(await loadKernels(), smallFrames, camera);
    return await outlines(request, frames, cues, terminal, signal);
  } finally {
    cues?.close();
    frames.close();
  }
}

async function outlines(
  request: OutlineCommand,
  frames: RawStore,
  cues: MotionCues,
  terminal: Terminal,
  signal: AbortSignal,
): Promise<Found[]> {
  const { frame, add, remove, box, first = 0, last = frames.count - 1 } = request;
  const clicks = (places: Point[]): Stroke[] => places.map((p) => ({ points: [p], radius: CLICK_RADIUS }));
  const mask = pointOut(frames, frame, { add: clicks(add), remove: clicks(remove), box }, cues.at(frame));
  if (mask.width === 0)
    throw new AppError('no_outline', 'Nothing could be outlined there. Point at more of the thing.');
  const found: Found[] = [];
  const pause = pauses(signal);
  const range = { first, last: Math.min(last, frames.count - 1) };
  const cueAt = (t: number, part: Rect) => cues.at(t, part);
  const backgroundTo = (from: number, to: number) => cues.backgroundTo(from, to);
  for (const f of followOutline(frames, { anchors: [{ frame, mask }], ...range, cueAt, backgroundTo })) {
    found.push({ outline: f, matte: matteOf(f, frames, request.soft) });
    terminal.progress('follow', found.length / (range.last - range.first + 1));
    // An interruption is heard between frames.
    await pause();
  }
  return found.sort((a, b) => a.outline.frame - b.outline.frame);
}

function matteOf({ frame, mask: { data, ...rect } }: FollowedOutline, frames: RawStore, soft?: number): RasterPatch {
  const hard = { rect, values: bytesOf(data, (v) => 255 * v) };
  return soft === undefined ? hard : softened(hard, frames, frame, soft);
}

function wholeMatte(matte: RasterPatch | undefined, { width, height }: ClipInfo): Uint8Array {
  const out = new Uint8Array(width * height);
  if (matte) rasterRows(matte, width, 0, height, out);
  return out;
}
