import { evenly } from '../core/evenly.ts';
import { flickerOf, flickers } from '../core/flicker/flicker.ts';
import type { RowLight } from '../core/flicker/rowLight.ts';
import type { FrameFormat } from '../core/image/format.ts';
import type { Parts } from './parts.ts';
import type { EngineThreads } from './threads.ts';

/** Frames that are asked whether lamps flicker, and frames that are measured as one part of the work. */
const ASKED = 8;
const TOGETHER = 16;
/** Bands of a frame. */
const BANDS = 72;

/** Rows of a frame whose light is measured as one. */
export const flickerStep = ({ height }: FrameFormat): number => Math.ceil(height / BANDS);

/** Lets all that follows see frames without the flicker of their lamps, if these do. */
export async function evenLight(
  threads: EngineThreads,
  parts: Parts,
  count: number,
  format: FrameFormat,
): Promise<void> {
  const all = Array.from({ length: count }, (_, t) => t);
  const measured = async (name: string, stretches: number[][]): Promise<RowLight[]> => {
    const own = stretches.map((frames, k) => ({
      name: `${name}-${k}`,
      compute: () => threads.run('measureFlicker', frames),
    }));
    return (await parts.all(own)).flat();
  };
  const asked = evenly(all, ASKED).map((t) => [t]);
  if (!flickers(await measured('flickers', asked))) return;
  const stretches = Array.from({ length: Math.ceil(count / TOGETHER) }, (_, k) =>
    all.slice(k * TOGETHER, (k + 1) * TOGETHER),
  );
  const step = flickerStep(format);
  const flicker = flickerOf(await measured('flicker', stretches), step, Math.ceil(format.height / step));
  await threads.all('setFlicker', flicker);
}
