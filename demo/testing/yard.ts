import type { Plane, Pose } from '../camera.ts';
import { fractal } from '../noise.ts';
import type { Layer, Renderer } from '../renderer.ts';
import type { Scene, Shot, Thing } from '../shot.ts';

/** Px per metre on the wall, which stands ten metres away. */
export const PX_PER_METRE = 20;
/** What the camera goes to the right and the block that is to go, metres per second. */
export const CAMERA_SPEED = 0.5;
const BLOCK_SPEED = 3;
const RATE = 10;

/** A small made-up shot for tests: a camera passes a wall, before which one block goes its way that is to go, and one that stays. */
export function yard(change: Partial<Shot> = {}): Shot {
  return {
    name: 'yard',
    lens: { width: 192, height: 112, focal: 200, k1: 0, readout: 0, shutter: 0.01 },
    frames: 14,
    rate: RATE,
    subframes: 1,
    file: 'mkv',
    codec: ['-c:v', 'ffv1', '-pix_fmt', 'yuv420p'],
    build: (renderer) => sceneOf(renderer),
    ...change,
  };
}

function sceneOf(renderer: Renderer): Scene {
  const wall: Layer = {
    plane: { origin: [-6, 3, 10], across: [12, 0, 0], down: [0, -6, 0] },
    texture: renderer.paint(renderer.texture(256, 128), (x, y, out) => {
      const v = 0.25 + 0.5 * fractal(x / 7, y / 6, 3, 5);
      out.set([v, 0.9 * v, 0.8 * v, 1]);
    }),
  };
  const red = renderer.paint(renderer.texture(16, 16), (_x, _y, out) => out.set([0.7, 0.1, 0.1, 1]));
  const blue = renderer.paint(renderer.texture(16, 16), (_x, _y, out) => out.set([0.1, 0.2, 0.8, 1]));
  const metre = (x: number, y: number): Plane => ({ origin: [x, y, 10], across: [1, 0, 0], down: [0, -1, 0] });
  return {
    sensor: { vignette: 0, read: 2, shot: 0 },
    pose: (time): Pose => ({ position: [CAMERA_SPEED * time, 0, 0], yaw: 0, pitch: 0, roll: 0 }),
    things: (time): Thing[] => [
      { kind: 'still', layer: wall },
      { kind: 'gone', body: 'block', layer: { plane: metre(-2 + BLOCK_SPEED * time, 1.5), texture: red } },
      { kind: 'moves', body: 'other', layer: { plane: metre(3 - BLOCK_SPEED * time, -1), texture: blue } },
    ],
  };
}

/** Column of the middle of the block that is to go, px. */
export const blockAt = (frame: number): number =>
  95.5 + PX_PER_METRE * (-1.5 + ((BLOCK_SPEED - CAMERA_SPEED) * frame) / RATE);
/** Row of its middle, px. */
export const BLOCK_ROW = 55.5 - PX_PER_METRE;
