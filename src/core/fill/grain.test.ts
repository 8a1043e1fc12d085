import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import type { FrameFormat } from '../image/format.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import {
  BLOCK_FLOATS,
  grainModel,
  GRAIN_SIDE,
  kernelNumber,
  measureGrain,
  sigmaAt,
  stillness,
  textureClass,
  type GrainModel,
  resampledShare,
} from './grain.ts';
import { GrainDrift } from './grainDrift.ts';
import { GrainField } from './grainField.ts';
import { compareGrain } from './likeness.ts';
import type { RimResidual } from './measure.ts';
import { makeRegion } from './region.ts';
import { gaussFrom } from '../testing/random.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

const gauss = gaussFrom(1);

describe('grain', () => {
  it('measures level and correlation, and the kernel brings both back', () => {
    const [w, h] = [240, 240];
    const white = Float32Array.from({ length: w * h }, gauss);
    // Each sample mixed with its left neighbour: variance 1, correlation 0.48 at lag 1.
    const residual = white.map((v, i) => 3 * (0.8 * v + 0.6 * (white[i - 1] ?? 0)));
    const flat = new Float32Array(w * h).fill(100);
    const blocks: Float32Array[] = [];
    for (let k = 0; k < 6; k++)
      blocks.push(
        measureGrain(
          residual.map((_, i) => residual[(i + k * 977) % residual.length]),
          flat,
          () => 0.4,
          new Uint8Array(w * h).fill(1),
          w,
          h,
        ),
      );
    expect(blocks[0].length % BLOCK_FLOATS).toBe(0);
    const model = grainModel(blocks, 255)!;
    expect(sigmaAt(model, 0.4, 0)).toBeCloseTo(3, 0);
    const kernel = model.kernels[kernelNumber(0, 0)];
    let [energy, lag] = [0, 0];
    for (let y = 0; y < GRAIN_SIDE; y++) {
      for (let x = 0; x < GRAIN_SIDE; x++) {
        energy += kernel[y * GRAIN_SIDE + x] ** 2;
        if (x > 0) lag += kernel[y * GRAIN_SIDE + x] * kernel[y * GRAIN_SIDE + x - 1];
      }
    }
    // A little of the variance is slower than grain and is left out.
    expect(energy).toBeGreaterThan(0.75);
    expect(energy).toBeLessThan(1);
    expect(lag / energy).toBeGreaterThan(0.15);
    expect(lag / energy).toBeLessThan(0.6);
  });

  it('loses by resampling what bicubic weights take of white noise, and little if it is coarse', () => {
    const kernel = (of: (x: number, y: number) => number): Float32Array =>
      Float32Array.from({ length: GRAIN_SIDE ** 2 }, (_, i) =>
        of((i % GRAIN_SIDE) - 3, Math.floor(i / GRAIN_SIDE) - 3),
      );
    // The mean of the squares of the four weights over all phases is 57/70, and that each way.
    expect(resampledShare(kernel((x, y) => (x === 0 && y === 0 ? 1 : 0)))).toBeCloseTo((57 / 70) ** 2, 3);
    expect(resampledShare(kernel((x, y) => Math.exp(-(x * x + y * y) / 4)))).toBeGreaterThan(0.95);
    expect(resampledShare(kernel(() => 0))).toBe(1);
  });

  /** Blocks of one luma with a texture and a grain of given standard deviations. */
  const blocksOf = (count: number, luma: number, texture: number, grain: number): Float32Array =>
    Float32Array.from({ length: count * BLOCK_FLOATS }, (_, i) => {
      const k = i % BLOCK_FLOATS;
      return k === 0 ? luma : k === 1 ? grain * grain : k === 2 ? texture * texture : 0;
    });

  it('is what an even part shows there, though most of the picture of its luma has texture and much more', () => {
    // Of 102 blocks twelve are an even sky between facades of the same luma, in which differences are of registration.
    const model = grainModel([blocksOf(90, 0.38, 30, 9), blocksOf(12, 0.38, 0.4, 0.5)], 255)!;
    const [sky, facade] = [textureClass(0.4 ** 2, 255), textureClass(30 ** 2, 255)];
    expect(sigmaAt(model, 0.38, facade)).toBeCloseTo(9, 1);
    expect(sigmaAt(model, 0.38, sky)).toBeCloseTo(0.5, 1);
  });

  it('is no more on texture than the smoothest blocks show, and the same everywhere if it is grain', () => {
    const model = grainModel([blocksOf(60, 0.5, 2, 3), blocksOf(60, 0.5, 20, 11)], 255)!;
    for (const texture of [0, 2, 20, 60])
      expect(sigmaAt(model, 0.5, textureClass(texture ** 2, 255))).toBeCloseTo(3, 1);
  });

  it('has a class that rises by one where texture doubles, and ends at both ends', () => {
    expect(textureClass(8 ** 2, 255) - textureClass(4 ** 2, 255)).toBeCloseTo(1, 6);
    expect(textureClass(4 ** 2, 255)).toBeCloseTo(textureClass(16 ** 2, 1020), 6);
    expect(textureClass(0, 255)).toBe(0);
    expect(textureClass(1e9, 255)).toBe(6);
  });

  it('has no opinion without blocks', () => {
    expect(grainModel([], 255)).toBeUndefined();
  });
});

