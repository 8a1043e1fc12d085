import { handUnrest } from '../../demo/camera.ts';
import { flat, Walker } from '../../demo/figure.ts';
import { fractal, hash2, noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';

/** Low, from the sea. */
const SUN = [-0.72, -0.6, -0.35] as const;
/** Up to where the sea reaches, m along z. */
const WATERLINE = 4.2;

/**
 * A drone looks straight down on a beach, turns and climbs: all of the picture turns by more than a radian, so that no two frames far apart
 * are alike in any direction. Somebody with a long shadow walks over sand, a towel and boards; parasols stand nearer, and waves run up.
 */
export const overhead: Shot = {
  name: 'overhead',
  frames: 110,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 900, k1: -0.006, readout: 0.008, shutter: 1 / 240 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '21', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [601, 602, 603, 604].map(handUnrest);
    const ground = [
      still(sand(renderer, 3600, 3200), flat(0, -2, 36, 32, 0)),
      still(boards(renderer, 1900, 150), flat(-1.5, -0.6, 19, 1.5, 0.02)),
      still(cloth(renderer, [0.75, 0.2, 0.18]), flat(2.6, 1.9, 2, 1.1, 0.02)),
      still(cloth(renderer, [0.15, 0.4, 0.55]), flat(-4.2, -3.4, 1.1, 2, 0.02)),
    ];
    const sea = { texture: water(renderer, 2400, 1400), foam: foam(renderer, 2400, 200) };
    const parasols = [
      { x: -3.2, z: 2.4, texture: parasol(renderer, [0.9, 0.8, 0.3]) },
      { x: 4.6, z: -2.2, texture: parasol(renderer, [0.85, 0.85, 0.87]) },
      { x: 0.4, z: -3.6, texture: parasol(renderer, [0.2, 0.5, 0.35]) },
    ];
    const dark = blot(renderer);
    const walk = {
      ...{ x: -3.4, z: 0.4, speed: 1.5, height: 1.76, seed: 0.2 },
      clothes: {
        coat: [0.2, 0.25, 0.5],
        trousers: [0.3, 0.3, 0.32],
        skin: [0.78, 0.58, 0.47],
        hair: [0.2, 0.14, 0.1],
        shoes: [0.16, 0.12, 0.1],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 300, 0.5);
    const [shoulders, head] = [
      seenFromAbove(renderer, [0.2, 0.25, 0.5], 0.5),
      seenFromAbove(renderer, [0.2, 0.14, 0.1], 1),
    ];
    return {
      sensor: { vignette: 0.1, read: 1.5, shot: 0.05 },
      pose: (t) => ({
        position: [-0.8 + 0.5 * t + 0.04 * unrest[3](t), 11 + 0.7 * t, -0.4 + 0.1 * t],
        yaw: 0.3 + 0.29 * t + 0.003 * unrest[0](t),
        pitch: -Math.PI / 2 + 0.05 + 0.003 * unrest[1](t),
        roll: 0.004 * unrest[2](t),
      }),
      things: (t) => {
        const wash = 0.3 * Math.sin(1.2 * t) + 0.08 * Math.sin(2.9 * t);
        const x = walk.x + walk.speed * t;
        const sway = 0.04 * Math.sin(6.2 * t);
        return [
          ...ground,
          { kind: 'still', layer: { texture: sea.texture, plane: flat(0.3 * t, WATERLINE + 6 + wash, 36, 12, 0.005) } },
          { kind: 'still', layer: { texture: sea.foam, plane: flat(0.1 * t, WATERLINE + wash, 36, 1.2, 0.006) } },
          ...parasols.map(({ x: at, z }) => still(dark, flat(at + 1.5, z + 0.8, 2.3, 2.3, 0.03))),
          { kind: 'gone', layer: walker.at(t).shadow },
          part('gone', shoulders, x, walk.z + sway, [0.34, 0.56], 1.42),
          part('gone', head, x + 0.05, walk.z + 0.5 * sway, [0.24, 0.2], 1.7),
          ...parasols.map(({ texture, x: at, z }) => still(texture, flat(at, z, 2.2, 2.2, 2.1))),
        ];
      },
    };
  },
};

const part = (
  kind: Thing['kind'],
  texture: Texture,
  x: number,
  z: number,
  [width, depth]: readonly [number, number],
  y: number,
): Thing => ({ kind, layer: { texture, plane: flat(x, z, width, depth, y) }, body: 'walker' });

/** Sand with ripples, steps and weed. */
function sand(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const grains = 0.88 + 0.2 * noise(x / 1.6, y / 1.6, 611);
    const [i, j] = [Math.floor(x / 34), Math.floor(y / 26)];
    const step = Math.hypot(
      x - 34 * (i + 0.2 + 0.6 * hash2(i, j, 613)),
      1.6 * (y - 26 * (j + 0.2 + 0.6 * hash2(i, j, 617))),
    );
    const trodden = hash2(i, j, 619) < 0.35 ? 0.2 * smoothstep(8, 3, step) : 0;
    const weed = smoothstep(0.66, 0.72, fractal(x / 70, y / 28, 3, 631));
    const wet = smoothstep(900, 560, y);
    const l = grains * (0.9 + 0.16 * fractal(x / 150, y / 110, 3, 641) - trodden) * (1 - 0.35 * wet);
    out.set([l * (0.78 - 0.5 * weed), l * (0.68 - 0.4 * weed), l * (0.5 - 0.34 * weed), 1]);
  });
}

