import { handUnrest } from '../camera.ts';
import { flat, upright, Walker } from '../figure.ts';
import { marshWithBoards, reeds, skyWithMill } from '../surfaces.ts';
import type { Thing, Shot } from '../shot.ts';

const SUN = [0.5, -0.8, -0.3] as const;

/** Handheld: a walker with a cast shadow goes away; a second walker, who crosses in front, stays. */
export const boardwalk: Shot = {
  name: 'boardwalk',
  frames: 125,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1920, height: 1080, focal: 1500, k1: 0.012, readout: 0, shutter: 1 / 60 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '17', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [1, 2, 3, 4, 5].map(handUnrest);
    const ground = marshWithBoards(renderer, 4096, 2048, [1365, 1625], 32);
    const world: Thing[] = [
      { kind: 'still', layer: { texture: skyWithMill(renderer, 2048, 720, 560), plane: upright(0, 200, 190, 133.6) } },
      { kind: 'still', layer: { texture: reeds(renderer, 3200, 360, 301, 0.85), plane: upright(0, 15.9, 13, 2.3) } },
      { kind: 'still', layer: { texture: ground, plane: flat(0, 9.5, 18, 12.8, 0) } },
      { kind: 'still', layer: { texture: reeds(renderer, 2600, 330, 307, 1), plane: upright(1, 11.6, 9, 1.35) } },
    ];
    // The sky's lower edge is the horizon: it is lowered to the eye's height.
    world[0].layer.plane = { origin: [-190, 105.5, 200], across: [380, 0, 0], down: [0, -133.6, 0] };
    const walker = new Walker(
      renderer,
      {
        x: -3.3,
        z: 6.75,
        speed: 1.32,
        height: 1.78,
        seed: 1.3,
        clothes: {
          coat: [0.62, 0.16, 0.14],
          trousers: [0.2, 0.24, 0.34],
          skin: [0.8, 0.6, 0.5],
          hair: [0.25, 0.17, 0.1],
          shoes: [0.2, 0.15, 0.1],
        },
      },
      SUN,
    );
    const other = new Walker(
      renderer,
      {
        x: 4.5,
        z: 6.25,
        speed: -1.18,
        height: 1.66,
        seed: 4.1,
        clothes: {
          coat: [0.25, 0.42, 0.55],
          trousers: [0.45, 0.4, 0.32],
          skin: [0.72, 0.5, 0.4],
          hair: [0.1, 0.08, 0.07],
          shoes: [0.6, 0.58, 0.55],
        },
      },
      SUN,
    );
    return {
      sensor: { vignette: 0.16, read: 1.6, shot: 0.055 },
      pose: (t) => ({
        position: [0.004 * unrest[3](t), 1.55 + 0.004 * unrest[4](t), 0],
        yaw: 0.011 * unrest[0](t),
        pitch: -0.075 + 0.009 * unrest[1](t),
        roll: 0.005 * unrest[2](t),
      }),
      things: (t) => {
        const [a, b] = [walker.at(t), other.at(t)];
        return [
          ...world,
          { kind: 'gone', layer: a.shadow },
          { kind: 'moves', layer: b.shadow },
          { kind: 'gone', layer: a.body, body: 'walker' },
          { kind: 'moves', layer: b.body, body: 'other walker' },
        ];
      },
    };
  },
};
