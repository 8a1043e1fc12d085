import { handUnrest } from '../../demo/camera.ts';
import { cyclistLimbs, flat, paintLimbs, paintShadow, upright, type Clothes } from '../../demo/figure.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, granaryWall, reeds, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
const SPEED = 5;
const DEPTH = 8;
const CLOTHES: Clothes = {
  coat: [0.72, 0.3, 0.16],
  trousers: [0.2, 0.22, 0.3],
  skin: [0.78, 0.58, 0.47],
  hair: [0.14, 0.1, 0.08],
  shoes: [0.12, 0.11, 0.1],
};
const where = (t: number): number => -9 + SPEED * t;

/**
 * A camera in the hand turns with a cyclist who passes: the cyclist hardly leaves the middle of the picture, and everything else goes by,
 * blurred by up to thirteen px, in view for a second.
 */
export const follow: Shot = {
  name: 'follow',
  frames: 90,
  rate: 25,
  subframes: 9,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.012, shutter: 1 / 50 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [91, 92, 93, 94, 95].map(handUnrest);
    const wall = granaryWall(renderer, 3600, 800);
    const ground = cobbles(renderer, 5600, 2000);
    const world = [
      still(skyWithMill(renderer, 4000, 1600, 1100), upright(3, 90, 190, 53)),
      still(ground, flat(0, 60, 300, 110, -0.02)),
      still(ground, flat(0, 9, 56, 18, 0)),
      ...[-22, -7.6, 7.6, 22].map((x) => still(wall, upright(x, 15, 7.1, 3.2))),
      ...[-9, -2, 5, 10].map((x, i) =>
        still(reeds(renderer, 700, 300, 811 + i, 0.9), upright(x, 13.6 - 0.2 * i, 1.4, 1.1)),
      ),
    ];
    const [body, shadow] = [renderer.texture(440, 385), renderer.texture(400, 160)];
    return {
      sensor: { vignette: 0.12, read: 1.6, shot: 0.06 },
      pose: (t) => ({
        position: [0.02 * unrest[3](t), 1.6 + 0.015 * unrest[4](t), 0],
        yaw: Math.atan2(where(t) + 0.3 * Math.sin(1.7 * t), DEPTH) + 0.012 * unrest[0](t),
        pitch: -0.06 + 0.012 * unrest[1](t),
        roll: 0.01 * unrest[2](t),
      }),
      things: (t) => {
        const x = where(t);
        const limbs = cyclistLimbs(t, SPEED, CLOTHES);
        paintLimbs(renderer, body, limbs, 1.1, 1.925, SUN, 487);
        paintShadow(renderer, shadow, limbs, { width: 5, depth: 2.4 }, SUN, 0.5);
        return [
          ...world,
          { kind: 'gone', layer: { texture: shadow, plane: flat(x, DEPTH, 5, 2.4, 0.002) } },
          { kind: 'gone', layer: { texture: body, plane: upright(x, DEPTH, 1.1, 1.925) }, body: 'cyclist' },
        ];
      },
    };
  },
};
