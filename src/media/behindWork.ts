import type { BodyBehind } from '../core/behind/planBehind.ts';
import type { CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { GatheredFrame } from './engineTasks.ts';
import { movingFrames } from './moversWork.ts';
import type { EngineThreads } from './threads.ts';

/** So far from a frame in which somebody touches a hole they are searched for, frames: a stride and what tells of their way. */
const SEARCHED_AROUND = 36;

/** What is known of a take when it is searched for who passes behind its holes. */
export interface BehindGrounds {
  /** Frames of the shot. */
  count: number;
  motion: CameraMotionData;
  /** Some of the background moves by itself. */
  restless: boolean;
  onProgress(done: number): void;
}

/** Who passes behind the holes: searched for around the frames in which somebody is seen beside one. */
export async function findBehind(
  threads: EngineThreads,
  gathered: readonly GatheredFrame[],
  { count, motion, restless, onProgress }: BehindGrounds,
): Promise<BodyBehind[]> {
  const touched = gathered.filter((g) => g.measure.touched).map((g) => g.frame);
  if (touched.length === 0) return [];
  const isWanted = (frame: number): boolean => touched.some((t) => Math.abs(frame - t) <= SEARCHED_AROUND);
  const report = (_: string, done: number): void => onProgress(done);
  const moving = await movingFrames({ count, shades: true, isWanted, onProgress: report }, threads, motion);
  return threads.run('planBehind', { moving, restless });
}
