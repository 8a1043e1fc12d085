import type { CameraMotionData } from '../motion/cameraMotion.ts';
import { unitSpace } from '../motion/space.ts';
import type { MattePlace } from './matteWay.ts';

/**
 * The motion of what goes as a matte does: moved and scaled as it is. A frame without the matte is no part of any scene: nothing tells
 * where the thing would be.
 *
 * @param way - Per frame, px; known somewhere.
 */
export function carriedBy(way: readonly (MattePlace | undefined)[], camera: CameraMotionData): CameraMotionData {
  const { cx, cy, half } = unitSpace(camera.width, camera.height);
  const known = way.filter((place) => place !== undefined);
  const usual = known[known.length >> 1];
  const poses = new Float64Array(9 * camera.count);
  const scenes = camera.scenes.slice();
  const none = 1 + scenes.reduce((a, b) => Math.max(a, b), 0);
  for (let t = 0; t < camera.count; t++) {
    const { x, y, size } = way[t] ?? usual;
    const k = usual.size / size;
    const along = (v: number, to: number, c: number): number => (to - c - k * (v - c)) / half;
    poses.set([k, 0, along(x, usual.x, cx), 0, k, along(y, usual.y, cy), 0, 0, 1], 9 * t);
    if (!way[t]) scenes[t] = none + t;
  }
  const { width, height, count, support, residualPx } = camera;
  return {
    width,
    height,
    count,
    support,
    residualPx,
    poses,
    mesh: new Float32Array(0),
    tripod: false,
    scenes,
    background: camera,
  };
}
