import { availableParallelism } from 'node:os';
import { FILL_DEFAULTS } from '../core/fill/settings.ts';
import type { FrameFormat } from '../core/image/format.ts';
import { createMatteCells } from '../core/image/matteCells.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';
import type { Mover } from '../core/movers/movers.ts';
import { FEW_LINKS, measureCamera } from './cameraWork.ts';
import { EngineThreads } from './threads.ts';

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
  const threads = new EngineThreads(job, options.threads ?? availableParallelism());
  const abort = (): void => void threads.stop(signal?.reason);
  signal?.addEventListener('abort', abort, { once: true });
  try {
    signal?.throwIfAborted();
    const onProgress = (done: number): void => options.onProgress?.('motion', done);
    const camera = { count, frames: frames.format, width, height, distances: FEW_LINKS, bends: false, onProgress };
    const data = await measureCamera(threads, camera);
    await threads.all('setMotion', data);
    const regions = await movingRegions(threads, count, (done) => options.onProgress?.('movers', done));
    return await threads.run('linkMovers', regions);
  } finally {
    signal?.removeEventListener('abort', abort);
    await threads.stop();
  }
}

async function movingRegions(
  threads: EngineThreads,
  count: number,
  onProgress: (done: number) => void,
): Promise<MaskPatch[][]> {
  let done = 0;
  const parts: Promise<MaskPatch[][]>[] = [];
  for (let first = 0; first < count; first += CHUNK) {
    const last = Math.min(count, first + CHUNK);
    const part = threads.run('findMoving', { first, last }).then((found) => {
      done += last - first;
      onProgress(done / count);
      return found;
    });
    parts.push(part);
  }
  return (await Promise.all(parts)).flat();
}
