import { cameraAxes, handUnrest, type Plane, type Pose, type Vec3 } from '../../demo/camera.ts';
import { flat, upright, Walker } from '../../demo/figure.ts';
import { fractal, noise, smoothstep } from '../../demo/noise.ts';
import type { Renderer, Texture } from '../../demo/renderer.ts';
import { still, type Shot, type Thing } from '../../demo/shot.ts';
import { fenland, granaryWall, mooringPost, paintedSign, skyWithMill, wallWithDoor } from '../../demo/surfaces.ts';

const SUN = [-0.6, -0.8, 0.2] as const;
const SPEED = 5;
const BONNET = { width: 640, height: 200 };

/**
 * A camera behind the windscreen of a car that drives along a street. Its bonnet, in which the sky goes by, is fixed to the picture and
 * hides the street's nearest part. Somebody crosses before it, in the end with the feet behind the bonnet.
 */
const driving = (name: string, hasBonnet: boolean): Shot => ({
  name,
  frames: 100,
  rate: 30,
  subframes: 3,
  file: 'mp4',
  lens: { width: 1280, height: 720, focal: 800, k1: 0.03, readout: 0.016, shutter: 1 / 120 },
  codec: ['-c:v', 'libx264', '-preset', 'fast', '-crf', '21', '-pix_fmt', 'yuv420p'],
  build(renderer) {
    const unrest = [711, 712, 713, 714].map(handUnrest);
    const walk = {
      ...{ x: 2.6, z: 21, speed: -1.35, height: 1.74, seed: 0.4 },
      clothes: {
        coat: [0.2, 0.26, 0.36],
        trousers: [0.3, 0.27, 0.22],
        skin: [0.76, 0.57, 0.46],
        hair: [0.3, 0.2, 0.12],
        shoes: [0.7, 0.7, 0.68],
      },
    } as const;
    const walker = new Walker(renderer, walk, SUN, 420, 0.5);
    const world = street(renderer);
    const bonnet = hasBonnet ? renderer.texture(BONNET.width, BONNET.height) : undefined;
    const pose = (t: number): Pose => ({
      position: [0.05 * unrest[3](t), 1.32 + 0.008 * unrest[2](3 * t), SPEED * t],
      yaw: 0.01 * unrest[0](t),
      pitch: -0.02 + 0.004 * unrest[1](4 * t),
      roll: 0.003 * unrest[2](3 * t),
    });
    return {
      sensor: { vignette: 0.15, read: 1.8, shot: 0.06 },
      pose,
      things: (t) => {
        const { body, shadow } = walker.at(t);
        if (bonnet) paintBonnet(renderer, bonnet, SPEED * t);
        return [
          ...world,
          { kind: 'gone', layer: shadow },
          { kind: 'gone', layer: body, body: 'walker' },
          ...(bonnet ? [{ kind: 'moves' as const, layer: { texture: bonnet, plane: onCar(pose(t)) } }] : []),
        ];
      },
    };
  },
});

/** The street with the bonnet before it. */
export const dash = driving('dash', true);

/** The same way without a bonnet: what is left is the driving itself. */
export const drive = driving('drive', false);

