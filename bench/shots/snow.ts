import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { fractal, sequence, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, paintedSign, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const WALKS_AT = 6.4;

/** Curtains of flakes: how far away, how fast they fall and drift, m/s, and how many lie in four square metres. */
const CURTAINS = [
  { z: 9.5, falls: 1.0, drifts: 0.5, flakes: 120 },
  { z: 7.4, falls: 1.1, drifts: 0.42, flakes: 120 },
  { z: 5.2, falls: 0.95, drifts: 0.5, flakes: 90 },
  { z: 3.4, falls: 1.15, drifts: 0.6, flakes: 55 },
  { z: 1.9, falls: 1.05, drifts: 0.38, flakes: 24 },
];

/** Somebody walks along houses while thick snow falls before and behind them, filmed by a telephone in the hand. */
export const snow: Shot = {
  name: 'snow',
  frames: 110,
  rate: 25,
  subframes: 4,
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
    const curtains = CURTAINS.map(({ flakes }, k) => curtain(renderer, flakes, 1300 + k));
    const clothes = {
      coat: [0.16, 0.2, 0.34],
      trousers: [0.14, 0.14, 0.16],
      skin: [0.78, 0.58, 0.47],
      hair: [0.5, 0.16, 0.14],
      shoes: [0.12, 0.11, 0.1],
    } as const;
    const walk = { x: -2.9, z: WALKS_AT, speed: 1.3, height: 1.75, seed: 0.4 };
    const walker = new Walker(
      renderer,
      { ...walk, clothes: structuredClone(clothes) as never },
      [-0.4, -0.9, -0.3],
      360,
      0.2,
    );
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
        const falling = CURTAINS.map(({ z, falls, drifts }, k): Thing => {
          const plane: Plane = { ...upright(drifts * t, z, 2, 2), origin: [drifts * t, 2 - falls * t, z] };
          return { kind: 'moves', layer: { texture: curtains[k], plane } };
        });
        const behind = CURTAINS.findIndex(({ z }) => z < WALKS_AT);
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
};

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

/** Flakes of 5 to 10 mm on a square of two metres that goes on forever. */
function curtain(renderer: Renderer, flakes: number, seed: number): Texture {
  const size = 512;
  const next = sequence(seed);
  const alpha = new Float32Array(size * size);
  for (let k = 0; k < flakes; k++) {
    const [x, y, r] = [next() * size, next() * size, 1.2 + 1.4 * next()];
    const reach = Math.ceil(r + 1.5);
    for (let v = -reach; v <= reach; v++) {
      for (let u = -reach; u <= reach; u++) {
        const [px, py] = [Math.floor(x) + u, Math.floor(y) + v];
        const away = Math.hypot(px + 0.5 - x, py + 0.5 - y);
        const at = ((py + size) % size) * size + ((px + size) % size);
        alpha[at] = Math.max(alpha[at], 0.92 * smoothstep(r + 0.8, r - 0.8, away));
      }
    }
  }
  return renderer.paint(renderer.texture(size, size, true), (x, y, out) => {
    const a = alpha[Math.floor(y) * size + Math.floor(x)];
    out.set([0.86 * a, 0.88 * a, 0.92 * a, a]);
  });
}