describe('stillness', () => {
  const region = (frame: number): RimResidual['region'] => ({
    frame,
    rect: { x: 0, y: 0, width: 96, height: 64 },
    cols: 6,
    rows: 4,
    active: new Uint8Array(24),
    alpha: new Uint8Array(0),
    known: new Uint8Array(0),
  });
  const residual = (frame: number, values: Float32Array): RimResidual => ({
    region: region(frame),
    values,
    rim: new Uint8Array(values.length).fill(1),
    seen: new Uint8Array(values.length).fill(1),
  });
  const motion = new CameraMotion(solveCamera(96, 64, 2, [], 1));
  const noise = (): Float32Array => Float32Array.from({ length: 96 * 64 }, gauss);

  it('is the share of grain that two frames have in common, whatever slow light lies over it', () => {
    const [kept, a, b] = [noise(), noise(), noise()];
    const frame = (own: Float32Array, light: number): Float32Array =>
      kept.map((v, i) => Math.sqrt(0.7) * v + Math.sqrt(0.3) * own[i] + light * Math.sin((i % 96) / 40));
    const likeness = compareGrain(residual(1, frame(b, 9)), residual(0, frame(a, -4)), motion);
    expect(stillness([likeness])).toBeCloseTo(0.7, 1);
  });

  it('is more than the correlation where a codec left half of the blocks as they were, and coded the others anew', () => {
    const [before, other] = [noise(), noise()];
    const after = before.map((v, i) => (i % 96 < 48 ? v : other[i]));
    // They are apart by √2 of the grain on half of the px: as if 3 of 4 parts of all of it stayed.
    expect(stillness([compareGrain(residual(1, after), residual(0, before), motion)])).toBeCloseTo(0.75, 1);
  });

  it('is nothing for unlike frames and without a measurement', () => {
    expect(stillness([compareGrain(residual(1, noise()), residual(0, noise()), motion)])).toBeLessThan(0.1);
    expect(stillness([])).toBe(0);
  });
});

/** A camera under which the picture moves by so many px per frame, and nearer by so much. */
function moving(dx: number, dy: number, zoom = 1): CameraMotion {
  return {
    data: { width: 320, height: 192, count: 100 },
    sameScene: (a: number, b: number) => a >= 90 === b >= 90,
    map: (from: number, to: number, points: Float64Array) => {
      const k = zoom ** (to - from);
      for (let i = 0; i < points.length; i += 2) {
        points[i] = 160 + (points[i] - 160) * k + dx * (to - from);
        points[i + 1] = 96 + (points[i + 1] - 96) * k + dy * (to - from);
      }
    },
  } as unknown as CameraMotion;
}

describe('drift', () => {
  it('goes against the movement, by as much', () => {
    const drift = new GrainDrift(moving(0.7, -0.25));
    const [x, y] = drift.at(60, 100, 50);
    expect(x).toBeCloseTo(-7, 6);
    expect(y).toBeCloseTo(2.5, 6);
    expect(drift.at(40, 100, 50)[0]).toBeCloseTo(7, 6);
    expect(drift.at(50, 3, 5)).toEqual([0, 0]);
  });

  it('stays with the scene from frame to frame, also where the camera comes nearer', () => {
    const camera = moving(0.4, 0, 1.01);
    const drift = new GrainDrift(camera);
    for (const [x, y] of [
      [30, 20],
      [160, 96],
      [300, 150],
    ] as const) {
      for (const t of [20, 47, 60, 79]) {
        const next = Float64Array.of(x, y);
        camera.map(t, t + 1, next);
        const [a, b] = [drift.at(t, x, y), drift.at(t + 1, next[0], next[1])];
        // Its place in the pattern is the same, but for what the pattern itself is stretched by.
        expect(Math.abs(x + a[0] - next[0] - b[0])).toBeLessThan(0.02 * (1 + Math.abs(t - 50)));
        expect(Math.abs(y + a[1] - next[1] - b[1])).toBeLessThan(0.02 * (1 + Math.abs(t - 50)));
      }
    }
  });

  it('does not jump over a cut, beyond which nothing stays', () => {
    const drift = new GrainDrift(moving(1, 0));
    expect(drift.at(90, 50, 50)).toEqual(drift.at(89, 50, 50));
  });
});

