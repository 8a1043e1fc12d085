import type { Shot } from '../../demo/shot.ts';
import { follow } from './follow.ts';

/** An engine's shaking: turns a second, and by how much the camera turns, radians (one and a half px). */
const TURNS = 83;
const [ACROSS, DOWN] = [0.0016, 0.0008];

/**
 * A camera on a handlebar turns with the cyclist, and an engine shakes it faster than its sensor is read: every row of a frame lies elsewhere.
 */
export const buzz: Shot = {
  ...follow,
  name: 'buzz',
  subframes: 2,
  lens: { ...follow.lens, readout: 0.022, shutter: 1 / 400 },
  build(renderer) {
    const scene = follow.build(renderer);
    return {
      ...scene,
      pose: (t) => {
        const pose = scene.pose(t);
        const turned = 2 * Math.PI * TURNS * t;
        return { ...pose, yaw: pose.yaw + ACROSS * Math.sin(turned), pitch: pose.pitch + DOWN * Math.sin(turned + 1) };
      },
    };
  },
};