function street(renderer: Renderer): Thing[] {
  const brick = granaryWall(renderer, 3600, 900);
  const grass = fenland(renderer, 1000);
  const stones = pavement(renderer);
  const plaster = wallWithDoor(renderer, 3000, 1300);
  const side = (x: number, z: number, length: number, height: number): Plane => ({
    origin: x < 0 ? [x, height, z] : [x, height, z + length],
    across: [0, 0, x < 0 ? length : -length],
    down: [0, -height, 0],
  });
  return [
    still(skyWithMill(renderer, 4000, 1600, 1100), upright(4, 110, 230, 62)),
    still(fenland(renderer, 1400), flat(4, 75, 200, 70, -0.02)),
    still(asphalt(renderer), flat(0, 30, 9, 62, 0)),
    ...[-16, 16].map((x) => still(grass, flat(x, 30, 20.5, 62, -0.01))),
    ...[-4.6, 4.6].map((x) => still(stones, flat(x, 30, 2.4, 62, 0.1))),
    still(plaster, side(-6, -1, 17, 6)),
    still(brick, side(-6, 17.5, 20, 5)),
    still(plaster, side(-6, 39, 17, 6.5)),
    still(brick, side(6, -1, 20, 5)),
    still(plaster, side(6, 21, 17, 6.2)),
    still(brick, side(6, 40, 20, 4.5)),
    ...[47, 36, 27].map((z) => still(mooringPost(renderer, 130, 800), upright(3.6, z, 0.1, 2.6))),
    ...[41, 29].map((z) => still(mooringPost(renderer, 130, 800), upright(-3.6, z, 0.1, 2.6))),
    still(paintedSign(renderer, 600, 400), upright(3.7, 33, 0.5, 2.4)),
  ];
}

/** A road with a dashed line along its middle, patched and cracked. */
function asphalt(renderer: Renderer): Texture {
  const [width, height] = [900, 6200];
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const line = Math.abs(x - width / 2) < 7 && y % 600 < 300;
    const crack = Math.abs(noise(x / 60, y / 160, 1811) - 0.5) < 0.008 ? 0.6 : 1;
    const patch = noise(x / 140, y / 330, 1813) > 0.66 ? 0.8 : 1;
    const rough = 0.75 + 0.35 * fractal(x / 4, y / 4, 3, 1817) + 0.2 * (fractal(x / 90, y / 400, 3, 1819) - 0.5);
    const l = (line ? 0.62 + 0.1 * fractal(x / 5, y / 5, 2, 1823) : 0.26 * patch * crack) * rough;
    out.set([l, l, 1.02 * l, 1]);
  });
}

function pavement(renderer: Renderer): Texture {
  return renderer.paint(renderer.texture(240, 6200), (x, y, out) => {
    const joint = x % 60 < 2 || (y + (Math.floor(x / 60) % 2) * 30) % 60 < 2 ? 0.7 : 1;
    const l = 0.42 * joint * (0.85 + 0.3 * fractal(x / 6, y / 6, 3, 1831));
    out.set([l, 0.98 * l, 0.93 * l, 1]);
  });
}

/** Dark paint in which light of the sky goes by, brighter towards its far edge, which is an arc. */
function paintBonnet(renderer: Renderer, texture: Texture, driven: number): void {
  const { width, height } = BONNET;
  renderer.paint(texture, (x, y, out) => {
    const [u, v] = [(2 * x) / width - 1, y / height];
    const a = smoothstep(0, 0.012, v - 0.04 - 0.16 * u * u);
    const crease = Math.abs(Math.abs(u) - 0.45 - 0.12 * v) < 0.008 ? 0.6 : 1;
    const sky = smoothstep(0.45, 0.75, noise(3 * u + 7, 4 * v + 0.55 * driven, 1847));
    const l = crease * (0.09 + 0.4 * sky * (1 - 0.6 * v) + 0.22 * smoothstep(0.12, 0.02, v - 0.04 - 0.16 * u * u));
    out.set([0.9 * l * a, 0.8 * l * a, 0.8 * l * a, a]);
  });
}

/** The bonnet's plane: it turns and travels with the camera. */
function onCar(pose: Pose): Plane {
  const [right, down, ahead] = cameraAxes(pose);
  const at = (x: number, y: number, z: number): Vec3 =>
    [0, 1, 2].map((i) => x * right[i] + y * down[i] + z * ahead[i]) as unknown as Vec3;
  const far = at(-1.7, 0.33, 1.7);
  return {
    origin: [0, 1, 2].map((i) => pose.position[i] + far[i]) as unknown as Vec3,
    across: at(3.4, 0, 0),
    down: at(0, 0.28, -0.9),
  };
}
