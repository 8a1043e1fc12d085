import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { fractal, hash2, noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { reeds, skyWithMill } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
const WATERLINE = 7.5;

/**
 * A beach: waves run towards the camera behind somebody who walks by, and grass sways before it. What is behind the hole never stands
 * still, so no other frame shows just what is to be there.
 */
export const shore: Shot = {
  name: 'shore',
  frames: 125,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.012, shutter: 1 / 100 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '19', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [71, 72, 73].map(handUnrest);
    const ground = still(sand(renderer, 3200, 1400), flat(0, 4.5, 16, 7, 0));
    const sky = still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42));
    const water = { texture: sea(renderer, 2600, 2600), plane: flat(0, 48, 110, 81, -0.03) };
    const swell = [1, 2, 3].map((seed) => crests(renderer, 1600, 1600, seed));
    const edge = foam(renderer, 2400, 160);
    const tufts = [503, 509, 521, 523].map((seed) => reeds(renderer, 420, 300, seed, 0.9));
    const walk = {
      ...{ x: -3.2, z: 5.4, speed: 1.15, height: 1.74, seed: 0.4 },
      clothes: {
        coat: [0.62, 0.2, 0.2],
        trousers: [0.22, 0.24, 0.34],
        skin: [0.78, 0.58, 0.47],
        hair: [0.2, 0.14, 0.1],
        shoes: [0.16, 0.12, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 360, 0.45);
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [0, 1.6, 0],
        yaw: -0.08 + 0.03 * t + 0.012 * unrest[0](t),
        pitch: -0.13 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        const wash = 0.45 * Math.sin(1.1 * t) + 0.1 * Math.sin(2.7 * t);
        return [
          sky,
          { kind: 'still', layer: water },
          ...swell.map((texture, i): Thing => ({ kind: 'still', layer: { texture, plane: wave(t, i) } })),
          ground,
          { kind: 'still', layer: { texture: edge, plane: flat(0, WATERLINE + wash, 24, 1.5, -0.005) } },
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
          ...tufts.map((texture, i) => swaying(texture, -2.4 + 1.5 * i, 3.6 + 0.2 * (i % 2), t, i)),
        ];
      },
    };
  },
};

/** One set of crests on its way to the shore. */
const wave = (t: number, i: number): Thing['layer']['plane'] =>
  flat([0.5, -0.4, 0.1][i] * t, 38 - [1.3, 0.9, 0.6][i] * t, [70, 84, 60][i], 61, -0.025 + 0.001 * i);

/** Grass whose top is bent by the wind. */
function swaying(texture: Texture, x: number, z: number, t: number, i: number, high = 0.55): Thing {
  const lean = high * (0.09 * Math.sin(2.6 * t + 1.3 * i) + 0.05 * Math.sin(5.9 * t + 2 * i));
  const wide = 0.35 + high;
  return {
    kind: 'still',
    layer: {
      texture,
      plane: { origin: [x - wide / 2 + lean, high, z], across: [wide, 0, 0], down: [-lean, -high, 0] },
    },
  };
}

/** Reeds in the wind before a camera that rests: somebody walks along before them, and others stand nearer. */
export const reedBed: Shot = {
  ...shore,
  name: 'reed-bed',
  build(renderer) {
    const tall = [541, 547, 557, 563, 569].map((seed) => reeds(renderer, 500, 420, seed, 0.85));
    const walk = {
      ...{ x: 2.6, z: 5.6, speed: -0.95, height: 1.7, seed: 0.2 },
      clothes: {
        coat: [0.2, 0.3, 0.55],
        trousers: [0.3, 0.27, 0.22],
        skin: [0.78, 0.58, 0.47],
        hair: [0.3, 0.2, 0.1],
        shoes: [0.16, 0.12, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 360, 0.45);
    const before = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(sand(renderer, 3200, 2000), flat(0, 6, 20, 12, 0)),
    ];
    const bed = Array.from({ length: 30 }, (_, i) => {
      const row = Math.floor(i / 10);
      return {
        texture: tall[i % 5],
        x: -5 + 1.1 * (i % 10) + 0.5 * hash2(i, 1, 571),
        z: 8.6 - 0.5 * row,
        high: 1.9 - 0.35 * row,
      };
    });
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: () => ({ position: [0, 1.6, 0], yaw: 0, pitch: -0.1, roll: 0 }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        return [
          ...before,
          ...bed.map(({ texture, x, z, high }, i) => swaying(texture, x, z, t, i, high)),
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
        ];
      },
    };
  },
};

function sand(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const far = smoothstep(380, 40, y + 60 * (fractal(x / 300, 2, 3, 601) - 0.5));
    const ripple = fractal(x / 50 + 0.4 * noise(x / 90, y / 90, 607), y / 12, 3, 611);
    const lump = fractal(x / 130, y / 110, 4, 613);
    const print = smoothstep(0.74, 0.8, noise(x / 26, y / 22, 617));
    const shell = hash2(Math.floor(x / 5), Math.floor(y / 5), 619) > 0.995 ? 0.22 : 0;
    const l =
      (0.62 + 0.18 * ripple + 0.2 * lump - 0.16 * print + shell + 0.09 * (hash2(x, y, 631) - 0.5)) * (1 - 0.34 * far);
    const a = smoothstep(0, 26, y - 20 * noise(x / 70, 1, 641));
    out.set([0.93 * l * a, 0.84 * l * a, 0.66 * l * a, a]);
  });
}

function sea(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const l = 0.44 + 0.1 * fractal(x / 200, y / 60, 4, 643) + 0.03 * (hash2(x, y, 647) - 0.5);
    out.set([0.62 * l, 0.84 * l, 0.95 * l, 1]);
  });
}

/** Crests and their troughs, half of them seen through. */
function crests(renderer: Renderer, width: number, height: number, seed: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const bend = 26 * fractal(x / 160, y / 300, 3, 653 + seed);
    const v = fractal(x / 75, (y + bend) / 13, 4, 659 + seed);
    const light = smoothstep(0.56, 0.76, v);
    const dark = smoothstep(0.42, 0.26, v);
    const glint = smoothstep(0.8, 0.86, fractal(x / 9, y / 3, 2, 661 + seed)) * light;
    const a = 0.5 * Math.max(light, 0.8 * dark) + 0.5 * glint;
    const c = light > dark ? 0.78 + 0.2 * glint : 0.16;
    out.set([0.86 * c * a, 0.96 * c * a, c * a, a]);
  });
}

function foam(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const front = 96 + 34 * (fractal(x / 120, 5, 4, 673) - 0.5);
    const bubbles = fractal(x / 11, y / 5, 3, 677);
    const a =
      smoothstep(front + 5, front - 3, y) *
      smoothstep(0, 70, y) *
      smoothstep(0.3, 0.62, bubbles + 0.4 * (y / front) ** 4);
    out.set([0.95 * a, 0.96 * a, 0.96 * a, a]);
  });
}
