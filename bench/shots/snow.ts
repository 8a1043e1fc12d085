import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright, Walker, type Clothes } from '../../demo/figure.ts';
import { fractal, sequence, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, paintedSign, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const WALKS_AT = 6.4;

/** Where a curtain of flakes or drops hangs, how fast they fall and drift, m/s, and how many are in four square metres. */
interface Curtain {
  z: number;
  falls: number;
  drifts: number;
  many: number;
}

const FLAKES: readonly Curtain[] = [
  { z: 9.5, falls: 1.0, drifts: 0.5, many: 120 },
  { z: 7.4, falls: 1.1, drifts: 0.42, many: 120 },
  { z: 5.2, falls: 0.95, drifts: 0.5, many: 90 },
  { z: 3.4, falls: 1.15, drifts: 0.6, many: 55 },
  { z: 1.9, falls: 1.05, drifts: 0.38, many: 24 },
];

const DROPS = FLAKES.map((curtain): Curtain => ({ ...curtain, falls: 6.5, many: 2 * curtain.many }));

/** Somebody walks along houses while something falls before and behind them, filmed by a telephone in the hand. */
const walkIn = (
  name: string,
  curtains: readonly Curtain[],
  paint: (renderer: Renderer, many: number, seed: number) => Texture,
  subframes: number,
): Shot => ({
  name,
  frames: 110,
  rate: 25,
  subframes,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.016, shutter: 1 / 80 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '24', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [301, 302, 303, 304, 305].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(snowed(renderer, cobbles(renderer, 4400, 2600)), flat(0, 8.5, 22, 13, 0)),
      still(granaryWall(renderer, 3200, 1300), upright(-3.6, 11.5, 7, 4.4)),
      still(wallWithDoor(renderer, 3200, 1300), upright(4.2, 12.6, 8, 5)),
      still(paintedSign(renderer, 640, 420), { ...upright(-2.2, 11.45, 1.5, 1), origin: [-2.95, 2.6, 11.45] }),
    ];
    const textures = curtains.map(({ many }, k) => paint(renderer, many, 1300 + k));
    const clothes: Clothes = {
      coat: [0.16, 0.2, 0.34],
      trousers: [0.14, 0.14, 0.16],
      skin: [0.78, 0.58, 0.47],
      hair: [0.5, 0.16, 0.14],
      shoes: [0.12, 0.11, 0.1],
    };
    const walk = { x: -2.9, z: WALKS_AT, speed: 1.3, height: 1.75, seed: 0.4 };
    const walker = new Walker(renderer, { ...walk, clothes }, [-0.4, -0.9, -0.3], 360, 0.2);
    return {
      sensor: { vignette: 0.12, read: 2, shot: 0.07 },
      pose: (t) => ({
        position: [0.012 * unrest[3](t), 1.6 + 0.01 * unrest[4](t), 0],
        yaw: 0.01 * t + 0.012 * unrest[0](t),
        pitch: -0.06 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        const falling = curtains.map(({ z, falls, drifts }, k): Thing => {
          const plane: Plane = { ...upright(drifts * t, z, 2, 2), origin: [drifts * t, 2 - falls * t, z] };
          return { kind: 'moves', layer: { texture: textures[k], plane } };
        });
        const behind = curtains.findIndex(({ z }) => z < WALKS_AT);
        return [
          ...world,
          ...falling.slice(0, behind),
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
          ...falling.slice(behind),
        ];
      },
    };
  },
});

export const snow = walkIn('snow', FLAKES, flakes, 4);
export const rain = walkIn('rain', DROPS, streaks, 2);

/** Snow that lies in patches, and in the joints of stones. */
function snowed(renderer: Renderer, stones: Texture): Texture {
  const values = renderer.f32(stones.at, stones.width * stones.height * 4);
  for (let i = 0; i < values.length; i += 4) {
    const [x, y] = [(i >> 2) % stones.width, Math.floor((i >> 2) / stones.width)];
    const lies = smoothstep(0.48, 0.56, fractal(x / 260, y / 240, 4, 1321));
    const light = 0.78 + 0.12 * fractal(x / 9, y / 9, 3, 1331);
    for (let c = 0; c < 3; c++) values[i + c] += lies * (light * (c === 2 ? 1.03 : 1) - values[i + c]);
  }
  renderer.refresh(stones);
  return stones;
}

/** Side of the square of two metres that a curtain repeats, px. */
const SIDE = 512;

/** Flakes of 5 to 10 mm. */
function flakes(renderer: Renderer, many: number, seed: number): Texture {
  const next = sequence(seed);
  return curtain(renderer, (lay) => {
    for (let k = 0; k < many; k++) {
      const [x, y, r] = [next() * SIDE, next() * SIDE, 1.2 + 1.4 * next()];
      const reach = Math.ceil(r + 1.5);
      for (let v = -reach; v <= reach; v++) {
        for (let u = -reach; u <= reach; u++) {
          const [px, py] = [Math.floor(x) + u, Math.floor(y) + v];
          lay(px, py, 0.92 * smoothstep(r + 0.8, r - 0.8, Math.hypot(px + 0.5 - x, py + 0.5 - y)));
        }
      }
    }
  });
}

/** Drops, 11 cm long for as long as the shutter is open. */
function streaks(renderer: Renderer, many: number, seed: number): Texture {
  const next = sequence(seed);
  return curtain(renderer, (lay) => {
    for (let k = 0; k < many; k++) {
      const [x, y] = [next() * SIDE, next() * SIDE];
      for (let v = -14; v <= 14; v++) {
        const strength = Math.min(1, (14 - Math.abs(v)) / 6);
        for (const u of [-1, 0, 1]) {
          lay(Math.floor(x + 0.08 * v) + u, Math.floor(y) + v, (u === 0 ? 0.34 : 0.1) * strength);
        }
      }
    }
  });
}

/** What hangs in the air on a square of two metres that goes on forever. */
function curtain(renderer: Renderer, fill: (lay: (x: number, y: number, alpha: number) => void) => void): Texture {
  const alpha = new Float32Array(SIDE * SIDE);
  fill((x, y, a) => {
    const at = ((y + SIDE) % SIDE) * SIDE + ((x + SIDE) % SIDE);
    alpha[at] = Math.max(alpha[at], a);
  });
  return renderer.paint(renderer.texture(SIDE, SIDE, true), (x, y, out) => {
    const a = alpha[Math.floor(y) * SIDE + Math.floor(x)];
    out.set([0.86 * a, 0.88 * a, 0.92 * a, a]);
  });
}
