import { handUnrest, type Plane } from '../../demo/camera.ts';
import { flat, upright } from '../../demo/figure.ts';
import { noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, paintedSign, reeds, skyWithMill } from '../../demo/surfaces.ts';

/** Texels a metre of the cables' picture. */
const FINE = 240;
/** What the cables' picture spans, m. */
const SPAN = { wide: 13, high: 0.9 };
/** Heights at which cables leave their post, m below the picture's top, and how far each hangs through. */
const CABLES = [
  { at: 0.12, sag: 0.25, thick: 0.022 },
  { at: 0.32, sag: 0.33, thick: 0.03 },
  { at: 0.5, sag: 0.3, thick: 0.016 },
];
const POST_Z = 6;

/**
 * Nothing that goes away moves: a lamp post and the cables that hang from it, before houses and the sky, seen by a drone that goes up
 * and sideways. A hole of a few px that runs through all of the picture.
 */
export const cables: Shot = {
  name: 'cables',
  frames: 100,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 950, k1: 0.008, readout: 0.01, shutter: 1 / 200 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [171, 172, 173, 174].map(handUnrest);
    const wall = granaryWall(renderer, 3600, 1100);
    const world = [
      still(skyWithMill(renderer, 4000, 1600, 1100), upright(0, 70, 150, 42)),
      still(cobbles(renderer, 4800, 3000), flat(0, 8, 30, 16, 0)),
      ...[-8, 5.6].map((x) => still(wall, upright(x, 14, 7.2, 3.4))),
      still(paintedSign(renderer, 900, 600), upright(3.1, 13.9, 1.3, 1.9)),
      ...[-3.6, -0.4, 5.2].map((x, i) => still(reeds(renderer, 700, 300, 971 + i, 0.9), upright(x, 12.6, 2.2, 1.2))),
    ];
    const post: Plane = upright(0.9, POST_Z, 0.07, 4.2);
    const away: Thing[] = [
      { kind: 'gone', layer: { texture: postShadow(renderer), plane: flat(1.9, POST_Z + 0.9, 2.4, 1.8, 0.01) } },
      { kind: 'gone', layer: { texture: lampPost(renderer), plane: post }, body: 'post' },
      { kind: 'gone', layer: { texture: hanging(renderer), plane: across(0.9, 3.9) }, body: 'cables' },
    ];
    return {
      sensor: { vignette: 0.1, read: 1.4, shot: 0.05 },
      pose: (t) => ({
        position: [-1 + 0.5 * t + 0.01 * unrest[2](t), 2.1 + 0.22 * t + 0.01 * unrest[3](t), 0],
        yaw: 0.02 + 0.006 * unrest[0](t),
        pitch: 0.02 - 0.02 * t + 0.006 * unrest[1](t),
        roll: 0.01,
      }),
      things: () => [...world, ...away],
    };
  },
};

/** An upright picture about an x, its top at a height. */
const across = (x: number, top: number): Plane => ({
  origin: [x - SPAN.wide / 2, top, POST_Z],
  across: [SPAN.wide, 0, 0],
  down: [0, -SPAN.high, 0],
});

function hanging(renderer: Renderer): Texture {
  const [width, height] = [SPAN.wide * FINE, Math.round(SPAN.high * FINE)];
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    // Each half hangs from the post in the middle to one beyond the picture's side.
    const u = Math.abs(x / width - 0.5) * 2;
    const low = 4 * u * (1 - u);
    for (const { at, sag, thick } of CABLES) {
      const off = (y / FINE - at - sag * low) / (thick / 2);
      if (Math.abs(off) > 1.1) continue;
      const light = 0.07 + 0.12 * smoothstep(0.2, -1, off) + 0.03 * noise(x / 5, y / 3, 983);
      const a = smoothstep(1.1, 0.9, Math.abs(off));
      out.set([light * a, light * a, 1.05 * light * a, a]);
      return;
    }
    out.fill(0);
  });
}

function lampPost(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(64, 2048), (x, y, out) => {
    const u = (x / 64 - 0.5) * 2;
    const half = y > 1850 ? 0.95 : 0.62 - 0.12 * (1 - y / 1850);
    const a = smoothstep(half, half - 0.06, Math.abs(u));
    const light = (0.3 + 0.25 * Math.sqrt(Math.max(0, 1 - (u / half) ** 2))) * (0.85 + 0.2 * noise(x / 4, y / 60, 991));
    out.set([0.8 * light * a, 0.92 * light * a, 0.85 * light * a, a]);
  });
}

/** The post's shadow, from the foot towards the right and away. */
function postShadow(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(480, 360), (x, y, out) => {
    const [along, off] = [x / 480, Math.abs(y / 360 - (1 - x / 480))];
    const soft = 0.01 + 0.03 * along;
    const a = 0.5 * smoothstep(0.03 + soft, 0.03 - soft / 2, off);
    out.set([0.01 * a, 0.02 * a, 0.04 * a, a]);
  });
}