/** A walk of boards across the sand. */
function boards(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const board = Math.floor(x / 16);
    const gap = smoothstep(0, 2, x % 16) * smoothstep(16, 14, x % 16);
    const l = (0.7 + 0.3 * hash2(board, 3, 643)) * (0.8 + 0.3 * noise(x / 3, y / 40, 647)) * (0.35 + 0.65 * gap);
    const edge = y < 3 || y > height - 3 ? 0.6 : 1;
    out.set([0.55 * l * edge, 0.46 * l * edge, 0.38 * l * edge, 1]);
  });
}

/** A striped towel. */
function cloth(renderer: Renderer, colour: readonly number[]): Texture {
  return renderer.paint(renderer.texture(240, 240), (x, y, out) => {
    const stripe = x % 48 < 24 ? 1 : 0;
    const l = 0.85 + 0.2 * fractal(x / 30, y / 20, 3, 653);
    out.set([...colour.map((c) => Math.min(1, l * (stripe ? c : 0.85))), 1]);
  });
}

/** A parasol from above: eight panels, lit from one side. */
function parasol(renderer: Renderer, colour: readonly number[]): Texture {
  return renderer.paint(renderer.texture(220, 220), (x, y, out) => {
    const [u, v] = [x / 110 - 1, y / 110 - 1];
    const around = Math.atan2(v, u);
    const a = smoothstep(0.97, 0.95, Math.hypot(u, v) / (0.96 + 0.04 * Math.abs(Math.cos(4 * around))));
    const panel = Math.floor(((around + Math.PI) / (2 * Math.PI)) * 8) % 2;
    const l = (0.75 - 0.25 * (u + v)) * (panel === 0 ? 1 : 0.82);
    out.set([...colour.map((c) => Math.min(1, c * l) * a), a]);
  });
}

/** What a parasol shades. */
function blot(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(128, 128), (x, y, out) => {
    const a = 0.55 * smoothstep(1, 0.88, Math.hypot(x / 64 - 1, y / 64 - 1));
    out.set([0.03 * a, 0.03 * a, 0.06 * a, a]);
  });
}

/** Shoulders or a head. @param round - 1 for a circle; below that, arms at the sides. */
function seenFromAbove(renderer: Renderer, colour: readonly number[], round: number): Texture {
  return renderer.paint(renderer.texture(120, 160), (x, y, out) => {
    const [u, v] = [x / 60 - 1, y / 80 - 1];
    const a = smoothstep(1, 0.94, (Math.abs(u) ** (2 / round) + Math.abs(v) ** (2 / round)) ** (round / 2));
    const l = 0.8 - 0.25 * u + 0.25 * fractal(x / 18, y / 18, 3, 659);
    out.set([...colour.map((c) => Math.min(1, c * l) * a), a]);
  });
}

/** Shallow water, with crests along the shore. */
function water(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const deep = smoothstep(height, 0, y);
    const crest = smoothstep(0.62, 0.8, fractal(x / 90, y / 22, 4, 661));
    const l = 0.85 + 0.3 * fractal(x / 30, y / 12, 3, 673);
    const a = 0.75 + 0.25 * deep;
    out.set([(0.2 * l + 0.5 * crest) * a, (0.42 * l + 0.4 * crest) * a, (0.46 * l + 0.38 * crest) * a, a]);
  });
}

/** Foam at the edge of the water. */
function foam(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const edge = 60 + 70 * fractal(x / 140, 0.5, 4, 677);
    const a =
      0.8 *
      smoothstep(edge + 14, edge, y) *
      smoothstep(0.35, 0.6, fractal(x / 12, y / 9, 3, 683)) *
      smoothstep(0, 30, y);
    out.set([0.92 * a, 0.94 * a, 0.95 * a, a]);
  });
}
