import { handUnrest } from '../../demo/camera.ts';
import { cyclistLimbs, flat, paintLimbs, paintShadow, upright, Walker, type Clothes } from '../../demo/figure.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { cobbles, granaryWall, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const SUN = [-0.5, -0.8, -0.3] as const;

const clothes = (coat: Clothes['coat'], trousers: Clothes['trousers']): Clothes => ({
  coat,
  trousers,
  skin: [0.78, 0.58, 0.47],
  hair: [0.16, 0.11, 0.08],
  shoes: [0.12, 0.11, 0.1],
});

const FAR = [
  { x: -4.6, z: 11, speed: 1.35, height: 1.76, seed: 0.6, clothes: clothes([0.62, 0.2, 0.16], [0.2, 0.2, 0.26]) },
  { x: 4.1, z: 9.5, speed: -0.9, height: 1.66, seed: 2.1, clothes: clothes([0.72, 0.68, 0.5], [0.25, 0.28, 0.4]) },
] as const;
const CYCLIST = { z: 12.5, from: 11, speed: -4.2, clothes: clothes([0.2, 0.42, 0.34], [0.16, 0.16, 0.2]) };

/** Somebody near goes away, behind whom two people and a cyclist pass who stay: they have to be seen through the hole. */
export const behind: Shot = {
  name: 'behind',
  frames: 125,
  rate: 25,
  subframes: 2,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 1000, k1: 0.01, readout: 0.012, shutter: 1 / 100 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '20', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [111, 112, 113, 114, 115].map(handUnrest);
    const world = [
      still(skyWithMill(renderer, 3000, 1600, 1100), upright(3, 90, 150, 42)),
      still(cobbles(renderer, 4400, 3200), flat(0, 9.5, 24, 15, 0)),
      still(granaryWall(renderer, 3200, 1100), upright(-6.5, 15, 5.5, 3.8)),
      still(wallWithDoor(renderer, 3200, 1100), upright(5, 16, 6.2, 4.4)),
    ];
    const far = FAR.map((walk) => new Walker(renderer, walk, SUN, 360, 0.45));
    const near = new Walker(
      renderer,
      { x: 1.9, z: 4.6, speed: -0.75, height: 1.74, seed: 1.3, clothes: clothes([0.3, 0.34, 0.5], [0.3, 0.26, 0.2]) },
      SUN,
      480,
      0.45,
    );
    const [rider, shade] = [renderer.texture(440, 385), renderer.texture(400, 160)];
    return {
      sensor: { vignette: 0.1, read: 1.6, shot: 0.05 },
      pose: (t) => ({
        position: [0.012 * unrest[3](t), 1.6 + 0.01 * unrest[4](t), 0],
        yaw: 0.012 * unrest[0](t),
        pitch: -0.08 + 0.01 * unrest[1](t),
        roll: 0.006 * unrest[2](t),
      }),
      things: (t) => {
        const limbs = cyclistLimbs(t, CYCLIST.speed, CYCLIST.clothes);
        const x = CYCLIST.from + CYCLIST.speed * t;
        paintLimbs(renderer, rider, limbs, 1.1, 1.925, SUN, 487);
        paintShadow(renderer, shade, limbs, { width: 5, depth: 2.4 }, SUN, 0.45);
        const passing = far.map((walker) => walker.at(t));
        const gone = near.at(t);
        return [
          ...world,
          { kind: 'moves', layer: { texture: shade, plane: flat(x, CYCLIST.z, 5, 2.4, 0.002) } },
          ...passing.map(({ shadow }): Thing => ({ kind: 'moves', layer: shadow })),
          { kind: 'gone', layer: gone.shadow },
          { kind: 'moves', layer: { texture: rider, plane: upright(x, CYCLIST.z, 1.1, 1.925) }, body: 'cyclist' },
          ...passing.map(({ body }, i): Thing => ({ kind: 'moves', layer: body, body: `passer-by ${i}` })),
          { kind: 'gone', layer: gone.body, body: 'walker' },
        ];
      },
    };
  },
};
