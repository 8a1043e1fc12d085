import { evenly } from '../core/evenly.ts';
import { resizedBars, type Bars } from '../core/image/bars.ts';
import type { FrameFormat } from '../core/image/format.ts';
import type { Parts } from './parts.ts';
import type { EngineThreads } from './threads.ts';

/** Frames that are asked for bars. */
const ASKED = 12;

/** A film that may have bars. */
export interface BarredFilm {
  count: number;
  /** The frames that are looked at, which may be smaller than the mattes. */
  frames: FrameFormat;
  mattes: FrameFormat;
}

/**
 * Lets all threads leave the bars along the sides of a film alone, if there are any.
 * @returns The bars, px of the mattes.
 */
export async function leaveBarsAlone(
  threads: EngineThreads,
  parts: Parts,
  { count, frames, mattes }: BarredFilm,
): Promise<Bars | undefined> {
  const asked = evenly(
    Array.from({ length: count }, (_, t) => t),
    ASKED,
  );
  const [found] = await parts.all([{ name: 'bars', compute: () => threads.run('findBars', asked) }]);
  if (!found) return undefined;
  const factor = Math.round(mattes.width / frames.width);
  // A line of smaller frames that a bar covers in part is no bar there.
  const bars = factor === 1 ? found : resizedBars(found, (px) => (px + 1) * factor);
  await threads.all('setBars', bars);
  return bars;
}
