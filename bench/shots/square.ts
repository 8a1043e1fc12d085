import { handUnrest } from '../../demo/camera.ts';
import { flat, upright, Walker, type Clothes } from '../../demo/figure.ts';
import { hash2 } from '../../demo/noise.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;
const PASSERS_BY = 11;
const GONE = 6;

const COATS: Clothes['coat'][] = [
  [0.62, 0.16, 0.14],
  [0.2, 0.3, 0.5],
  [0.5, 0.46, 0.4],
  [0.14, 0.15, 0.17],
  [0.3, 0.42, 0.26],
  [0.72, 0.66, 0.3],
];

const clothesOf = (i: number): Clothes => ({
  coat: COATS[i % COATS.length],
  trousers: [0.16 + 0.2 * hash2(i, 1, 701), 0.17 + 0.16 * hash2(i, 2, 701), 0.2 + 0.18 * hash2(i, 3, 701)],
  skin: [0.78, 0.58, 0.47],
  hair: [0.12 + 0.2 * hash2(i, 4, 701), 0.1 + 0.1 * hash2(i, 5, 701), 0.08],
  shoes: [0.12, 0.11, 0.1],
});

/**
 * A market square full of people, filmed by hand with a phone's poor codec: one of them goes away, some pass behind, some in front, and
 * every place of the background is hidden by somebody now and then.
 */
export const square: Shot = {
  name: 'square',
  frames: 125,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.016, shutter: 1 / 60 },
  codec: ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '27', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [81, 82, 83, 84, 85].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(cobbles(renderer, 4400, 3600), flat(0, 10.5, 22, 17, 0)),
      still(granaryWall(renderer, 3200, 1100), upright(-6.5, 17, 5.5, 3.8)),
      still(wallWithDoor(renderer, 3200, 1100), upright(5, 18.5, 6.2, 4.4)),
    ];
    const people = Array.from({ length: PASSERS_BY }, (_, i) => {
      const speed = (0.7 + 0.8 * hash2(i, 7, 709)) * (i % 2 ? -1 : 1);
      const z = 13.5 - 0.95 * i;
      const middle = (hash2(i, 8, 709) - 0.5) * 0.9 * z * 0.64;
      const walk = { x: middle - 2.5 * speed, z, speed, height: 1.6 + 0.25 * hash2(i, 9, 709), seed: i * 1.7 };
      return new Walker(renderer, { ...walk, clothes: clothesOf(i) }, SUN, 360, 0.45);
    });
    return {
      sensor: { vignette: 0.1, read: 2, shot: 0.06 },
      pose: (t) => ({
        position: [0.01 * unrest[3](t), 1.6 + 0.008 * unrest[4](t), 0],
        yaw: -0.04 + 0.016 * t + 0.012 * unrest[0](t),
        pitch: -0.1 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const passing = people.map((walker, i) => ({ ...walker.at(t), kind: kindOf(i), name: nameOf(i) }));
        return [
          ...world,
          ...passing.map(({ shadow, kind }): Thing => ({ kind, layer: shadow })),
          ...passing.map(({ body, kind, name }): Thing => ({ kind, layer: body, body: name })),
        ];
      },
    };
  },
};

const kindOf = (i: number): Thing['kind'] => (i === GONE ? 'gone' : 'moves');
const nameOf = (i: number): string => (i === GONE ? 'walker' : `passer-by ${i}`);
