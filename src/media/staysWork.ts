import type { CameraMotionData } from '../core/motion/cameraMotion.ts';
import { evenly } from '../core/evenly.ts';
import type { Stays } from '../core/fixed/stays.ts';
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
  await threads.all('setStays', { bars });
  return bars;
}

/**
 * Once it is known how the camera moves, lets all threads leave alone what is fixed to the picture, too. Before a camera that rests nothing
 * can be told from the background, and bars are like any: a black sky above a straight roof is not to be taken for one.
 *
 * @param bars - Those that they leave alone.
 * @returns What they leave alone from now on.
 */
export async function settleStays(
  threads: EngineThreads,
  parts: Parts,
  camera: CameraMotionData,
  bars: Bars | undefined,
): Promise<Stays> {
  if (camera.tripod) {
    if (bars) await threads.all('setStays', {});
    return {};
  }
  const [fixed] = await parts.all([{ name: 'fixed', compute: () => threads.run('findFixed', camera) }]);
  if (fixed) await threads.all('setStays', { bars, fixed });
  return { bars, fixed };
}
