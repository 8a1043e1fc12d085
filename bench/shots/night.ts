import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { fractal, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, paintedSign } from '../../demo/surfaces.ts';

const WALL_Z = 12;
const LAMPS = [-4.2, 1.1, 5.6];

/**
 * Somebody crosses a wet square at night, filmed by a telephone in the hand: slow shutter, strong noise that a codec half removes,
 * lamps that glare and are mirrored in the stones, and a car out of view whose headlights wander over the houses.
 */
export const night: Shot = {
  name: 'night',
  frames: 110,
  rate: 25,
  subframes: 4,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 950, k1: 0.012, readout: 0.016, shutter: 1 / 35 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '27', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [201, 202, 203, 204, 205].map(handUnrest);
    const windows = [-2.9, 2.4, 3.9].map((x) => lifted(upright(x, WALL_Z - 0.04, 0.5, 1.3), 1.7));
    const lamps = LAMPS.map((x) => lifted(upright(x, WALL_Z - 0.6, 1.1, 2.2), 2.2));
    const houses = [
      still(granaryWall(renderer, 3600, 1300), upright(0, WALL_Z, 12, 5.2)),
      still(paintedSign(renderer, 640, 420), upright(-1.4, WALL_Z - 0.05, 1.5, 1)),
    ];
    const lights = [
      ...windows.map((plane) => still(litWindow(renderer, 240, 320), plane)),
      ...lamps.map((plane) => still(glare(renderer, 400), plane)),
    ];
    const stones = still(wet(renderer, cobbles(renderer, 4400, 1800)), flat(0, 8.2, 24, 9, 0));
    const beam = headlights(renderer, 1200, 600);
    const dark = darkness(renderer);
    const walker = new Walker(
      renderer,
      {
        ...{ x: -3.3, z: 6.6, speed: 1.45, height: 1.75, seed: 0.7 },
        clothes: {
          coat: [0.55, 0.42, 0.3],
          trousers: [0.2, 0.22, 0.3],
          skin: [0.78, 0.58, 0.47],
          hair: [0.14, 0.1, 0.08],
          shoes: [0.12, 0.11, 0.1],
        },
      },
      [-0.4, -0.8, -0.3],
    );
    return {
      sensor: { vignette: 0.2, read: 5, shot: 0.15 },
      pose: (t) => ({
        position: [0.012 * unrest[3](t), 1.6 + 0.01 * unrest[4](t), 0],
        yaw: 0.012 * t + 0.013 * unrest[0](t),
        pitch: -0.05 + 0.01 * unrest[1](t),
        roll: 0.007 * unrest[2](t),
      }),
      things: (t) => {
        const { body } = walker.at(t);
        const sweep = lifted(upright(-9 + 5.2 * t, WALL_Z - 0.1, 40, 40), -18.5);
        const lit: Thing = { kind: 'light', layer: { texture: beam, multiply: true, plane: sweep } };
        const world = [...houses, lit, ...lights];
        return [
          ...world.map(inWater),
          inWater({ kind: 'gone', layer: body }),
          stones,
          ...world,
          { kind: 'gone', layer: body, body: 'walker' },
          dark,
        ];
      },
    };
  },
};

const lifted = (plane: Plane, by: number): Plane => {
  const [x, y, z] = plane.origin;
  return { ...plane, origin: [x, y + by, z] };
};

/** As it is mirrored by water that lies at height 0. */
function inWater(thing: Thing): Thing {
  const flip = ([x, y, z]: Plane['origin']): Plane['origin'] => [x, -y, z];
  const { origin, across, down } = thing.layer.plane;
  const plane = { origin: flip(origin), across: flip(across), down: flip(down) };
  return { ...thing, layer: { ...thing.layer, plane } };
}

/** Stones that let through what water on them mirrors, most of all where it stands. */
function wet(renderer: Renderer, stones: Texture): Texture {
  const values = renderer.f32(stones.at, stones.width * stones.height * 4);
  for (let i = 0; i < values.length; i++) {
    const [x, y] = [(i >> 2) % stones.width, Math.floor((i >> 2) / stones.width)];
    values[i] *= 0.86 - 0.5 * smoothstep(0.55, 0.66, fractal(x / 420, y / 330, 3, 1201));
  }
  renderer.refresh(stones);
  return stones;
}

/** Light of a room behind curtains, so bright that the night leaves it. */
function litWindow(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [u, v] = [x / width, y / height];
    const bar = Math.abs(u - 0.5) < 0.03 || Math.abs(v - 0.4) < 0.02 || Math.min(u, 1 - u, v, 1 - v) < 0.05;
    const light = bar ? 0.25 : 2.4 + 1.1 * fractal(x / 22, y / 160, 3, 1211);
    out.set([light, 0.78 * light, 0.42 * light, 1]);
  });
}

/** A lamp and what it glares: adds to what is behind. */
function glare(renderer: Renderer, size: number): Texture {
  return renderer.paint(renderer.texture(size, size), (x, y, out) => {
    const r = Math.hypot(x / size - 0.5, y / size - 0.5) * 2;
    const light = 5 * smoothstep(0.09, 0.05, r) + 1.4 * smoothstep(1, 0, r) ** 4;
    out.set([light, 0.85 * light, 0.6 * light, 0]);
  });
}

/** Two soft cones on a wall, brightest in the middle; elsewhere the wall as it is. */
function headlights(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [u, v] = [((x / width) * 2 - 1) * 40, (1 - y / height) * 40 - 20];
    const cone = (at: number): number => Math.exp(-(((u - at) / 1.3) ** 2) - ((v - 0.2) / 1.1) ** 2);
    const light = 1 + 1.6 * (cone(-0.9) + cone(0.9));
    out.set([light, light, 1 + (light - 1) * 0.95, 1]);
  });
}

/** What the night leaves of the day's light, over the whole picture. */
function darkness(renderer: Renderer): Thing {
  const texture = renderer.paint(renderer.texture(64, 64), (_x, _y, out) => out.set([0.4, 0.42, 0.5, 1]));
  const plane: Plane = { origin: [-3, 4, 1], across: [6, 0, 0], down: [0, -5, 0] };
  return { kind: 'light', layer: { texture, multiply: true, plane } };
}
