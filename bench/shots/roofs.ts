import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright } from '../../demo/figure.ts';
import { fractal, hash2, noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, crown, granaryWall } from '../../demo/surfaces.ts';

/** Middle of the lane on which each car drives, m away. */
const LANES = { gone: 10.1, stays: 12.9 };
const EAVE = 3.4;
const RIDGE = 6.6;

/**
 * A drone looks down steeply on a village street and drifts along it, turning a little: roofs, walls and crowns of trees lie at many
 * depths, and hide the car that goes away, its shadow too, wherever it drives under them. Another car comes the other way and stays.
 */
export const roofs: Shot = {
  name: 'roofs',
  frames: 110,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 960, k1: -0.008, readout: 0.008, shutter: 1 / 200 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '21', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [221, 222, 223, 224].map(handUnrest);
    const crowns = [907, 911, 919].map((seed) => crown(renderer, 200, seed));
    const ground = [
      still(meadow(renderer, 3000, 2200), flat(0, 14, 60, 44, 0)),
      still(cobbles(renderer, 4800, 620), flat(0, 11.5, 60, 6.4, 0.01)),
      ...[-13, -3.5, 6.5, 15.5].map((x) => still(shade(renderer), flat(x + 1.2, 16.6, 8.4, 4.2, 0.02))),
    ];
    const above = [...houses(renderer), ...trees(crowns)];
    const cars = { gone: carTextures(renderer, [0.72, 0.16, 0.13]), stays: carTextures(renderer, [0.82, 0.83, 0.85]) };
    return {
      sensor: { vignette: 0.12, read: 1.5, shot: 0.05 },
      pose: (t) => ({
        position: [-5.5 + 2.6 * t, 23.5 - 0.25 * t + 0.1 * unrest[3](t), 0.3 * t],
        yaw: 0.08 - 0.05 * t + 0.003 * unrest[0](t),
        pitch: -1.08 + 0.003 * unrest[1](t),
        roll: 0.02 + 0.01 * t + 0.003 * unrest[2](t),
      }),
      things: (t) => [
        ...ground,
        ...carAt(cars.stays, 'moves', 16 - 6 * t, LANES.stays, 'other car'),
        ...carAt(cars.gone, 'gone', -15 + 6.4 * t, LANES.gone, 'car'),
        ...above,
      ],
    };
  },
};

/** Rows of houses along both sides of the street: walls towards the camera, and the two sides of each roof. */
function houses(renderer: Renderer): Thing[] {
  const wall = granaryWall(renderer, 1500, 640);
  const tiles = [0, 1].map((kind) => pantiles(renderer, 900, 460, kind));
  const house = (x: number, z: number, length: number, depth: number, kind: number): Thing[] => {
    const run = [length, 0, 0] as const;
    const left = x - length / 2;
    const slope = RIDGE - EAVE;
    const back: Plane = { origin: [left, EAVE, z + depth / 2], across: run, down: [0, slope, -depth / 2] };
    const front: Plane = { origin: [left, RIDGE, z], across: run, down: [0, -slope, -depth / 2] };
    return [
      still(wall, upright(x, z - depth / 2 + 0.3, length / 2 - 0.3, EAVE)),
      still(tiles[kind], back),
      still(tiles[kind], front),
    ];
  };
  const far = [-13, -3.5, 6.5, 15.5].flatMap((x, n) => house(x, 21.5, 7.6, 6.4, n % 2));
  return [...far, ...house(-10, 2.6, 8, 6, 1), ...house(5.5, 2.2, 9, 6, 0)];
}

/** Trees beside the street as stacks of crowns: they reach over the lane on which the car drives. */
function trees(crowns: Texture[]): Thing[] {
  const places = [-11.5, -5.2, 0.4, 3.2, 10.4].map((x, n) => ({
    x,
    z: n % 2 === 0 ? 7.3 : 15.6,
    size: 3 + 1.3 * hash2(n, 5, 929),
  }));
  return places.flatMap(({ x, z, size }, n) =>
    [0.45, 0.62, 0.8, 1].map((k, i) => {
      const wide = size * (1.3 - 0.55 * k);
      return still(crowns[(n + i) % 3], flat(x + 0.3 * (hash2(n, i, 937) - 0.5), z, wide, wide, size * 1.15 * k));
    }),
  );
}

