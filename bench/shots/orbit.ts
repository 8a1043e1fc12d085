import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright, Walker, type Walk } from '../../demo/figure.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, granaryWall, mooringPost, paintedSign, reeds, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
/** Around whom the camera goes, and at which distance, m. */
const MIDDLE = { x: 0, z: 4.6 };
const RADIUS = 4.2;

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

/** An upright plane that faced the camera before that went around by an angle, and does again. */
function turned({ origin: [x, y, z], across: [width], down }: Plane, by: number): Plane {
  const [right, ahead] = [width * Math.cos(by), width * Math.sin(by)];
  return { origin: [x + (width - right) / 2, y, z - ahead / 2], across: [right, 0, ahead], down };
}

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
    const person = new Walker(renderer, STANDING, SUN, 420, 0.5);
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
        // Hardly a step to and fro: the arms stir.
        const { body, shadow } = person.at(0.04 * Math.sin(1.4 * t));
        const facing = { texture: body.texture, plane: turned(body.plane, angle(t)) };
        return [...world, { kind: 'gone', layer: shadow }, { kind: 'gone', layer: facing, body: 'standing' }];
      },
    };
  },
};
