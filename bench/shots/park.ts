import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright, Walker, type Clothes } from '../../demo/figure.ts';
import { fractal, hash2, noise, sequence, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;

/** A tree or a bush: where it stands, m, from where to where its leaves hang, and how wide. */
interface Tree {
  x: number;
  z: number;
  low: number;
  high: number;
  wide: number;
}

const TREES: readonly Tree[] = [
  { x: -7.5, z: 19, low: 1.4, high: 6.5, wide: 4.6 },
  { x: 5.6, z: 17, low: 1.2, high: 6, wide: 4.4 },
  { x: 0.6, z: 13, low: 1.3, high: 4.6, wide: 3.6 },
  { x: -3.6, z: 10, low: 1.0, high: 4.2, wide: 3 },
  { x: 3.1, z: 8.6, low: 0.9, high: 3.8, wide: 2.6 },
  { x: -0.9, z: 7.8, low: 0, high: 1.15, wide: 1.7 },
];

const GOES: Clothes = {
  coat: [0.7, 0.28, 0.16],
  trousers: [0.12, 0.13, 0.18],
  skin: [0.78, 0.58, 0.47],
  hair: [0.2, 0.14, 0.1],
  shoes: [0.8, 0.8, 0.78],
};
const STAYS: Clothes = { ...GOES, coat: [0.25, 0.34, 0.56], trousers: [0.42, 0.36, 0.28], shoes: [0.2, 0.16, 0.12] };

/** A park on a windy day: somebody jogs over the lawn before trees and bushes that sway, filmed by a telephone in the hand that turns after them. */
export const park: Shot = {
  name: 'park',
  frames: 110,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.016, shutter: 1 / 120 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '21', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [401, 402, 403, 404, 405].map(handUnrest);
    const grass = lawn(renderer, 5200, 3200);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(wood(renderer), upright(0, 42, 42, 7)),
      still(grass, flat(0, 32, 90, 46, -0.02)),
      still(grass, flat(0, 10, 26, 16, 0)),
    ];
    const leaves = [1401, 1409, 1423, 1427].map((seed) => foliage(renderer, seed));
    const bark = trunk(renderer);
    const walk = { height: 1.75, seed: 0.4 };
    const goes = new Walker(renderer, { ...walk, x: -3.2, z: 5.4, speed: 1.6, clothes: GOES }, SUN, 360, 0.45);
    const stays = new Walker(
      renderer,
      { ...walk, x: 3.4, z: 11, speed: -1.1, seed: 1.3, clothes: STAYS },
      SUN,
      240,
      0.45,
    );
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [0.014 * unrest[3](t), 1.6 + 0.012 * unrest[4](t), 0],
        yaw: -0.1 + 0.045 * t + 0.014 * unrest[0](t),
        pitch: -0.07 + 0.012 * unrest[1](t),
        roll: 0.007 * unrest[2](t),
      }),
      things: (t) => {
        const growing = (tree: Tree, n: number): Thing[] => [
          still(bark, upright(tree.x, tree.z, 0.05 * tree.wide, (tree.low + tree.high) / 2)),
          ...leaves.map((texture, i) => swaying(texture, tree, t, n, i)),
        ];
        const [far, near] = [TREES.slice(0, 3), TREES.slice(3)];
        const passer = stays.at(t);
        const jogger = goes.at(t);
        return [
          ...world,
          ...far.flatMap(growing),
          { kind: 'moves', layer: passer.shadow },
          { kind: 'moves', layer: passer.body },
          ...near.flatMap((tree, n) => growing(tree, n + 3)),
          { kind: 'gone', layer: jogger.shadow },
          { kind: 'gone', layer: jogger.body, body: 'walker' },
        ];
      },
    };
  },
};

/** A layer of leaves, leaning with the wind: its lower edge rests, gusts come and go. */
function swaying(texture: Texture, { x, z, low, high, wide }: Tree, t: number, n: number, i: number): Thing {
  const gust = 0.6 + 0.4 * Math.sin(0.9 * t + 0.3 * x);
  const tall = high - low;
  const lean = gust * tall * (0.035 * Math.sin((2.1 + 0.35 * i) * t + n) + 0.012 * Math.sin(6.3 * t + 2 * i + n));
  const lift = 0.012 * tall * Math.sin((3.1 + 0.4 * i) * t + 1.7 * i + n);
  const own = i % 2 === 0 ? 1 : 0.86;
  const plane: Plane = {
    origin: [x - (own * wide) / 2 + lean + 0.12 * (hash2(n, i, 1447) - 0.5) * wide, high * own + lift, z - 0.15 * i],
    across: [own * wide, 0.02 * lean, 0],
    down: [-lean, -tall * own - lift, 0],
  };
  return { kind: 'still', layer: { texture, plane } };
}