describe('grain field', () => {
  const [W, H] = [320, 192];
  const plane = { width: W, height: H, stepX: 1, stepY: 1 };
  const format = { width: W, height: H, depth: 8, planes: [plane], colourPlanes: 1 } as FrameFormat;
  const allHole = {
    format,
    count: 100,
    readRows: (_f: number, _p: number, _y: number, rows: number, into: Uint16Array | Uint8Array) => {
      into.fill(255, 0, rows * W);
    },
  };
  const region = (frame: number): ReturnType<typeof makeRegion> =>
    makeRegion(kernels, frame, { x: 0, y: 0, width: W, height: H }, allHole, false);

  /** Of noise that is alike over about two px. */
  const model = (): GrainModel => {
    const [w, h] = [120, 120];
    const white = Float32Array.from({ length: w * h }, gauss);
    const soft = white.map((v, i) => 0.6 * v + 0.4 * (white[i + 1] ?? 0) + 0.4 * (white[i + w] ?? 0));
    const flat = new Float32Array(w * h).fill(100);
    const blocks = measureGrain(soft, flat, () => 0.4, new Uint8Array(w * h).fill(1), w, h);
    return grainModel([blocks], 255)!;
  };
  const field = (camera: CameraMotion, stillness: number): ((frame: number) => Float32Array) => {
    const made = new GrainField(kernels, new GrainDrift(camera), format, stillness, 7);
    const grain = model();
    return (frame) => made.make(grain, region(frame), 0);
  };

  /** Correlation of two fields, one moved by whole px, away from the border. */
  function alike(a: Float32Array, b: Float32Array, dx: number, dy: number): number {
    let [ab, aa, bb] = [0, 0, 0];
    for (let y = 24; y < H - 24; y++) {
      for (let x = 24; x < W - 24; x++) {
        const [p, q] = [a[y * W + x], b[(y + dy) * W + x + dx]];
        ab += p * q;
        aa += p * p;
        bb += q * q;
      }
    }
    return ab / Math.sqrt(aa * bb);
  }

  const variance = (v: Float32Array): number => v.reduce((sum, x) => sum + x * x, 0) / v.length;

  it('stays with the scene as much as it was found to, between px too', () => {
    const at = field(moving(0.75, -0.5), 0.8);
    expect(alike(at(0), at(4), 3, -2)).toBeCloseTo(0.8, 1);
    // Frames 2 and 6: shifted by halves of a px each.
    expect(alike(at(2), at(6), 3, -2)).toBeCloseTo(0.8, 1);
    expect(alike(at(0), at(4), 0, 0)).toBeLessThan(0.3);
  });

  it('is as strong wherever it lies between px', () => {
    const at = field(moving(0.25, 0.25), 0.9);
    const first = variance(at(0));
    for (const t of [1, 2, 3]) expect(variance(at(t)) / first).toBeCloseTo(1, 1);
  });

  it('is new in every frame where nothing stays, and the same for the same frame', () => {
    const at = field(moving(0, 0), 0);
    expect(Math.abs(alike(at(0), at(1), 0, 0))).toBeLessThan(0.05);
    expect(at(3)).toEqual(at(3));
  });

  it('depends on the place in the frame, not on the rectangle that is asked for', () => {
    const made = new GrainField(kernels, new GrainDrift(moving(0.3, 0.1)), format, 0.7, 7);
    const grain = model();
    const part = makeRegion(kernels, 5, { x: 64, y: 64, width: 96, height: 64 }, allHole, false);
    const [all, some] = [made.make(grain, region(5), 0), made.make(grain, part, 0)];
    const different = some.filter((v, i) => {
      const [x, y] = [i % 96, Math.floor(i / 96)];
      return x >= 8 && y >= 8 && x < 88 && y < 56 && v !== all[(y + 64) * W + x + 64];
    });
    expect(different.length).toBe(0);
  });
});
