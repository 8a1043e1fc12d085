import type { StretchDepth } from '../depth/depthPlaces.ts';
import { epipoleOn } from '../depth/epipole.ts';
import { identity3 } from '../geometry/homography.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';

const [WIDTH, HEIGHT, SIDE] = [480, 320, 16];

/** A camera that says that nothing moves. */
export const stillCamera = {
  data: { tripod: false, width: WIDTH, height: HEIGHT },
  map: () => undefined,
  plane: () => identity3(),
  sameScene: () => true,
} as unknown as CameraMotion;

/**
 * A stretch of a picture of 480x320 px, all tiles of which lie on one surface: frame t sees it `depth`·(t − key) px to the right of where
 * the key does.
 */
export function evenStretch(key: number, depth: number, known = [0, 1, 2, 3, 4, 8, 9]): StretchDepth {
  const [cols, rows] = [WIDTH / SIDE, HEIGHT / SIDE];
  const hole = { x: 0, y: 0, width: WIDTH, height: HEIGHT };
  const around = { hole, cx: WIDTH / 2, cy: HEIGHT / 2, scale: WIDTH / 2 };
  return {
    frame: key,
    rect: hole,
    cols,
    rows,
    tiles: new Uint8Array(cols * rows).fill(1),
    surfaces: [{ around, surface: Float64Array.of(depth / (WIDTH / 2), 0, 0) }],
    nearer: 0,
    epipoles: new Map(known.filter((t) => t !== key).map((t) => [t, epipoleOn(t - key, 0, 0)])),
  };
}
