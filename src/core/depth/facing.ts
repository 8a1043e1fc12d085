import type { CameraMotion } from '../motion/cameraMotion.ts';
import { unitSpace } from '../motion/space.ts';
import { scalesOf, type Around } from './depthPlaces.ts';
import { putRight, type Epipole } from './epipole.ts';
import type { Slope } from './surfaces.ts';

/**
 * The slope, in local coordinates, of all surfaces that face the camera. Depths are reckoned from the camera's plane; where
 * that is slanted (the ground, or a compromise between something near and something far), what faces the camera is slanted
 * to it.
 *
 * Along a surface that faces the camera a source sees a turned and scaled copy, neither sheared nor squeezed. What the
 * camera's plane shears and squeezes is undone by a depth that changes with this slope, whose movement is along the
 * parallax: two equations per source, solved by least squares.
 *
 * @param epipoles - Of the sources.
 */
export function facingSlope(
  camera: CameraMotion,
  frame: number,
  around: Around,
  epipoles: ReadonlyMap<number, Epipole>,
): Slope {
  const { half, cx, cy } = unitSpace(camera.data.width, camera.data.height);
  const reach = around.scale / 2;
  const centre = [around.cx, around.cy];
  let [u, v, all] = [0, 0, 0];
  for (const [source, e] of epipoles) {
    const from = Float64Array.of(...centre, centre[0] + reach, centre[1], centre[0], centre[1] + reach);
    const at = from.slice();
    camera.map(frame, source, at);
    const scales = scalesOf(camera, frame, source, from);
    const unit = (places: Float64Array, k: number): [number, number] => [
      (places[2 * k] - cx) / half,
      (places[2 * k + 1] - cy) / half,
    ];
    const [centred, right, below] = [0, 1, 2].map((k) => putRight(e, ...unit(from, k), ...unit(at, k), scales[k]));
    const [x, y, w] = centred;
    // Depths are small: what a depth of 1 would do says nothing about them.
    const [dx, dy] = [(e[0] - e[2] * x) / w, (e[1] - e[2] * y) / w];
    // Movement of a place beside the centre, per unit of local coordinates, in units of the frame.
    const [xu, yu, xv, yv] = [right[0] - x, right[1] - y, below[0] - x, below[1] - y].map((d) => 2 * d);
    const [squeezed, sheared] = [xu - yv, xv + yu];
    u -= dx * squeezed + dy * sheared;
    v -= dx * sheared - dy * squeezed;
    all += dx * dx + dy * dy;
  }
  return all === 0 ? [0, 0] : [u / all, v / all];
}
