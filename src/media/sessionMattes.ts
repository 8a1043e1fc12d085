import { findFixed, stepForFixed } from '../core/fixed/fixed.ts';
import { FIXED, smallerMask, staysMask, type Fixed, type Stays } from '../core/fixed/stays.ts';
import { staysPerFrame, type PaintedAt, type StaysAt } from '../core/fixed/staysPerFrame.ts';
import type { FreeAt } from '../core/fixed/views.ts';
import type { Patch } from '../core/fill/finish.ts';
import { bytesPerSample, type FrameReader } from '../core/image/format.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import { BlockedCells } from '../core/image/blockedCells.ts';
import { inClip } from '../core/movers/maskPatch.ts';
import type { Kernels } from '../kernels/index.ts';
import type { SessionJob } from './engineTasks.ts';
import { RawStore } from './rawStore.ts';
import { SmallerFrames } from './smallerFrames.ts';
import { StayingMattes } from './stayingMattes.ts';

/** The mattes of a job, if it has any, and what of its film stays as it is. */
export class SessionMattes {
  private store?: RawStore;
  /** Per px of the mattes, of `staysMask`. */
  private stays?: Uint8Array;
  private staysAt?: StaysAt;
  /** Where they hide the frames of the job. */
  readonly blocked: BlockedCells;

  /** @param frames - Of the job. */
  constructor(
    private readonly job: SessionJob,
    private readonly frames: FrameReader,
  ) {
    this.blocked = blockedIn(job);
  }

  /** @throws Error if the job has none. */
  get reader(): FrameReader {
    const { path, format } = this.job.mattes;
    if (path === undefined) throw new Error('This work was given no mattes.');
    this.store ??= new RawStore(path, format);
    return this.staysAt ? new StayingMattes(this.store, this.staysAt) : this.store;
  }

  /** What is fixed to the picture while the camera moves. */
  findFixed(kernels: Kernels, motion: CameraMotionData): Fixed | undefined {
    const { frames } = this;
    const step = stepForFixed(frames.format);
    const looked = step === 1 ? frames : new SmallerFrames(kernels, frames, step);
    const { width, height } = looked.format;
    const isFree: FreeAt = (t, x, y) => !this.blocked.has(t, inClip(x, step), inClip(y, step));
    const found = findFixed(looked, new CameraMotion({ ...motion, width, height }), isFree);
    const perFrame = Math.ceil(this.job.mattes.format.width / frames.format.width);
    return found && { width, height, ...found, step: step * perFrame };
  }

  setStays(stays: Stays): void {
    const { format } = this.job.mattes;
    this.stays = stays.bars || stays.fixed ? staysMask(stays, format) : undefined;
    const { paint } = stays.fixed ?? {};
    // In smaller frames letters are not told from what is between them.
    const isSame = this.frames.format.width === format.width && !this.job.draft;
    this.staysAt =
      this.stays &&
      staysPerFrame(this.stays, format.width, paint && isSame ? paintedIn(this.frames, paint) : undefined);
  }

  /** What stays, in px of smaller frames. @returns undefined if nothing does. */
  staysIn({ width }: { width: number }): Uint8Array | undefined {
    const { format } = this.job.mattes;
    return this.stays && smallerMask(this.stays, format, Math.ceil(format.width / width));
  }

  /** A patch that says where its frame stays as it is. A draft's mattes are smaller than the frames that it is laid over. */
  withStays(patch: Patch): Patch {
    if (!this.staysAt) return patch;
    const { rect } = patch;
    const { format } = this.job.mattes;
    const factor = this.job.draft?.factor ?? 1;
    const [top, end] = [rect.y, rect.y + rect.height].map((y) => Math.min(format.height, Math.ceil(y / factor)));
    const rows = this.staysAt(patch.frame, top, end - top);
    const stays = new Uint8Array(rect.width * rect.height);
    for (let v = 0, i = 0; v < rect.height; v++) {
      const y = Math.floor((rect.y + v) / factor) - top;
      for (let u = 0; u < rect.width; u++, i++) {
        const x = Math.floor((rect.x + u) / factor);
        if (x < format.width && rows[y * format.width + x] === FIXED) stays[i] = 1;
      }
    }
    return stays.includes(1) ? { ...patch, stays } : patch;
  }

  close(): void {
    this.store?.close();
  }
}

/** @param paint - 1 for the levels of 8 bits that are looked for in the first plane. */
function paintedIn(frames: FrameReader, paint: Uint8Array): PaintedAt {
  const { format } = frames;
  const bytes = bytesPerSample(format);
  return (frame, { x, y, width, height }) => {
    const read = new Uint8Array(format.width * height * bytes);
    frames.readRows(frame, 0, y, height, read);
    const samples = bytes === 1 ? read : new Uint16Array(read.buffer);
    const out = new Uint8Array(width * height);
    for (let v = 0, i = 0; v < height; v++) {
      for (let u = 0; u < width; u++, i++) out[i] = paint[samples[v * format.width + x + u] >> (format.depth - 8)];
    }
    return out;
  };
}

/** Motion may be measured on smaller frames than the mattes': it is kept in unit space. */
function blockedIn({ cells: { cell, cols, rows, state }, mattes, frames }: SessionJob): BlockedCells {
  return new BlockedCells(cols, rows, cell / (mattes.format.width / frames.format.width), state);
}
