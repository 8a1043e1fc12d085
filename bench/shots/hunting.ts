import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, paintedSign, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.4, -0.8, -0.3] as const;
/** Lamps on the mains beat with the rows' times: bands that wander over the picture. */
const BANDS = 1.6;
const BEAT = 1.7;
const FLICKER = 0.1;

/** A telephone in the evening: it zooms in by half, looks for its focus twice while somebody passes, and lamps flicker in bands. */
export const hunting: Shot = {
  name: 'hunting',
  frames: 110,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 900, k1: 0.015, readout: 0.014, shutter: 1 / 60 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '21', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [101, 102, 103, 104, 105].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(cobbles(renderer, 4400, 2400), flat(0, 9, 22, 12, 0)),
      still(granaryWall(renderer, 3600, 1200), upright(0, 12, 12, 5)),
      still(paintedSign(renderer, 640, 420), upright(1.6, 11.95, 1.6, 1.05)),
    ];
    const walker = new Walker(
      renderer,
      {
        x: -3.4,
        z: 7.5,
        speed: 1.5,
        height: 1.76,
        seed: 0.9,
        clothes: {
          coat: [0.5, 0.18, 0.2],
          trousers: [0.2, 0.2, 0.25],
          skin: [0.78, 0.58, 0.47],
          hair: [0.14, 0.1, 0.08],
          shoes: [0.12, 0.11, 0.1],
        },
      },
      SUN,
    );
    const lamps = renderer.texture(8, 256);
    return {
      sensor: { vignette: 0.18, read: 2.6, shot: 0.12 },
      pose: (t) => ({
        position: [0.012 * unrest[3](t), 1.6 + 0.01 * unrest[4](t), 0],
        yaw: 0.012 * unrest[0](t),
        pitch: -0.03 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
        zoom: 1 + 0.5 * ease((t - 1.6) / 1.8),
      }),
      defocus: (t) => 2.6 * hump((t - 1.1) / 0.45) + 1.7 * hump((t - 3.1) / 0.6),
      things: (t) => {
        renderer.paint(lamps, (_x, y, out) => {
          const light = 1 - FLICKER * (0.5 + 0.5 * Math.sin(2 * Math.PI * (BANDS * (y / 256) * 2 + BEAT * t)));
          out.set([light, light * 0.99, light * 0.95, 1]);
        });
        const { body, shadow } = walker.at(t);
        const veil: Thing = {
          kind: 'light',
          layer: {
            texture: lamps,
            multiply: true,
            plane: { origin: [-2, 2.6, 1], across: [4, 0, 0], down: [0, -2, 0] },
          },
        };
        return [...world, { kind: 'gone', layer: shadow }, { kind: 'gone', layer: body, body: 'walker' }, veil];
      },
    };
  },
};

const ease = (x: number): number => {
  const t = Math.min(1, Math.max(0, x));
  return t * t * (3 - 2 * t);
};
const hump = (x: number): number => Math.exp(-x * x);
