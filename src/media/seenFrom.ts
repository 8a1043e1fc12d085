import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { GatheredFrame } from './engineTasks.ts';

/** What sources of any frame contradict one another about, as one frame of the same scene sees it. */
export function seenFrom(frame: number, gathered: readonly GatheredFrame[], camera: CameraMotion): Float64Array {
  const telling = gathered.filter((g) => g.contradicted.length > 0 && camera.sameScene(g.frame, frame));
  const out = new Float64Array(telling.reduce((sum, g) => sum + g.contradicted.length, 0));
  let at = 0;
  for (const g of telling) {
    const places = out.subarray(at, (at += g.contradicted.length));
    places.set(g.contradicted);
    camera.map(g.frame, frame, places);
  }
  return out;
}
