import { CameraMotion } from '../motion/cameraMotion.ts';

/** A camera that pans by so many px a frame, to the right. */
export function panning(width: number, height: number, count: number, px: number): CameraMotion {
  const poses = new Float64Array(9 * count);
  for (let t = 0; t < count; t++) poses.set([1, 0, (px * t) / (width / 2), 0, 1, 0, 0, 0, 1], 9 * t);
  const mesh = new Float32Array(0);
  const support = new Float32Array(count).fill(50);
  const scenes = new Uint32Array(count);
  return new CameraMotion({ width, height, count, poses, mesh, tripod: false, residualPx: 0, support, scenes });
}
