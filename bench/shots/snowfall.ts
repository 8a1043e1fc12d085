import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { hash2, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, reeds, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.2, -0.95, -0.2] as const;
/** Side of a sheet of flakes, which goes on for ever, m. */
const SHEET = 2;
/** Flakes fall so fast, and are blown so fast to the side, m/s. */
const FALL = 1.3;
const DRIFT = 0.35;
const DEPTHS = [1.1, 1.7, 2.6, 4, 5.4, 7.5, 9.5];

/** Snow falls on a yard through which somebody goes: flakes pass before and behind, and nothing else moves. */
export const snowfall: Shot = {
  name: 'snowfall',
  frames: 100,
  rate: 25,
  subframes: 5,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.012, shutter: 1 / 60 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [141, 142, 143, 144, 145].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(cobbles(renderer, 4200, 2400), flat(0, 7.5, 18, 11, 0)),
      still(granaryWall(renderer, 3600, 800), upright(0, 12, 9, 3.2)),
      still(reeds(renderer, 900, 300, 881, 0.9), upright(-3.4, 10.5, 2.2, 0.9)),
    ];
    const sheets = DEPTHS.map((_, i) => flakes(renderer, 1024, 891 + i));
    const walk = {
      ...{ x: -2.6, z: 6.2, speed: 1.2, height: 1.72, seed: 2.9 },
      clothes: {
        coat: [0.2, 0.26, 0.4],
        trousers: [0.22, 0.2, 0.2],
        skin: [0.78, 0.58, 0.47],
        hair: [0.2, 0.14, 0.1],
        shoes: [0.16, 0.12, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 360, 0.15);
    const sheetAt = (i: number, t: number): Thing => {
      const sway = 0.08 * Math.sin(1.3 * t + 2 * i);
      const plane = {
        origin: [0.37 * i + DRIFT * t + sway, 1.3 * i - FALL * t, DEPTHS[i]],
        across: [SHEET, 0, 0],
        down: [0, -SHEET, 0],
      } as const;
      return { kind: 'moves', layer: { texture: sheets[i], plane } };
    };
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [0.01 * unrest[3](t), 1.6 + 0.008 * unrest[4](t), 0],
        yaw: 0.012 * t + 0.01 * unrest[0](t),
        pitch: -0.1 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        const falling = DEPTHS.map((_, i) => sheetAt(i, t));
        const isBehind = (i: number): boolean => DEPTHS[i] > walk.z;
        return [
          ...world,
          ...falling.filter((_, i) => isBehind(i)).reverse(),
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
          ...falling.filter((_, i) => !isBehind(i)).reverse(),
        ];
      },
    };
  },
};

/** Flakes of 2 to 6 mm, soft, on nothing; what leaves the sheet on one side comes in on the other. */
function flakes(renderer: Renderer, size: number, seed: number): Texture {
  const texture = renderer.texture(size, size, true);
  const values = renderer.f32(texture.at, size * size * 4).fill(0);
  for (let n = 0; n < 260; n++) {
    const [cx, cy] = [hash2(n, 1, seed) * size, hash2(n, 2, seed) * size];
    const r = 0.5 * size * (0.001 + 0.002 * hash2(n, 3, seed) ** 2);
    for (let y = Math.floor(cy - 2 * r); y <= cy + 2 * r; y++) {
      for (let x = Math.floor(cx - 2 * r); x <= cx + 2 * r; x++) {
        const a = 0.9 * smoothstep(1.4 * r, 0.6 * r, Math.hypot(x - cx, y - cy));
        const i = (((y + size) % size) * size + ((x + size) % size)) * 4;
        if (a > values[i + 3]) values.set([0.92 * a, 0.93 * a, 0.95 * a, a], i);
      }
    }
  }
  renderer.refresh(texture);
  return texture;
}
