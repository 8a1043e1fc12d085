import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, mooringPost, reeds, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
const POSTS = [-2.2, -0.5, 1.2, 2.9, 4.6];

/**
 * Walking past sideways: somebody goes between a row of posts and a wall, beside which one sees far. Five depths, none of which fills
 * most of the picture; parallax of half the picture's width.
 */
export const quay: Shot = {
  name: 'quay',
  frames: 125,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.012, shutter: 1 / 100 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '19', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [51, 52, 53, 54, 55].map(handUnrest);
    const post = mooringPost(renderer, 220, 1500);
    const behind = [
      still(skyWithMill(renderer, 4000, 1600, 1100), upright(3, 60, 120, 34)),
      still(cobbles(renderer, 3600, 2200), flat(2, 6, 16, 9, 0)),
      still(wallWithDoor(renderer, 3000, 2000), upright(-1.6, 9, 5.5, 3.6)),
      still(reeds(renderer, 1400, 300, 467, 0.9), upright(4.5, 8.5, 6, 1)),
    ];
    const before = POSTS.map((x) => still(post, upright(x, 4.4, 0.22, 1.7)));
    const walk = {
      ...{ x: 3.4, z: 5.6, speed: -0.75, height: 1.72, seed: 0.9 },
      clothes: {
        coat: [0.2, 0.3, 0.6],
        trousers: [0.25, 0.2, 0.18],
        skin: [0.78, 0.58, 0.47],
        hair: [0.2, 0.14, 0.1],
        shoes: [0.1, 0.1, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 360, 0.45);
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [-1 + 0.55 * t + 0.015 * unrest[3](t), 1.55 + 0.015 * unrest[4](t), 0],
        yaw: 0.05 + 0.01 * unrest[0](t),
        pitch: -0.05 + 0.01 * unrest[1](t),
        roll: 0.005 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        return [...behind, { kind: 'gone', layer: shadow }, { kind: 'gone', layer: body, body: 'walker' }, ...before];
      },
    };
  },
};
