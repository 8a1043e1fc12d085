import type { FollowRequest } from '../../core/outline/followOutline.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { MotionCues } from '../../media/motionCues.ts';
import { findCamera } from '../../media/moversWork.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { motionOf } from '../services/outlines.ts';
import type { JobContext, Work } from './runWork.ts';

/** What moves in a shot and how its background does, by frames of the clip. */
export type ShotCues = Required<Pick<FollowRequest, 'backgroundTo'>> & {
  cueAt: MotionCues['at'];
  close(): void;
};

/** From the shot's search, or measured now. Frames outside of the range are not asked for. */
export async function shotCues(
  shotId: string,
  clip: StoredClip,
  { first, count }: { first: number; count: number },
  { files, stores }: JobContext,
  work: Work,
): Promise<ShotCues> {
  const known = await motionOf(shotId, clip, first, files, stores);
  const small = known?.frame === 0 ? known.small : await stores.small({ clip, first, count }, work.signal);
  const onProgress = (_: string, done: number): void => work.report('decode', done);
  const camera =
    known?.frame === 0 ? known.camera : await findCamera({ frames: small, count, signal: work.signal, onProgress });
  const cues = new MotionCues(await loadKernels(), small, camera);
  return {
    cueAt: (t, part) => cues.at(t - first, part),
    backgroundTo: (from, to) => cues.backgroundTo(from - first, to - first),
    close: () => cues.close(),
  };
}