/** Leaves on twigs, lit from above, that leave gaps. */
function foliage(renderer: Renderer, seed: number): Texture {
  const side = 480;
  const texture = renderer.texture(side, side);
  const values = renderer.f32(texture.at, side * side * 4);
  const next = sequence(seed);
  for (let k = 0; k < 5200; k++) {
    const [a, r] = [2 * Math.PI * next(), Math.sqrt(next()) * 0.47];
    const [x, y] = [side * (0.5 + r * Math.cos(a)), side * (0.5 + r * Math.sin(a))];
    if (noise(x / 60, y / 60, seed + 1) < 0.36) continue;
    const light = (0.45 + 0.75 * next()) * (0.75 + 0.4 * (0.5 - (y / side - 0.5)));
    const tone = [0.3 + 0.1 * next(), 0.44, 0.16].map((c) => Math.min(1, c * light * 1.25));
    leaf(values, side, x, y, { angle: Math.PI * next(), long: 3 + 4 * next() }, tone);
  }
  renderer.refresh(texture);
  return texture;
}

function leaf(
  values: Float32Array,
  side: number,
  x: number,
  y: number,
  { angle, long }: { angle: number; long: number },
  tone: readonly number[],
): void {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  for (let v = Math.floor(y - long - 1); v <= y + long + 1; v++) {
    for (let u = Math.floor(x - long - 1); u <= x + long + 1; u++) {
      if (u < 0 || v < 0 || u >= side || v >= side) continue;
      const [along, across] = [(u - x) * c + (v - y) * s, (v - y) * c - (u - x) * s];
      const a = smoothstep(1.15, 0.8, Math.hypot(along / long, across / (0.45 * long)));
      const at = 4 * (v * side + u);
      for (let p = 0; p < 3; p++) values[at + p] = tone[p] * a + values[at + p] * (1 - a);
      values[at + 3] = a + values[at + 3] * (1 - a);
    }
  }
}

function trunk(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(60, 420), (x, y, out) => {
    const round = 0.55 + 0.5 * Math.sin((Math.PI * x) / 60);
    const l = round * (0.6 + 0.6 * fractal(x / 5, y / 26, 3, 1451));
    out.set([0.42 * l, 0.36 * l, 0.29 * l, 1]);
  });
}

/** Mown grass with daisies, bare patches and a gravel path. */
function lawn(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const blade = fractal(x / 4, y / 6, 3, 1453);
    const patch = fractal(x / 190, y / 150, 4, 1459);
    const daisy = hash2(Math.floor(x / 6), Math.floor(y / 6), 1471) > 0.993 && noise(x / 200, y / 200, 1481) > 0.5;
    const path = smoothstep(90, 70, Math.abs(y - 1900 + 130 * Math.sin(x / 700)));
    const stone = 0.5 + 0.4 * fractal(x / 6, y / 5, 3, 1483);
    const l = (0.5 + 0.6 * blade) * (0.8 + 0.4 * patch);
    const green = [0.33 + 0.12 * patch, 0.46, 0.18].map((c) => (daisy ? 0.9 : c * l));
    const gravel = [0.75, 0.69, 0.58].map((c) => c * stone);
    out.set([...green.map((c, i) => Math.min(1, c + path * (gravel[i] - c))), 1]);
  });
}

/** The edge of a wood, far away. */
function wood(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(2400, 240), (x, y, out) => {
    const top = 60 + 90 * fractal(x / 90, 3, 4, 1487);
    const l = 0.4 + 0.7 * fractal(x / 14, y / 14, 4, 1489);
    const a = smoothstep(top - 4, top + 4, y + 14 * (noise(x / 5, y / 5, 1493) - 0.5));
    out.set([0.26 * l * a, 0.36 * l * a, 0.26 * l * a, a]);
  });
}
