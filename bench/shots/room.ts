import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { fractal, hash2, noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { reeds } from '../../demo/surfaces.ts';

/** A window behind and to the left. */
const LIGHT = [0.7, -0.6, 0.4] as const;

/**
 * A living room in the evening, filmed by somebody who steps aside with the telephone in the hand: walls that show next to nothing, furniture at several
 * depths, much grain, and somebody who walks through between them. A plant stands nearest, and stays.
 */
export const room: Shot = {
  name: 'room',
  frames: 110,
  rate: 25,
  subframes: 4,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 860, k1: 0.015, readout: 0.018, shutter: 1 / 50 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '22', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [501, 502, 503, 504, 505].map(handUnrest);
    const paint = plaster(renderer);
    const wall = still(paint, upright(0.4, 6, 4.4, 3.6));
    const side: Plane = { origin: [-3.6, 3.6, 1.4], across: [0, 0, 4.6], down: [0, -3.6, 0] };
    const ground = still(parquet(renderer), flat(0, 3.6, 9, 5.2, 0));
    const carpet = still(rug(renderer), flat(0.3, 4.1, 2.6, 1.5, 0.008));
    const plant = still(reeds(renderer, 420, 420, 1511, 0.8), upright(1.35, 2.1, 0.28, 1.1));
    const walk = {
      ...{ x: -1.9, z: 3.3, speed: 0.95, height: 1.72, seed: 0.3 },
      clothes: {
        coat: [0.5, 0.47, 0.42],
        trousers: [0.2, 0.22, 0.3],
        skin: [0.76, 0.56, 0.45],
        hair: [0.16, 0.11, 0.08],
        shoes: [0.5, 0.2, 0.16],
      },
    } as const;
    const walker = new Walker(renderer, walk, LIGHT, 360, 0.25);
    const furniture = sofa(renderer).concat(still(lamp(renderer), upright(-1.55, 4.5, 0.24, 1.65)));
    return {
      sensor: { vignette: 0.2, read: 3.2, shot: 0.11 },
      pose: (t) => ({
        position: [-0.28 + 0.13 * t + 0.012 * unrest[3](t), 1.45 + 0.012 * unrest[4](t), 0],
        yaw: -0.03 - 0.012 * t + 0.012 * unrest[0](t),
        pitch: -0.12 + 0.012 * unrest[1](t),
        roll: 0.007 * unrest[2](t),
      }),
      things: (t) => {
        const { body, shadow } = walker.at(t);
        return [
          wall,
          still(paint, side),
          ground,
          carpet,
          ...furniture,
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
          plant,
        ];
      },
    };
  },
};

/** A sofa as its back, its seat and its front. */
function sofa(renderer: Renderer): Thing[] {
  const cloth = (height: number, light: number, seed: number): Texture =>
    renderer.paint(renderer.texture(900, height), (x, y, out) => {
      const seam = Math.abs(((x + 150) % 300) - 150) > 147 ? 0.7 : 1;
      const edge = smoothstep(0, 12, Math.min(x, 900 - x)) * smoothstep(0, 10, y);
      const l = light * seam * (0.6 + 0.4 * edge) * (0.94 + 0.12 * fractal(x / 3, y / 3, 2, seed));
      out.set([0.36 * l, 0.46 * l, 0.5 * l, 1]);
    });
  const [left, wide, z] = [-0.4, 2.1, 4.75];
  const seat: Plane = { origin: [left, 0.44, z + 0.6], across: [wide, 0, 0], down: [0, 0, -0.6] };
  return [
    still(cloth(360, 0.9, 1521), { origin: [left, 0.86, z + 0.6], across: [wide, 0, 0], down: [0, -0.5, 0] }),
    still(cloth(260, 1.15, 1523), seat),
    still(cloth(180, 0.75, 1531), { origin: [left, 0.44, z], across: [wide, 0, 0], down: [0, -0.42, 0] }),
  ];
}

/** A wall that shows next to nothing but its skirting board, a picture, and the frame of a door. */
function plaster(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(2640, 870), (x, y, out) => {
    const l = (0.62 + 0.012 * (fractal(x / 40, y / 40, 4, 1541) - 0.5)) * (1.05 - 0.25 * (x / 2640));
    out.set([l, 0.96 * l, 0.86 * l, 1]);
    if (y > 835) out.set([0.74, 0.73, 0.7, 1].map((c, i) => (i < 3 ? c * (y < 840 ? 0.7 : 1) : c)));
    const [px, py] = [x - 760, y - 190];
    if (px > 0 && px < 420 && py > 0 && py < 300) {
      const inner = px > 18 && px < 402 && py > 18 && py < 282;
      const hill = py > 130 + 60 * fractal(px / 130, 3, 3, 1543);
      const tone = 0.5 + 0.4 * fractal(px / 14, py / 10, 3, 1549);
      out.set(
        inner ? (hill ? [0.36 * tone, 0.42 * tone, 0.3, 1] : [0.6, 0.66, 0.72 * tone + 0.2, 1]) : [0.22, 0.15, 0.1, 1],
      );
    }
    const door = x - 1960;
    if (door > 0 && door < 330 && y > 150) {
      const frame = door < 26 || door > 304 || y < 176;
      const panel = Math.abs(((door - 26) % 139) - 70) < 52 && Math.abs(((y - 176) % 340) - 170) < 135;
      const v = frame ? 0.66 : panel ? 0.52 : 0.58;
      out.set([v, 0.97 * v, 0.92 * v, 1]);
    }
  });
}

function parquet(renderer: Renderer): Texture {
  const [long, wide] = [260, 34];
  return renderer.paint(renderer.texture(3600, 2080), (x, y, out) => {
    const row = Math.floor(y / wide);
    const column = Math.floor((x + 97 * (row % 5)) / long);
    const own = 0.75 + 0.4 * hash2(column, row, 1553);
    const grain = 0.88 + 0.24 * fractal(x / 60, y / 2.5, 3, 1559 + (row % 7));
    const joint = y % wide < 1.5 || (x + 97 * (row % 5)) % long < 1.5 ? 0.6 : 1;
    const l = own * grain * joint;
    out.set([0.46 * l, 0.31 * l, 0.18 * l, 1]);
  });
}

function rug(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(1040, 600), (x, y, out) => {
    const [u, v] = [Math.abs(x / 520 - 1), Math.abs(y / 300 - 1)];
    const ring = Math.floor(8 * Math.max(u, v)) % 2;
    const knot = 0.8 + 0.4 * noise(x / 2, y / 2, 1567);
    const tone = ring === 0 ? [0.5, 0.16, 0.14] : [0.62, 0.54, 0.4];
    out.set([...tone.map((c) => c * knot), 1]);
  });
}

function lamp(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(190, 660), (x, y, out) => {
    const u = Math.abs(x - 95);
    const shade = y < 170 && u < 50 + 0.25 * y;
    const pole = y >= 170 && y < 645 && u < 5;
    const foot = y >= 645 && u < 60;
    if (shade) out.set([0.95, 0.85, 0.62, 1]);
    else if (pole || foot) out.set([0.1, 0.09, 0.08, 1]);
    else out.set([0, 0, 0, 0]);
  });
}
