import { handUnrest } from '../camera.ts';
import { flat, upright, Walker } from '../figure.ts';
import { marshWithBoards, reeds, skyWithMill } from '../surfaces.ts';
import type { Shot, Thing } from '../shot.ts';

/** The low sun casts long soft shadows towards the camera. */
const SUN = [0.2, -0.5, -0.55] as const;

/** Handheld at dusk, written as 10-bit log with strong grain: two walkers go away, one of them small and far. */
export const duskLog: Shot = {
  name: 'dusk-log',
  frames: 100,
  rate: 25,
  subframes: 3,
  file: 'mp4',
  log: true,
  lens: { width: 1920, height: 1080, focal: 1650, k1: 0.01, readout: 0, shutter: 1 / 50 },
  codec: [
    '-c:v',
    'libx265',
    '-preset',
    'fast',
    '-crf',
    '14',
    '-pix_fmt',
    'yuv420p10le',
    '-tag:v',
    'hvc1',
    '-x265-params',
    'log-level=error',
  ],
  build(renderer) {
    const unrest = [21, 22, 23, 24, 25].map(handUnrest);
    // One colour over everything takes the day's light away.
    const dusk = renderer.paint(renderer.texture(64, 64), (_x, _y, out) => out.set([0.4, 0.42, 0.52, 1]));
    const world: Thing[] = [
      { kind: 'still', layer: { texture: skyWithMill(renderer, 2048, 720, 611), plane: upright(0, 200, 190, 133.6) } },
      { kind: 'still', layer: { texture: reeds(renderer, 3200, 360, 607, 0.8), plane: upright(0, 27, 22, 3) } },
      {
        kind: 'still',
        layer: { texture: marshWithBoards(renderer, 4096, 3072, [2400, 2560], 61), plane: flat(0, 15, 26, 24, 0) },
      },
    ];
    world[0].layer.plane = { origin: [-190, 105.5, 200], across: [380, 0, 0], down: [0, -133.6, 0] };
    const clothes = (coat: [number, number, number]) => ({
      coat,
      trousers: [0.22, 0.22, 0.26] as const,
      skin: [0.75, 0.58, 0.5] as const,
      hair: [0.12, 0.1, 0.09] as const,
      shoes: [0.12, 0.1, 0.1] as const,
    });
    const walkers = [
      new Walker(
        renderer,
        { x: 2.6, z: 7, speed: -1.15, height: 1.72, seed: 0.7, clothes: clothes([0.75, 0.7, 0.58]) },
        SUN,
      ),
      new Walker(
        renderer,
        { x: -3.4, z: 19, speed: 1.3, height: 1.8, seed: 3.3, clothes: clothes([0.5, 0.2, 0.2]) },
        SUN,
      ),
    ];
    const veil: Thing = {
      kind: 'light',
      layer: { texture: dusk, multiply: true, plane: { origin: [-40, 40, 1], across: [80, 0, 0], down: [0, -80, 0] } },
    };
    return {
      sensor: { vignette: 0.22, read: 2.2, shot: 0.35 },
      pose: (t) => ({
        position: [0.01 * unrest[3](t), 1.6 + 0.006 * unrest[4](t), 0],
        yaw: 0.012 * unrest[0](t),
        pitch: -0.06 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const walking = walkers.map((w) => w.at(t));
        return [
          ...world,
          ...walking.map((w): Thing => ({ kind: 'gone', layer: w.shadow })),
          // The farther one first: what is near lies over it.
          { kind: 'gone', layer: walking[1].body, body: 'far walker' },
          { kind: 'gone', layer: walking[0].body, body: 'near walker' },
          veil,
        ];
      },
    };
  },
};
