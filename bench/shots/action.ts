import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, fenland, granaryWall, mooringPost, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;

/**
 * A small camera on somebody's chest: a lens as wide as such cameras have, in which no straight line is straight, and a body that sways
 * while it turns to look after people who walk by. One of them goes away, the other stays.
 */
export const action: Shot = {
  name: 'action',
  frames: 110,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 560, k1: 0.24, readout: 0.018, shutter: 1 / 120 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '23', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [621, 622, 623, 624, 625].map(handUnrest);
    const post = mooringPost(renderer, 160, 700);
    const world = [
      still(skyWithMill(renderer, 4200, 2000, 1760), upright(0, 90, 330, 110)),
      still(fenland(renderer, 2048), flat(0, 45, 440, 90, -0.02)),
      still(cobbles(renderer, 6600, 3600), flat(0, 11, 26, 22, 0)),
      still(granaryWall(renderer, 3600, 1100), upright(-9.5, 13, 8, 3.8)),
      still(wallWithDoor(renderer, 3600, 1100), upright(7.5, 15, 8, 4.4)),
      ...[-5.5, -1.8, 2.1, 6].map((x) => still(post, upright(x, 8.5, 0.16, 1.1))),
    ];
    const clothes = {
      skin: [0.78, 0.58, 0.47],
      hair: [0.2, 0.14, 0.1],
      shoes: [0.12, 0.11, 0.1],
    } as const;
    const gone = new Walker(
      renderer,
      {
        ...{ x: -3.4, z: 4.6, speed: 1.35, height: 1.76, seed: 0.3 },
        clothes: { ...clothes, coat: [0.6, 0.2, 0.16], trousers: [0.2, 0.22, 0.3] },
      },
      SUN,
      420,
      0.45,
    );
    const stays = new Walker(
      renderer,
      {
        ...{ x: 4.6, z: 7, speed: -1.2, height: 1.68, seed: 1.1 },
        clothes: { ...clothes, coat: [0.2, 0.34, 0.5], trousers: [0.35, 0.32, 0.28] },
      },
      SUN,
      360,
      0.45,
    );
    return {
      sensor: { vignette: 0.22, read: 2, shot: 0.06 },
      pose: (t) => ({
        position: [0.03 * unrest[3](t), 1.35 + 0.025 * unrest[4](t), 0.1 * t],
        yaw: -0.28 + 0.13 * t + 0.035 * unrest[0](t),
        pitch: -0.12 + 0.03 * unrest[1](t),
        roll: 0.03 * unrest[2](t),
      }),
      things: (t) => {
        const [walker, other] = [gone.at(t), stays.at(t)];
        return [
          ...world,
          { kind: 'moves', layer: other.shadow },
          { kind: 'moves', layer: other.body, body: 'passer-by' },
          { kind: 'gone', layer: walker.shadow },
          { kind: 'gone', layer: walker.body, body: 'walker' },
        ];
      },
    };
  },
};
