import { handUnrest } from '../camera.ts';
import { cyclistLimbs, flat, paintLimbs, paintShadow, upright } from '../figure.ts';
import { hash2 } from '../noise.ts';
import { cobbles, reeds, wallWithDoor } from '../surfaces.ts';
import type { Shot, Thing } from '../shot.ts';

const SUN = [-0.4, -0.85, -0.25] as const;
const SPEED = 2.1;

/** Times as a phone writes them: about 30 frames a second, some late, some left out. */
const TIMES = Array.from({ length: 112 }, (_, n) => n).reduce<number[]>((times, n) => {
  const step = hash2(n, 5, 463) < 0.06 ? 0.0667 : 0.0333 + 0.004 * (hash2(n, 6, 463) - 0.5);
  times.push(n === 0 ? 0 : Math.round((times[n - 1] + step) * 90_000) / 90_000);
  return times;
}, []);

const CLOTHES = {
  coat: [0.85, 0.62, 0.16],
  trousers: [0.18, 0.2, 0.24],
  skin: [0.78, 0.58, 0.47],
  hair: [0.85, 0.86, 0.88],
  shoes: [0.85, 0.84, 0.8],
} as const;

/** Phone held upright (stored lying, turned by its flag), variable rate, rolling shutter: a cyclist goes away. */
export const phone: Shot = {
  name: 'phone',
  frames: TIMES.length,
  rate: 30,
  times: TIMES,
  rotation: 90,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 980, k1: 0.02, readout: 0.016, shutter: 1 / 120 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '18', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [31, 32, 33].map(handUnrest);
    const world: Thing[] = [
      { kind: 'still', layer: { texture: wallWithDoor(renderer, 4608, 2048), plane: upright(0.6, 8, 8, 7.1) } },
      { kind: 'still', layer: { texture: cobbles(renderer, 3400, 2200), plane: flat(0, 5, 11, 7, 0) } },
      { kind: 'still', layer: { texture: reeds(renderer, 1400, 300, 467, 0.9), plane: upright(-0.4, 7.6, 4.5, 1.1) } },
    ];
    const body = renderer.texture(640, 560);
    const shadow = renderer.texture(440, 220);
    return {
      sensor: { vignette: 0.1, read: 1.8, shot: 0.06 },
      pose: (t) => ({
        position: [0, 1.5, 0],
        yaw: 0.012 * unrest[0](t),
        pitch: -0.08 + 0.012 * unrest[1](t),
        roll: Math.PI / 2 + 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const limbs = cyclistLimbs(t, SPEED, CLOTHES);
        paintLimbs(renderer, body, limbs, 1.1, 1.925, SUN, 479);
        paintShadow(renderer, shadow, limbs, { width: 5, depth: 2.4 }, SUN, 0.5);
        const x = -3.6 + SPEED * t;
        return [
          ...world,
          { kind: 'gone', layer: { texture: shadow, plane: flat(x, 5.2, 5, 2.4, 0.002) } },
          { kind: 'gone', layer: { texture: body, plane: upright(x, 5.2, 1.1, 1.925) }, body: 'cyclist' },
        ];
      },
    };
  },
};
