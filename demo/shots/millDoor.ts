import { flat, upright, Walker } from '../figure.ts';
import { fractal, mix, noise, smoothstep } from '../noise.ts';
import { cobbles, wallWithDoor } from '../surfaces.ts';
import type { Shot, Thing } from '../shot.ts';

const SUN = [0.35, -0.85, -0.2] as const;

/** Tripod: passers-by and a bin that never moves go away, while clouds change the light. */
export const millDoor: Shot = {
  name: 'mill-door',
  frames: 150,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1150, k1: 0.01, readout: 0, shutter: 1 / 60 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '17', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const wall = wallWithDoor(renderer, 4608, 2048);
    const ground = cobbles(renderer, 3400, 1500);
    const bin = renderer.paint(renderer.texture(256, 400), (x, y, out) => {
      const [u, v] = [(x / 256 - 0.5) * 2, y / 400];
      const half = 0.86 - 0.12 * v;
      const lid = v < 0.12;
      const inside = smoothstep(lid ? 0.96 : half, (lid ? 0.96 : half) - 0.03, Math.abs(u)) * smoothstep(0.01, 0.03, v);
      const rib = 0.9 + 0.1 * Math.sign(Math.sin(u * 34));
      const l =
        (0.35 + 0.55 * Math.sqrt(Math.max(0, 1 - (u * 0.95 + 0.2) ** 2))) *
        rib *
        (0.85 + 0.3 * fractal(x / 22, y / 40, 4, 401));
      const rust = smoothstep(0.62, 0.75, fractal(x / 30, y / 30, 4, 409));
      out.set([
        mix(0.42, 0.5, rust) * l * inside,
        mix(0.46, 0.33, rust) * l * inside,
        mix(0.48, 0.24, rust) * l * inside,
        inside,
      ]);
    });
    const contact = renderer.paint(renderer.texture(256, 128), (x, y, out) => {
      const d = Math.hypot((x / 256 - 0.45) * 2, (y / 128 - 0.55) * 2);
      out.set([0, 0, 0, 0.6 * smoothstep(0.95, 0.35, d)]);
    });
    const clouds = renderer.paint(renderer.texture(256, 256, true), (x, y, out) => {
      // Tileable: noise on a torus, crudely, by mixing two offset copies.
      const w = (v: number): number => 0.5 - 0.5 * Math.cos((2 * Math.PI * v) / 256);
      const a = noise(x / 70, y / 90, 419);
      const b = noise((x + 128) / 70, (y + 128) / 90, 421);
      const g = 0.8 + 0.24 * mix(a, b, w(x) * w(y));
      out.set([g, g * 1.005, g * 1.02, 1]);
    });
    const world: Thing[] = [
      { kind: 'still', layer: { texture: wall, plane: upright(0, 7, 5.4, 4.8) } },
      { kind: 'still', layer: { texture: ground, plane: flat(0, 4.85, 10.8, 4.3, 0) } },
    ];
    const binThings: Thing[] = [
      { kind: 'gone', layer: { texture: contact, plane: flat(-1.92, 6.2, 1.3, 0.7, 0.001) } },
      { kind: 'gone', layer: { texture: bin, plane: upright(-2, 6.15, 0.32, 0.98) }, body: 'bin' },
    ];
    const passers = [
      new Walker(
        renderer,
        {
          x: -3.9,
          z: 5.5,
          speed: 1.25,
          height: 1.74,
          seed: 0.4,
          clothes: {
            coat: [0.3, 0.32, 0.2],
            trousers: [0.24, 0.2, 0.18],
            skin: [0.8, 0.62, 0.52],
            hair: [0.5, 0.42, 0.3],
            shoes: [0.1, 0.1, 0.1],
          },
        },
        SUN,
        360,
        0.4,
      ),
      new Walker(
        renderer,
        {
          x: 5.2,
          z: 4.9,
          speed: -1.05,
          height: 1.64,
          seed: 2.2,
          clothes: {
            coat: [0.7, 0.66, 0.58],
            trousers: [0.15, 0.17, 0.25],
            skin: [0.6, 0.42, 0.33],
            hair: [0.08, 0.07, 0.07],
            shoes: [0.35, 0.2, 0.12],
          },
        },
        SUN,
        360,
        0.4,
      ),
    ];
    return {
      sensor: { vignette: 0.14, read: 1.3, shot: 0.05 },
      pose: () => ({ position: [0, 1.5, 0], yaw: 0, pitch: -0.045, roll: 0 }),
      things: (t) => {
        const drift = 0.05 * t + 0.1 * Math.sin(t * 0.9);
        const light: Thing = {
          kind: 'light',
          layer: {
            texture: clouds,
            multiply: true,
            plane: { origin: [-14 + 6 * drift, 10, 9], across: [28, 0, 0], down: [0, -28, 0] },
          },
        };
        const walking = passers.map((p) => p.at(t));
        return [
          ...world,
          ...binThings,
          ...walking.map((w): Thing => ({ kind: 'gone', layer: w.shadow })),
          ...walking.map((w, n): Thing => ({ kind: 'gone', layer: w.body, body: `passer-by ${n + 1}` })),
          light,
        ];
      },
    };
  },
};
