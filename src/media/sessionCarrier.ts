import { CarrierMask } from '../core/carrier/carrierMask.ts';
import { FrameLight } from '../core/carrier/frameLight.ts';
import { goesWith, type Unlike } from '../core/carrier/goesWith.ts';
import type { FrameReader } from '../core/image/format.ts';
import { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { Pyramids } from '../core/motion/pyramids.ts';
import type { Kernels } from '../kernels/index.ts';
import type { CarrierTask, SessionJob } from './engineTasks.ts';

/** Asks for a thread whether what is around a matte goes with it. */
export function probeCarrier(
  kernels: Kernels,
  pyramids: Pyramids,
  { frames, mattes, cells }: SessionJob,
  { pair, background, matte }: CarrierTask,
): Unlike {
  const factor = mattes.format.width / frames.format.width;
  const light = new FrameLight(kernels, pyramids, cells, factor, 2 ** (frames.format.depth - 8));
  return goesWith(light, cells, pair, { background: new CameraMotion(background), matte: new CameraMotion(matte) });
}

/** What carries what goes away, if the motion is that of such a thing. */
export function carrierOf(frames: FrameReader, { cells }: SessionJob, motion: CameraMotion): CarrierMask | undefined {
  return motion.data.background && new CarrierMask(frames, cells, motion);
}
