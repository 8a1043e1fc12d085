import { handUnrest, type Plane } from '../camera.ts';
import { flat } from '../figure.ts';
import { fractal, hash2, smoothstep } from '../noise.ts';
import type { Renderer, Texture } from '../renderer.ts';
import { crown, dykeTop, fenland } from '../surfaces.ts';
import type { Shot, Thing } from '../shot.ts';

const DYKE_HEIGHT = 1.4;
/** Direction of the dyke on the ground, radians from the right towards away. */
const DYKE_TURN = 0.5;
const DYKE_AT = { x: 4, z: 46 };

/** A rectangle at a height, turned on the ground: `across` runs along the turn. */
function turned(x: number, z: number, along: number, wide: number, y: number): Plane {
  const [c, s] = [Math.cos(DYKE_TURN), Math.sin(DYKE_TURN)];
  const across = [along * c, 0, along * s] as const;
  const down = [wide * s, 0, -wide * c] as const;
  return { origin: [x - (across[0] + down[0]) / 2, y, z - (across[2] + down[2]) / 2], across, down };
}

/** Drone, forward and turning: a cart with its shadow on a dyke, and the drone's own shadow, go away. */
export const fenFlight: Shot = {
  name: 'fen-flight',
  frames: 180,
  rate: 30,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1920, height: 1080, focal: 1400, k1: -0.008, readout: 0, shutter: 1 / 120 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [21, 22, 23].map(handUnrest);
    const ground = fenland(renderer, 4096);
    const world: Thing[] = [
      {
        kind: 'still',
        layer: { texture: ground, plane: { origin: [-100, 0, 200], across: [204.8, 0, 0], down: [0, 0, -204.8] } },
      },
      {
        kind: 'still',
        layer: { texture: dykeTop(renderer, 4096, 192), plane: turned(DYKE_AT.x, DYKE_AT.z, 190, 8.2, DYKE_HEIGHT) },
      },
      ...bushes(renderer),
    ];
    const cart = cartTextures(renderer);
    const rotor = droneShadow(renderer);
    return {
      sensor: { vignette: 0.12, read: 1.4, shot: 0.04 },
      pose: (t) => ({
        position: [0.6 * t, 26 + 0.15 * unrest[0](t), 4.6 * t],
        yaw: -0.06 + 0.045 * t + 0.002 * unrest[1](t),
        pitch: -0.62 + 0.002 * unrest[2](t),
        roll: 0.03 + 0.004 * t,
      }),
      things: (t) => {
        const s = -15 + 5.2 * t;
        const [x, z] = [DYKE_AT.x + s * Math.cos(DYKE_TURN), DYKE_AT.z + s * Math.sin(DYKE_TURN)];
        const at = (texture: Texture, along: number, wide: number, y: number, dx = 0, dz = 0): Thing => ({
          kind: 'gone',
          layer: { texture, plane: turned(x + dx, z + dz, along, wide, DYKE_HEIGHT + y) },
          body: texture === cart.shadow ? undefined : 'cart',
        });
        return [
          ...world,
          { kind: 'gone', layer: { texture: rotor, plane: flat(0.6 * t + 5, 4.6 * t + 32, 1.9, 1.9, 0.01) } },
          at(cart.shadow, 4.6, 3.4, 0.02, 0.9, -0.7),
          ...[0.35, 0.6, 0.85].map((y) => at(cart.body, 3.1, 1.5, y)),
          ...[1.1, 1.35, 1.6].map((y) => at(cart.load, 2.3, 1.4, y)),
        ];
      },
    };
  },
};

/** Bushes as stacks of crowns, higher ones smaller: they show parallax against the ground. */
function bushes(renderer: Renderer): Thing[] {
  const kinds = [431, 433, 439].map((seed) => crown(renderer, 128, seed));
  return Array.from({ length: 14 }, (_, n) => {
    const x = -26 + 60 * hash2(n, 1, 443);
    const z = 22 + 60 * hash2(n, 2, 443);
    const size = 1.6 + 2.2 * hash2(n, 3, 443);
    return [0.25, 0.6, 1].map((k): Thing => ({
      kind: 'still',
      layer: {
        texture: kinds[n % 3],
        plane: flat(x, z, size * (1.15 - 0.45 * k), size * (1.15 - 0.45 * k), size * 0.55 * k),
      },
    }));
  }).flat();
}

function cartTextures(renderer: Renderer): { body: Texture; load: Texture; shadow: Texture } {
  const body = renderer.paint(renderer.texture(256, 128), (x, y, out) => {
    const [u, v] = [Math.abs(x / 128 - 1), Math.abs(y / 64 - 1)];
    const wheel = v > 0.8 && Math.abs(u - 0.55) < 0.2;
    const a = v < 0.8 && u < 0.95 ? 1 : wheel ? 1 : 0;
    const l = wheel ? 0.12 : 0.55 + 0.25 * fractal(x / 9, y / 3, 3, 449);
    out.set([l * 0.9 * a, l * 0.75 * a, l * 0.4 * a, a]);
  });
  const load = renderer.paint(renderer.texture(256, 128), (x, y, out) => {
    const [u, v] = [Math.abs(x / 128 - 1), Math.abs(y / 64 - 1)];
    const a = smoothstep(0.92, 0.86, Math.max(u, v));
    const l = 0.5 + 0.4 * fractal(x / 5, y / 5, 4, 457) - 0.14 * (x % 64 < 4 ? 1 : 0);
    out.set([0.78 * l * a, 0.76 * l * a, 0.72 * l * a, a]);
  });
  const shadow = renderer.paint(renderer.texture(256, 192), (x, y, out) => {
    const [u, v] = [Math.abs(x / 128 - 1), Math.abs(y / 96 - 1)];
    const a = 0.6 * smoothstep(0.85, 0.72, u) * smoothstep(0.8, 0.66, v);
    out.set([0.01 * a, 0.02 * a, 0.05 * a, a]);
  });
  return { body, load, shadow };
}

/** Four arms and discs, blurred by the height they fall from. */
function droneShadow(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(128, 128), (x, y, out) => {
    const [u, v] = [x / 64 - 1, y / 64 - 1];
    const disc = Math.max(
      ...[
        [-1, -1],
        [1, -1],
        [-1, 1],
        [1, 1],
      ].map(([a, b]) => smoothstep(0.3, 0.14, Math.hypot(u - 0.5 * a, v - 0.5 * b))),
    );
    const arm =
      smoothstep(0.14, 0.03, Math.min(Math.abs(u - v), Math.abs(u + v))) * smoothstep(0.8, 0.6, Math.hypot(u, v));
    const hub = smoothstep(0.32, 0.16, Math.hypot(u, v * 0.8));
    out.set([0, 0, 0, 0.5 * Math.max(disc * 0.7, arm, hub)]);
  });
}
