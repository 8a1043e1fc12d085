import type { CameraMotion } from '../motion/cameraMotion.ts';
import { unitSpace } from '../motion/space.ts';
import { scalesOf, type Around } from './depthPlaces.ts';
import { correctionAt, parallaxOf, type Epipole } from './epipole.ts';
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
    for (let k = 0; k < at.length; k += 2) {
      const [ox, oy] = correctionAt(e, (from[k] - cx) / half, (from[k + 1] - cy) / half);
      at[k] += ox * half;
      at[k + 1] += oy * half;
    }
    const [x, y] = [(at[0] - cx) / half, (at[1] - cy) / half];
    const [dx, dy] = parallaxOf(e, x, y, scalesOf(camera, frame, source, centre)[0], 1);
    // Movement of a place beside the centre, per unit of local coordinates, in units of the frame.
    const [xu, yu, xv, yv] = [2, 3, 4, 5].map((k) => (2 * (at[k] - at[k % 2])) / half);
    const [squeezed, sheared] = [xu - yv, xv + yu];
    u -= dx * squeezed + dy * sheared;
    v -= dx * sheared - dy * squeezed;
    all += dx * dx + dy * dy;
  }
  return all === 0 ? [0, 0] : [u / all, v / all];
}
