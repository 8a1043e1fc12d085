import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { GatheredFrame, Told } from './engineTasks.ts';

/** What its sources contradict one another about. */
export const contradictedOf = ({ frame, contradicted }: GatheredFrame): Told => ({ frame, places: contradicted });

/** The places of all frames of a scene, as one of them sees them. */
export function seenFrom(frame: number, told: readonly Told[], camera: CameraMotion): Float64Array {
  const telling = told.filter((t) => t.places.length > 0 && camera.sameScene(t.frame, frame));
  const out = new Float64Array(telling.reduce((sum, { places }) => sum + places.length, 0));
  let at = 0;
  for (const t of telling) {
    const places = out.subarray(at, (at += t.places.length));
    places.set(t.places);
    camera.map(t.frame, frame, places);
  }
  return out;
}
