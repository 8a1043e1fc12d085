import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, paintLimbs, paintShadow, upright, walkerLimbs, type Walk } from '../../demo/figure.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, granaryWall, mooringPost, paintedSign, reeds, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
/** Around whom the camera goes, at which distance, m. */
const MIDDLE = { x: 0, z: 4.6 };
const RADIUS = 4.2;

/** Half width and height of the plane in which somebody is painted, m. */
const HALF_WIDTH = 0.8;
const HEIGHT = 2.1;

const STANDING: Walk = {
  ...{ x: MIDDLE.x, z: MIDDLE.z, speed: 1, height: 1.74, seed: 2.6 },
  clothes: {
    coat: [0.62, 0.24, 0.2],
    trousers: [0.16, 0.18, 0.26],
    skin: [0.78, 0.58, 0.47],
    hair: [0.2, 0.14, 0.1],
    shoes: [0.16, 0.12, 0.1],
  },
};

/** An upright wall along z, at an x. */
const along = (x: number, z: number, length: number, height: number): Plane => ({
  origin: [x, height, z + length / 2],
  across: [0, 0, -length],
  down: [0, -height, 0],
});

const angle = (t: number): number => -0.45 + 0.24 * t;

/**
 * A camera goes around somebody who stands and looks about: what is to go stays in the middle of the picture, and the background goes
 * by behind it, the nearer the slower. The ground at the feet, and under the shadow, is never seen.
 */
export const orbit: Shot = {
  name: 'orbit',
  frames: 96,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 860, k1: 0.01, readout: 0.012, shutter: 1 / 100 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [131, 132, 133, 134, 135].map(handUnrest);
    const wall = granaryWall(renderer, 3600, 800);
    const post = mooringPost(renderer, 130, 800);
    const world = [
      still(skyWithMill(renderer, 4000, 1600, 1100), upright(0, 90, 190, 53)),
      still(cobbles(renderer, 4800, 4000), flat(0, 6, 30, 20, 0)),
      still(wall, along(-9.5, 8, 14.4, 3.2)),
      still(wall, along(9.5, 8, -14.4, 3.2)),
      ...[-10.8, 3.6].map((x) => still(wall, upright(x, 12, 7.2, 3.2))),
      still(paintedSign(renderer, 900, 600), upright(1.4, 11.9, 1.1, 1.5)),
      ...[-4.2, -1.2, 4.6].map((x, i) =>
        still(reeds(renderer, 700, 300, 861 + i, 0.9), upright(x, 11.2 - 0.4 * i, 1.4, 1.1)),
      ),
      ...[-2.1, 0.9, 2.7].map((x, i) => still(post, upright(x, 8.4 - 0.5 * i, 0.09, 1.2))),
    ];
    const [body, shadow] = [renderer.texture(420, 551), renderer.texture(440, 260)];
    return {
      sensor: { vignette: 0.1, read: 1.5, shot: 0.05 },
      pose: (t) => ({
        position: [
          MIDDLE.x + RADIUS * Math.sin(angle(t)) + 0.015 * unrest[3](t),
          1.5 + 0.02 * unrest[4](t),
          MIDDLE.z - RADIUS * Math.cos(angle(t)),
        ],
        yaw: -angle(t) + 0.014 * unrest[0](t),
        pitch: -0.1 + 0.012 * unrest[1](t),
        roll: 0.01 * unrest[2](t),
      }),
      things: (t) => {
        const limbs = walkerLimbs(STANDING, 0.04 * Math.sin(1.4 * t));
        paintLimbs(renderer, body, limbs, HALF_WIDTH, HEIGHT, SUN, 873);
        paintShadow(renderer, shadow, limbs, { width: 4.4, depth: 2.6 }, SUN, 0.5);
        const [right, ahead] = [Math.cos(angle(t)), Math.sin(angle(t))];
        const facing: Plane = {
          origin: [MIDDLE.x - HALF_WIDTH * right, HEIGHT, MIDDLE.z - HALF_WIDTH * ahead],
          across: [2 * HALF_WIDTH * right, 0, 2 * HALF_WIDTH * ahead],
          down: [0, -HEIGHT, 0],
        };
        return [
          ...world,
          { kind: 'gone', layer: { texture: shadow, plane: flat(MIDDLE.x, MIDDLE.z, 4.4, 2.6, 0.002) } },
          { kind: 'gone', layer: { texture: body, plane: facing }, body: 'standing' },
        ];
      },
    };
  },
};
