import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { fractal, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, reeds, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;

/**
 * A path under trees: the sun falls through leaves that stir in the wind, so that spots of light wander over the ground
 * on which somebody goes by. The ground is still, its light is not.
 */
export const dapple: Shot = {
  name: 'dapple',
  frames: 125,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.012, shutter: 1 / 100 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [101, 102, 103, 104, 105].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(cobbles(renderer, 4200, 2400), flat(0, 7.5, 18, 11, 0)),
    ];
    const behind = [
      still(granaryWall(renderer, 3600, 800), upright(0, 12, 9, 3.2)),
      still(reeds(renderer, 900, 300, 821, 0.9), upright(-3.4, 10.5, 2.2, 0.9)),
    ];
    const leaves = [831, 839].map((seed) => shade(renderer, 1800, 3000, seed));
    const walk = {
      ...{ x: 2.9, z: 6.2, speed: -1.2, height: 1.72, seed: 1.9 },
      clothes: {
        coat: [0.24, 0.3, 0.5],
        trousers: [0.3, 0.27, 0.22],
        skin: [0.78, 0.58, 0.47],
        hair: [0.2, 0.14, 0.1],
        shoes: [0.16, 0.12, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 360, 0.45);
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [0.01 * unrest[3](t), 1.6 + 0.008 * unrest[4](t), 0],
        yaw: 0.01 * t + 0.012 * unrest[0](t),
        pitch: -0.12 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        const light = leaves.map((texture, i): Thing => {
          const stir = (a: number): number =>
            0.16 * Math.sin((1.1 + 0.7 * a) * t + 2 * i + a) + 0.05 * Math.sin(5.3 * t + i + 3 * a);
          const plane = flat(stir(0) + 0.1 * i, 20 + stir(1), 40, 40, 0.004 + 0.001 * i);
          return { kind: 'light', layer: { texture, multiply: true, plane } };
        });
        return [
          ...world,
          ...light,
          ...behind,
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
        ];
      },
    };
  },
};

/** What leaves let through of the sun: round spots, soft at their edges. */
function shade(renderer: Renderer, width: number, height: number, seed: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const lit = smoothstep(0.44, 0.58, fractal(x / 26, y / 30, 3, seed));
    const v = 0.62 + 0.38 * lit;
    out.set([v, v, 0.06 + v * 0.94, 1]);
  });
}
