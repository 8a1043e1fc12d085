import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import type { Layer } from '../../demo/renderer.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, fenland, granaryWall, mooringPost, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
const PACE = 1.25;

/** A layer moved along the lane. */
const further = ({ texture, plane }: Layer, dx: number, dz: number): Layer => ({
  texture,
  plane: { ...plane, origin: [plane.origin[0] + dx, plane.origin[1], plane.origin[2] + dz] },
});

/** Where somebody is after a time: metres to the right, and ahead of where the camera began. */
type Way = (time: number) => { x: number; z: number };

/** Walking along a lane between two walls, seen from the front: the picture grows, and nothing faces the camera but what is far. */
const lane = (name: string, way: Way): Shot => ({
  name,
  frames: 125,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 900, k1: 0.01, readout: 0.012, shutter: 1 / 100 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '19', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [61, 62, 63, 64, 65].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 70, 120, 34)),
      still(fenland(renderer, 1024), flat(3, 48, 120, 48, -0.02)),
      still(cobbles(renderer, 2200, 4400), flat(0, 10, 6, 30, 0)),
      still(wallWithDoor(renderer, 3600, 1500), { origin: [-2, 3.4, -2], across: [0, 0, 20], down: [0, -3.4, 0] }),
      still(granaryWall(renderer, 3600, 1500), { origin: [2.4, 3, 22], across: [0, 0, -24], down: [0, -3, 0] }),
      ...[17, 11].map((z) => still(mooringPost(renderer, 220, 1500), upright(1.6, z, 0.15, 1.2))),
    ];
    const walk = {
      ...{ x: 0, z: 0, speed: PACE, height: 1.75, seed: 0.7 },
      clothes: {
        coat: [0.55, 0.2, 0.16],
        trousers: [0.2, 0.2, 0.24],
        skin: [0.78, 0.58, 0.47],
        hair: [0.2, 0.14, 0.1],
        shoes: [0.1, 0.1, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 360, 0.45);
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [0.1 * unrest[3](t), 1.6 + 0.02 * unrest[4](t) + 0.012 * Math.sin(11 * t), PACE * t],
        yaw: 0.02 + 0.012 * unrest[0](t),
        pitch: -0.08 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        const { x, z } = way(t);
        return [
          ...world,
          { kind: 'gone', layer: further(shadow, x - PACE * t, z) },
          { kind: 'gone', layer: further(body, x - PACE * t, z), body: 'walker' },
        ];
      },
    };
  },
});

/** Somebody comes towards the camera, on the left. */
export const laneComing = lane('lane-coming', (t) => ({ x: -0.9 - 0.05 * t, z: 15 - 1.15 * t }));

/** Somebody walks ahead, and crosses the lane slowly. */
export const laneAhead = lane('lane-ahead', (t) => ({ x: -0.7 + 0.25 * t, z: 5 + (PACE + 0.05) * t }));
