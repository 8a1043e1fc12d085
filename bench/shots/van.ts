import { handUnrest } from '../../demo/camera.ts';
import { flat, upright } from '../../demo/figure.ts';
import { fractal, noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot } from '../../demo/shot.ts';
import { cobbles, granaryWall, mooringPost, paintedSign, reeds, skyWithMill } from '../../demo/surfaces.ts';

const LENGTH = 5.2;
const HEIGHT = 2.3;
const ROAD_Z = 4.8;
const WHEELS = [0.17, 0.8];

/**
 * A van drives through between somebody who films by hand and the houses: for a second it hides most of what there is to follow the
 * camera by, and it takes its shadow along.
 */
export const van: Shot = {
  name: 'van',
  frames: 100,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 960, k1: 0.012, readout: 0.014, shutter: 1 / 90 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [191, 192, 193, 194, 195].map(handUnrest);
    const wall = granaryWall(renderer, 3600, 800);
    const world = [
      still(skyWithMill(renderer, 4000, 1600, 1100), upright(0, 70, 150, 42)),
      still(cobbles(renderer, 4800, 3000), flat(0, 7, 30, 16, 0)),
      ...[-6.2, 2.2].map((x) => still(wall, upright(x, 11, 7.2, 3.2))),
      still(paintedSign(renderer, 900, 600), upright(1.2, 10.9, 1.1, 1.7)),
      ...[-2.6, 4.4].map((x, i) => still(reeds(renderer, 700, 300, 1013 + i, 0.9), upright(x, 10.2, 1.6, 1.1))),
      ...[-3.1, -0.9, 1.6, 3.4].map((x) => still(mooringPost(renderer, 130, 800), upright(x, 8.3, 0.12, 1))),
    ];
    const side = vanSide(renderer);
    const shadow = vanShadow(renderer);
    return {
      sensor: { vignette: 0.1, read: 1.5, shot: 0.05 },
      pose: (t) => ({
        position: [0.02 * unrest[3](t), 1.5 + 0.015 * unrest[4](t), 0],
        yaw: 0.02 * t + 0.02 * unrest[0](t),
        pitch: -0.03 + 0.014 * unrest[1](t),
        roll: 0.008 * unrest[2](t),
      }),
      things: (t) => {
        const x = -6.4 + 3.4 * t;
        return [
          ...world,
          { kind: 'gone', layer: { texture: shadow, plane: flat(x + 0.3, ROAD_Z + 0.5, LENGTH + 0.8, 2.6, 0.01) } },
          { kind: 'gone', layer: { texture: side, plane: upright(x, ROAD_Z, LENGTH / 2, HEIGHT) }, body: 'van' },
        ];
      },
    };
  },
};

function vanSide(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(1040, 460), (x, y, out) => {
    const [u, v] = [x / 1040, y / 460];
    const wheel = Math.min(...WHEELS.map((at) => Math.hypot((u - at) * LENGTH, (v - 0.86) * HEIGHT))) / 0.31;
    const nose = u > 0.8 ? 0.42 * ((u - 0.8) / 0.2) ** 1.5 : 0;
    const body = v > 0.02 + nose && v < 0.88 && u > 0.01 && u < 0.99;
    if (wheel < 1) {
      const light = wheel > 0.62 ? 0.09 : 0.4 + 0.12 * noise(x / 6, y / 6, 1021);
      return void out.set([light, light, light, smoothstep(1, 0.97, wheel)]);
    }
    if (!body) return void out.fill(0);
    const window = v > 0.14 + nose && v < 0.4 && u > 0.7 && u < 0.93;
    const band = Math.abs(v - 0.6) < 0.025 ? 0.7 : 1;
    const door = Math.abs(u - 0.45) < 0.002 || Math.abs(u - 0.68) < 0.002 ? 0.55 : 1;
    const dirt = 0.85 + 0.2 * fractal(x / 60, y / 25, 4, 1031) - 0.25 * smoothstep(0.7, 0.9, v);
    const light = window ? 0.16 + 0.25 * smoothstep(0.3, 0.7, noise(x / 40, y / 90, 1033)) : 0.75 * dirt * band * door;
    out.set(window ? [light, 1.1 * light, 1.2 * light, 1] : [0.55 * light, 0.8 * light, light, 1]);
  });
}

function vanShadow(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(512, 128), (x, y, out) => {
    const [u, v] = [Math.abs(x / 256 - 1), Math.abs(y / 64 - 1)];
    const a = 0.6 * smoothstep(0.98, 0.86, u) * smoothstep(0.98, 0.7, v);
    out.set([0.01 * a, 0.02 * a, 0.04 * a, a]);
  });
}
