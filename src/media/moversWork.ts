import { availableParallelism } from 'node:os';
import { FILL_DEFAULTS } from '../core/fill/settings.ts';
import type { FrameFormat } from '../core/image/format.ts';
import { createMatteCells } from '../core/image/matteCells.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';
import type { Mover } from '../core/movers/movers.ts';
import { FEW_LINKS, measureCamera } from './cameraWork.ts';
import { EngineThreads, inStretches } from './threads.ts';

export interface MoversOptions {
  /** Small frames, as for a draft. */
  frames: { path: string; format: FrameFormat };
  count: number;
  threads?: number;
  signal?: AbortSignal;
  onProgress?(stage: 'motion' | 'movers', done: number): void;
}

/** Frames per task: what is asked for a cancel, too. */
const CHUNK = 8;

/** Searches footage for everything that moves against the background. Masks and paths are in px of the small frames. */
export async function findMovers(options: MoversOptions): Promise<Mover[]> {
  const { frames, count, signal } = options;
  const { width, height } = frames.format;
  const cells = createMatteCells(width, height, count);
  const job = { frames, mattes: { format: frames.format }, cells, settings: FILL_DEFAULTS };
  const threads = new EngineThreads(job, options.threads ?? availableParallelism(), signal);
  try {
    const onProgress = (done: number): void => options.onProgress?.('motion', done);
    const camera = { count, frames: frames.format, width, height, distances: FEW_LINKS, bends: false, onProgress };
    const data = await measureCamera(threads, camera);
    await threads.all('setMotion', data);
    const search = (range: { first: number; last: number }): Promise<MaskPatch[][]> => threads.run('findMoving', range);
    const regions = await inStretches(count, CHUNK, search, (done) => options.onProgress?.('movers', done));
    return await threads.run('linkMovers', regions);
  } finally {
    await threads.stop();
  }
}
