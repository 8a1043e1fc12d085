import { handUnrest } from '../camera.ts';
import { flat, upright } from '../figure.ts';
import { smoothstep } from '../noise.ts';
import { cobbles, granaryWall, mooringPost, paintedSign, rainPipe } from '../surfaces.ts';
import type { Shot, Thing } from '../shot.ts';

/** Handheld, walking past sideways: a sign and a rain pipe go from a brick wall, which a near post crosses. */
export const granary: Shot = {
  name: 'granary',
  frames: 125,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1920, height: 1080, focal: 1450, k1: 0.014, readout: 0, shutter: 1 / 80 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '17', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [11, 12, 13, 14, 15].map(handUnrest);
    const shade = renderer.paint(renderer.texture(256, 128), (x, y, out) => {
      const edge = Math.min(x, 255 - x, y, 127 - y);
      out.set([0, 0, 0, 0.5 * smoothstep(0, 22, edge)]);
    });
    const wall: Thing[] = [
      { kind: 'still', layer: { texture: granaryWall(renderer, 4800, 2000), plane: upright(0.6, 7, 6.6, 5.2) } },
      { kind: 'still', layer: { texture: cobbles(renderer, 3600, 1300), plane: flat(0.6, 5, 13.2, 4, 0) } },
    ];
    const sign = { origin: [-0.85, 2.75, 6.97], across: [1.9, 0, 0], down: [0, -0.95, 0] } as const;
    const gone: Thing[] = [
      {
        kind: 'gone',
        layer: { texture: shade, plane: { origin: [-0.79, 2.7, 6.99], across: [1.95, 0, 0], down: [0, -1, 0] } },
      },
      { kind: 'gone', layer: { texture: paintedSign(renderer, 1200, 600), plane: sign } },
      { kind: 'gone', layer: { texture: rainPipe(renderer, 96, 2200), plane: upright(2.05, 6.93, 0.09, 4.6) } },
    ];
    const post: Thing = {
      kind: 'still',
      layer: { texture: mooringPost(renderer, 220, 1500), plane: upright(0.42, 2.6, 0.17, 1.9) },
    };
    return {
      sensor: { vignette: 0.15, read: 1.5, shot: 0.05 },
      pose: (t) => ({
        position: [-0.75 + 0.3 * t + 0.012 * unrest[3](t), 1.6 + 0.012 * unrest[4](t), 0],
        yaw: 0.03 + 0.009 * unrest[0](t) - 0.008 * t,
        pitch: 0.01 + 0.008 * unrest[1](t),
        roll: 0.004 * unrest[2](t),
      }),
      things: () => [...wall, ...gone, post],
    };
  },
};
