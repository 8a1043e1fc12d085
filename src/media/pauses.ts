import { setImmediate } from 'node:timers/promises';

/** Longest stretch of work between two pauses, ms. */
const LONGEST_MS = 40;

/**
 * Pauses in long work on the main thread: heartbeats, progress and wishes to stop are heard in them.
 * @returns To be awaited between steps; takes its time only when it is due. Rejects when the signal is aborted.
 */
export function pauses(signal?: AbortSignal): () => Promise<void> {
  let last = Date.now();
  return async () => {
    if (Date.now() - last < LONGEST_MS) return;
    await setImmediate();
    signal?.throwIfAborted();
    last = Date.now();
  };
}
