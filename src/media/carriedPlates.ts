import type { StretchDepth } from '../core/depth/depthPlaces.ts';
import { evenly } from '../core/evenly.ts';
import type { Plate } from '../core/fill/plate.ts';
import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { GatheredFrame } from './engineTasks.ts';
import type { Parts } from './parts.ts';
import type { EngineThreads } from './threads.ts';

/** Frames in which it is tried how a plate is carried. */
const ASKED = 12;

/** Finds out of each plate whether it is carried by depth. @param depths - None: the camera's plane carries all. */
export async function carriedPlates(
  { threads, parts, camera }: { threads: EngineThreads; parts: Parts; camera: CameraMotion },
  plates: readonly Plate[],
  depths: StretchDepth[],
  gathered: readonly GatheredFrame[],
): Promise<Plate[]> {
  if (depths.length === 0) return [...plates];
  const asked = plates.map((plate, k) => ({
    name: `carried-${k}`,
    compute: () => {
      const scene = gathered.filter((g) => camera.sameScene(g.frame, plate.frame));
      return threads.run('carriedByDepth', { plate, depths, frames: evenly(scene, ASKED).map((g) => g.frame) });
    },
  }));
  const byDepth = await parts.all(asked);
  return plates.map((plate, k) => ({ ...plate, byDepth: byDepth[k] }));
}
