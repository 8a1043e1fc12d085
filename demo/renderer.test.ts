import { describe, expect, it } from '@jest/globals';
import { project } from '../src/core/geometry/homography.ts';
import { pixelToPlane, type Lens, type Plane, type Pose } from './camera.ts';
import { flat } from './figure.ts';
import { Renderer } from './renderer.ts';

const lens: Lens = { width: 160, height: 96, focal: 100, k1: 0, readout: 0, shutter: 0 };
const pose: Pose = { position: [0, 1.5, 0], yaw: 0.1, pitch: 0, roll: 0.02 };
const SIDE = 512;
const [cx, cy] = [(lens.width - 1) / 2, (lens.height - 1) / 2];

/** A picture of a plane whose colours tell the place on it: red across, green down. */
async function pictureOf(plane: Plane): Promise<(x: number, y: number) => Float32Array> {
  const renderer = await Renderer.create(lens);
  const texture = renderer.paint(renderer.texture(SIDE, SIDE), (x, y, out) =>
    out.set([(x + 0.5) / SIDE, (y + 0.5) / SIDE, 0, 1]),
  );
  const picture = renderer.picture();
  renderer.clear(picture);
  renderer.draw({ texture, plane }, () => pose, 0, picture);
  const values = renderer.f32(picture, lens.width * lens.height * 4);
  return (x, y) => values.subarray(4 * (y * lens.width + x), 4 * (y * lens.width + x) + 4);
}

describe('a plane seen aslant', () => {
  it('has every place where the lens shows it, up to the horizon', async () => {
    const ground = flat(0, 40, 200, 78, 0);
    const at = await pictureOf(ground);
    const inverse = pixelToPlane(pose, ground, lens.focal);
    const right: number[] = [];
    const drawn: number[] = [];
    for (let y = 0; y < lens.height; y++) {
      for (let x = 4; x < lens.width; x += 8) {
        const place = project(inverse, x - cx, y - cy);
        const inFront = inverse[6] * (x - cx) + inverse[7] * (y - cy) + inverse[8] > 0;
        // At its rim a texture is mixed with nothing.
        if (!inFront || at(x, y)[3] < 0.999) continue;
        right.push(place.x, place.y);
        drawn.push(...at(x, y).subarray(0, 2));
      }
    }
    expect(right.length).toBeGreaterThan(1000);
    // What is farthest away is some px below the horizon.
    expect(Math.min(...right.filter((_, i) => i % 2 === 1))).toBeLessThan(0.15);
    const off = right.map((v, i) => Math.abs(v - drawn[i]));
    expect(Math.max(...off)).toBeLessThan(0.002);
  });

  it('is not there above the horizon, nor behind the camera', async () => {
    const at = await pictureOf(flat(0, 0, 200, 160, 0));
    for (const x of [10, 80, 150]) expect(at(x, 30)[3]).toBe(0);
    expect(at(80, 90)[3]).toBe(1);
  });
});
