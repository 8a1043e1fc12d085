import { AppError } from '../core/errors.ts';
import { bytesPerSample, type FrameFormat } from '../core/image/format.ts';
import { pyramidBytes } from '../core/motion/pyramids.ts';

const MIB = 2 ** 20;
/** Ceiling without the setting. */
const DEFAULT_MIB = 1536;
/** What the program takes without any work, with who waits for it (decision 35), and a thread of it, as measured. */
const PROGRAM = 190 * MIB;
const THREAD = 90 * MIB;
/** Buffers of a region that covers much of the frame, per px of the frame. */
const REGION_BYTES = 24;
/** Pyramids that a thread keeps: links reach over fewer frames. */
export const PYRAMID_SLOTS = 80;
/** More room for source frames would save nothing. */
const MOST_SOURCES = 200 * MIB;
/** Source frames that one thread must be able to hold. */
const LEAST_FRAMES = 3;

/** How many threads work, and how much each keeps of source frames, bytes. The results do not depend on it. */
export interface MemoryPlan {
  threads: number;
  sources: number;
}

/**
 * The ceiling for all memory of one piece of work, bytes: the setting MNESTRA_MEMORY_MIB.
 * @throws AppError `bad_settings`.
 */
export function memoryCeiling(env: NodeJS.ProcessEnv = process.env): number {
  const text = env.MNESTRA_MEMORY_MIB;
  if (text === undefined || text === '') return DEFAULT_MIB * MIB;
  const mib = Number(text);
  if (!Number.isFinite(mib) || mib <= 0) {
    throw new AppError('bad_settings', `MNESTRA_MEMORY_MIB is to be a number of MiB, not “${text}”.`);
  }
  return mib * MIB;
}

/**
 * Divides a ceiling between threads: fewer of them rather than room for no source frame.
 *
 * @param format - Of the frames that are worked on. @param cores - Threads wanted.
 * @throws AppError `out_of_memory` if not even one thread fits.
 */
export function memoryPlan(format: FrameFormat, cores: number, ceiling: number): MemoryPlan {
  const px = format.width * format.height;
  const fixed = THREAD + PYRAMID_SLOTS * pyramidBytes(format.width, format.height) + REGION_BYTES * px;
  // Source frames are kept with 16 bits a sample, and a byte for what must not be used.
  const frame = format.planes.reduce((sum, p) => sum + 2 * p.width * p.height, px);
  const least = fixed + LEAST_FRAMES * frame;
  const threads = Math.min(cores, Math.floor((ceiling - PROGRAM) / least));
  if (threads < 1) {
    const needed = Math.ceil((PROGRAM + least) / MIB);
    const bits = 8 * bytesPerSample(format);
    throw new AppError(
      'out_of_memory',
      `Frames of ${format.width} x ${format.height} with ${bits} bits need ${needed} MiB at least; the ceiling is ` +
        `${Math.floor(ceiling / MIB)} MiB. Set MNESTRA_MEMORY_MIB to more, or make a draft first.`,
    );
  }
  return { threads, sources: Math.min(MOST_SOURCES, Math.floor((ceiling - PROGRAM) / threads) - fixed) };
}