const carAt = (
  car: { body: Texture; roof: Texture; shadow: Texture },
  kind: Thing['kind'],
  x: number,
  z: number,
  body: string,
): Thing[] => [
  { kind, layer: { texture: car.shadow, plane: flat(x + 0.5, z + 0.45, 5.4, 3.2, 0.02) } },
  ...[0.35, 0.6, 0.85].map((y): Thing => ({
    kind,
    layer: { texture: car.body, plane: flat(x, z, 4.2, 1.75, y) },
    body,
  })),
  ...[1.05, 1.25, 1.42].map((y): Thing => ({
    kind,
    layer: { texture: car.roof, plane: flat(x - 0.2, z, 2.2, 1.5, y) },
    body,
  })),
];

function carTextures(renderer: Renderer, colour: readonly number[]): { body: Texture; roof: Texture; shadow: Texture } {
  const part = (corner: number, glass: boolean): Texture =>
    renderer.paint(renderer.texture(320, 140), (x, y, out) => {
      const [u, v] = [Math.abs(x / 160 - 1), Math.abs(y / 70 - 1)];
      const out1 = Math.hypot(Math.max(0, u - 1 + corner), Math.max(0, v - 1 + corner * 1.6) / 1.6);
      const a = smoothstep(corner, corner - 0.04, out1);
      const pane = glass && u > 0.72 ? 0.25 : 1;
      const l = (0.85 + 0.2 * fractal(x / 90, y / 40, 2, 941)) * pane * (v > 0.86 ? 0.8 : 1);
      out.set([...colour.map((c) => Math.min(1, c * l + 0.02) * a), a]);
    });
  const shadow = renderer.paint(renderer.texture(320, 190), (x, y, out) => {
    const [u, v] = [Math.abs(x / 160 - 1), Math.abs(y / 95 - 1)];
    const a = 0.6 * smoothstep(0.96, 0.82, u) * smoothstep(0.95, 0.78, v);
    out.set([0.01 * a, 0.02 * a, 0.04 * a, a]);
  });
  return { body: part(0.22, false), roof: part(0.16, true), shadow };
}

/** Rows of clay tiles that overlap, each a little different, with moss towards the eave. */
function pantiles(renderer: Renderer, width: number, height: number, kind: number): Texture {
  const clay = kind === 0 ? [0.66, 0.33, 0.22] : [0.4, 0.38, 0.38];
  const [tw, th] = [24, 30];
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [column, row] = [Math.floor(x / tw), Math.floor(y / th)];
    const [u, v] = [(x / tw) % 1, (y / th) % 1];
    const round = 0.72 + 0.38 * Math.sin(Math.PI * u);
    const lap = 0.65 + 0.35 * smoothstep(0, 0.16, v);
    const own = 0.82 + 0.3 * hash2(column, row, 947 + kind);
    const moss = smoothstep(0.55, 0.75, fractal(x / 80, y / 60, 3, 953 + kind)) * 0.5;
    const l = round * lap * own * (0.9 + 0.2 * noise(x / 2, y / 2, 967));
    const green = [0.3, 0.34, 0.2];
    out.set([...clay.map((c, i) => Math.min(1, l * (c * (1 - moss) + green[i] * moss))), 1]);
  });
}

/** Gardens and trodden earth between the houses. */
function meadow(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const blade = fractal(x / 5, y / 5, 3, 971);
    const patch = smoothstep(0.45, 0.6, fractal(x / 160, y / 130, 4, 977));
    const beds = smoothstep(0.5, 0.56, noise(x / 210, y / 170, 983)) * (y % 26 < 12 ? 1 : 0.6);
    const l = 0.6 + 0.55 * blade;
    out.set([l * (0.3 + 0.2 * patch), l * (0.36 + 0.08 * patch - 0.08 * beds), l * (0.18 + 0.12 * patch), 1]);
  });
}

/** What the houses' roofs shade. */
function shade(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(256, 128), (x, y, out) => {
    const [u, v] = [Math.abs(x / 128 - 1), Math.abs(y / 64 - 1)];
    const a = 0.5 * smoothstep(1, 0.95, u) * smoothstep(1, 0.92, v);
    out.set([0.02 * a, 0.02 * a, 0.05 * a, a]);
  });
}
