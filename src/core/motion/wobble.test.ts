import { describe, expect, it } from '@jest/globals';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { CameraMotion, solveCamera } from './cameraMotion.ts';
import { residualsOf } from './field.ts';
import type { Link } from './links.ts';
import { solveWobble, WOBBLE_KNOTS, wobbleKnots } from './wobble.ts';

const ASPECT = 9 / 16;
const SIGMA = 4e-4;
const COUNT = 24;
const PAIRS = [1, 2, 4].flatMap((d) => Array.from({ length: COUNT - d }, (_, t): [number, number] => [t, t + d]));
/** Poses of a camera that goes sideways. */
const across = (t: number): number => 0.01 * t;
const poses = Array.from({ length: COUNT }, (_, t) => Float64Array.of(1, 0, across(t), 0, 1, 0, 0, 0, 1));

/** By how much a place of a frame lies beside where it would without any shaking, unit space. */
type Shake = (t: number, x: number, y: number) => number;
/** Rows go to and fro, 3.5 waves a frame, and by 2 px of 1280 at most. */
const rows: Shake = (t, _, y) => 0.003 * Math.sin(3.5 * Math.PI * (y / ASPECT) + 2.1 * t);

/** Links of a world that a camera with shaken rows sees: places of the world are looked up in both frames. */
function linksWith(shake: Shake): Link[] {
  return PAIRS.map(([from, to]) => {
    const [random, gauss] = [randomFrom(1 + from * 31 + to), gaussFrom(7 + from * 17 + to)];
    const matches: number[] = [];
    for (let k = 0; k < 200; k++) {
      const [x, y] = [1.9 * random(), 1.9 * ASPECT * random()];
      const noise = (): number => SIGMA * gauss();
      // The world moves to the left as the camera goes to the right.
      const [u, v] = [x - across(from), x - across(to)];
      matches.push(u + shake(from, u, y) + noise(), y + noise(), v + shake(to, v, y) + noise(), y + noise());
    }
    const matrix = Float64Array.of(1, 0, across(from) - across(to), 0, 1, 0, 0, 0, 1);
    const fit = { matrix, model: 'homography' as const, inliers: 200, scale: SIGMA };
    return { from, to, matches: Float32Array.from(matches), fit, likeness: 1 };
  });
}

const wobbleOf = (shake: Shake) => solveWobble(COUNT, residualsOf(linksWith(shake), poses), SIGMA, ASPECT);

describe('rows that wobble', () => {
  it('lie between knots from the first row to the last', () => {
    const at = (y: number): [number, number[]] => {
      const [index, weight] = [new Int32Array(2), new Float64Array(2)];
      wobbleKnots(y, ASPECT, index, weight);
      return [index[0], [...weight].map((w) => Math.round(100 * w) / 100)];
    };
    expect(at(-ASPECT)).toEqual([0, [1, 0]]);
    expect(at(0)).toEqual([20, [1, 0]]);
    expect(at(ASPECT)[0]).toBe(WOBBLE_KNOTS - 2);
    // Beyond the picture its border goes on.
    expect(at(-2)).toEqual(at(-ASPECT));
  });

  it('are put back to where they would be', () => {
    const { wobble, left } = wobbleOf(rows)!;
    let [off, all] = [0, 0];
    for (let t = 0; t < COUNT; t++) {
      for (let k = 3; k < WOBBLE_KNOTS - 3; k++) {
        const y = ((2 * k) / (WOBBLE_KNOTS - 1) - 1) * ASPECT;
        off += (wobble[2 * (t * WOBBLE_KNOTS + k)] + rows(t, 0, y)) ** 2;
        all += rows(t, 0, y) ** 2;
      }
    }
    expect(Math.sqrt(off / all)).toBeLessThan(0.2);
    const rms = (values: Float64Array): number => Math.sqrt(values.reduce((s, v) => s + v * v, 0) / values.length);
    expect(rms(left.error)).toBeLessThan(1.5 * Math.SQRT2 * SIGMA);
  });

  it('are none where the camera is steady, nor where one side of the picture alone is shaken', () => {
    expect(wobbleOf(() => 0)).toBeUndefined();
    expect(wobbleOf((t, x, y) => (x < 0 ? rows(t, x, y) : 0))).toBeUndefined();
    expect(wobbleOf((t, x, y) => (x < 0 ? 1 : -1) * rows(t, x, y))).toBeUndefined();
  });

  it('are followed by the camera motion that is solved with them', () => {
    const [width, height] = [1280, 720];
    const data = solveCamera(width, height, COUNT, linksWith(rows), SIGMA * (width / 2));
    expect(data.wobble).toHaveLength(COUNT * WOBBLE_KNOTS * 2);
    const camera = new CameraMotion(data);
    const unit = (px: number): number => (px - (height - 1) / 2) / (width / 2);
    let most = 0;
    for (let y = 60; y < height - 60; y += 20) {
      const from = Float64Array.of(640, y);
      camera.map(5, 12, from);
      const [a, b] = [rows(5, 0, unit(y)), rows(12, 0, unit(y))];
      most = Math.max(most, Math.abs(from[0] - (640 + (across(5) - across(12) - a + b) * (width / 2))));
    }
    // Left alone it is up to four px.
    expect(most).toBeLessThan(0.6);
  });
});
