import { beforeAll, describe, expect, it } from '@jest/globals';
import { loadKernels } from '../media/kernelFile.ts';
import type { Kernels } from './kernels.ts';

let k: Kernels;
beforeAll(async () => {
  k = await loadKernels(64 << 20);
});

/** A plane whose sample (x, y) is f(x, y). */
function plane(w: number, h: number, f: (x: number, y: number) => number): Uint16Array {
  return Uint16Array.from({ length: w * h }, (_, i) => Math.round(f(i % w, Math.floor(i / w))));
}

describe('memory', () => {
  it('gives back what a scope reserved, also when it throws', () => {
    const before = k.alloc(16);
    expect(() =>
      k.scoped(() => {
        k.alloc(1000);
        throw new Error('stop');
      }),
    ).toThrow('stop');
    expect(k.alloc(16) - before).toBeLessThan(200);
  });

  it('says how much was wanted when the ceiling is reached', () => {
    expect(() => k.alloc(1 << 30)).toThrow(/1073741824 bytes/);
  });
});

describe('halve', () => {
  it('keeps a constant and samples a ramp at even places', () => {
    const [w, h] = [22, 10];
    const src = k.put(plane(w, h, (x, y) => 1000 + 8 * x + 2 * y));
    const out = k.alloc(11 * 5 * 2);
    k.run.halve(src, w, h, out, k.alloc((w + 32) * 4));
    const values = k.u16(out, 55);
    // Away from the border the symmetric filter leaves a ramp as it is.
    expect(values[2 * 11 + 4]).toBe(1000 + 8 * 8 + 2 * 4);
    expect(values[2 * 11 + 6]).toBe(1000 + 8 * 12 + 2 * 4);
  });
});

describe('warpTiles', () => {
  const [w, h] = [48, 48];
  const run = (values: Uint16Array, dx: number, dy: number): Float32Array => {
    const map = k.put(Float32Array.of(8 + dx, 8 + dy, 24 + dx, 8 + dy, 8 + dx, 24 + dy, 24 + dx, 24 + dy));
    const out = k.alloc(16 * 16 * 4);
    k.run.warpTiles(k.put(values), w, w, h, map, 1, 1, 16, k.put(Uint8Array.of(1)), out, 16);
    return k.f32(out, 256).slice();
  };

  it('copies samples exactly at whole pixels', () => {
    const noisy = plane(w, h, (x, y) => (x * 7919 + y * 104729) % 65536);
    const out = run(noisy, 3, -2);
    for (let i = 0; i < 256; i++) expect(out[i]).toBe(noisy[(8 - 2 + Math.floor(i / 16)) * w + 8 + 3 + (i % 16)]);
  });

  it('interpolates a parabola to third order', () => {
    const out = run(
      plane(w, h, (x) => 4 * x * x),
      0.5,
      0,
    );
    expect(out[0]).toBeCloseTo(4 * 8.5 * 8.5, 3);
  });
});

describe('judgeCells', () => {
  it('counts what each candidate shows and how it agreed, per cell, where several tell', () => {
    const px = 16 * 16;
    const seen = Uint8Array.from({ length: 2 * px }, (_, i) => (i < px || i % 16 < 8 ? 1 : 0));
    // The first candidate's weights are half of its own (2), the second's a quarter of its own (1).
    const weights = Float32Array.from({ length: 2 * px }, (_, i) => (i < px ? 1 : 0.25 * seen[i]));
    const params = k.put(Float32Array.of(1, 0, 2, 1, 0, 1));
    const share = Float32Array.from({ length: px }, () => 0.5);
    // Enough weight on the left half only.
    const support = Float32Array.from({ length: px }, (_, i) => (i % 16 < 8 ? 1.25 : 0.5));
    const out = k.alloc(2 * 4 * 12);
    const [u, w, su, sh, on] = [seen, weights, support, share, Uint8Array.of(1)].map((v) => k.put(v));
    k.run.judgeCells(u, w, px * 4, 2, params, su, sh, 1.2, on, 1, out);
    const cells = [...k.f32(out, 24)];
    expect(cells.slice(0, 6)).toEqual([64, 64, 32, 64, 0, 0]);
    expect(cells.slice(12, 18)).toEqual([64, 64, 16, 0, 0, 0]);
  });
});

describe('fuse', () => {
  /** Fuses one value per candidate, in all of four pixels. */
  const fuse = (values: number[], usable: number[], tau: number): { mean: number; support: number; share: number } => {
    const n = values.length;
    const at = k.put(Float32Array.from(values.flatMap((v) => [v, v, v, v])));
    const use = k.put(Uint8Array.from(usable.flatMap((u) => [u, u, u, u])));
    const params = k.put(Float32Array.from(values.flatMap(() => [1, 0, 1])));
    const [weights, mean, support, share] = [k.alloc(n * 16), k.alloc(16), k.alloc(16), k.alloc(16)];
    k.run.fuse(at, use, weights, 16, n, params, tau, mean, support, share, 4);
    return { mean: k.f32(mean, 1)[0], support: k.f32(support, 1)[0], share: k.f32(share, 1)[0] };
  };

  it('averages those that agree', () => {
    expect(fuse([100, 102, 101, 101], [1, 1, 1, 1], 5).mean).toBeCloseTo(101, 1);
  });

  it('drops a passer-by who stands in two of five', () => {
    const { mean, support } = fuse([100, 101, 99, 20, 22], [1, 1, 1, 1, 1], 4);
    expect(Math.abs(mean - 100)).toBeLessThan(0.6);
    expect(support).toBeLessThan(3.2);
  });

  it('says which share of the candidates agrees', () => {
    expect(fuse([100, 100, 100, 100], [1, 1, 1, 1], 4).share).toBeCloseTo(1, 5);
    expect(fuse([100, 100, 100, 200], [1, 1, 1, 1], 4).share).toBeCloseTo(0.75, 2);
    expect(fuse([20, 80, 140, 200], [1, 1, 1, 1], 4).share).toBeLessThan(0.4);
  });

  it('reports no support where no candidate may be used', () => {
    expect(fuse([100, 200], [0, 0], 4)).toEqual({ mean: 0, support: 0, share: 0 });
  });
});

describe('addField', () => {
  it('adds what lies bilinearly between cells, in tiles of the asked kind alone', () => {
    // Two tiles of 16 px beside each other, with two cells of 8 px across and down in each: values 0, 1, 2, 3 across.
    const [w, h] = [32, 16];
    const samples = k.put(new Float32Array(w * h).fill(100));
    const field = k.put(Float32Array.of(0, 1, 2, 3, 0, 1, 2, 3));
    k.run.addField(samples, w, field, 4, 2, k.put(Uint8Array.of(2, 1)), 2, 2, 1, 16, 16, 2);
    const out = k.f32(samples, w * h);
    // Cell centres lie at 3.5, 11.5 …; before the first one the field is constant.
    expect([0, 3, 4, 11, 12].map((x) => out[5 * w + x])).toEqual([100, 100, 100.0625, 100.9375, 101.0625]);
    expect(out.filter((v, i) => i % w >= 16 && v !== 100)).toHaveLength(0);
  });
});

describe('usableTiles', () => {
  it('knows the nearest sample, its mark and the frame it must lie in', () => {
    const [w, h] = [40, 24];
    const blocked = new Uint8Array(w * h);
    blocked[10 * w + 9] = 1;
    // A tile of 16 px whose corner lies at (-1.4, 2.4) of the part, which begins at (0, 0) of a frame of 40 x 24.
    const map = k.put(Float32Array.of(-1.4, 2.4, 14.6, 2.4, -1.4, 18.4, 14.6, 18.4));
    const out = k.alloc(256);
    k.run.usableTiles(k.put(blocked), w, w, h, 0, 0, 40, 24, 0, map, 1, 1, 16, k.put(Uint8Array.of(1)), out, 16);
    const used = k.u8(out, 256);
    expect([...used.subarray(0, 4)]).toEqual([0, 0, 1, 1]);
    // (10, 8) lies at (8.6, 10.4): its nearest sample is the blocked one.
    expect(used[8 * 16 + 10]).toBe(0);
    expect(used.reduce((a, b) => a + b, 0)).toBe(14 * 16 - 1);
  });
});

describe('dilate', () => {
  it('agrees with the definition on rows longer than a vector', () => {
    const [w, h, r] = [53, 9, 3];
    const src = Uint8Array.from({ length: w * h }, (_, i) => ((i * 7919) % 41 === 0 ? 200 : 0));
    const out = k.alloc(w * h);
    k.run.dilate(k.put(src), w, h, r, out, k.alloc(w * h));
    const got = k.u8(out, w * h);
    for (let y = 0; y < h; y++) {
      for (let x = 0; x < w; x++) {
        let most = 0;
        for (let j = Math.max(0, y - r); j <= Math.min(h - 1, y + r); j++) {
          for (let i = Math.max(0, x - r); i <= Math.min(w - 1, x + r); i++) most = Math.max(most, src[j * w + i]);
        }
        expect(got[y * w + x]).toBe(most);
      }
    }
  });
});

describe('trackPoints', () => {
  const [w, h] = [96, 96];
  const scene = (dx: number, dy: number, gain = 1): Uint16Array =>
    plane(
      w,
      h,
      (x, y) =>
        gain *
        (2000 + 600 * Math.sin((x - dx) / 4.3) * Math.cos((y - dy) / 3.7) + 300 * Math.sin((x - dx + y - dy) / 6)),
    );
  const track = (image: Uint16Array, guess: [number, number]): Float32Array => {
    const points = k.put(Float32Array.of(48, 48, ...guess, 1, 0, 0, 1, 0, 0));
    k.run.trackPoints(k.put(scene(0, 0)), k.put(image), w, h, points, 1, 20, k.alloc(4096));
    return k.f32(points, 10).slice();
  };

  it('finds a sub-pixel shift', () => {
    const p = track(scene(2.3, -1.4), [48, 48]);
    expect(p[9]).toBe(1);
    expect(p[2]).toBeCloseTo(50.3, 1);
    expect(p[3]).toBeCloseTo(46.6, 1);
    expect(p[8]).toBeGreaterThan(0.99);
  });

  it('does not mind a change of light', () => {
    const p = track(scene(1.2, 0.8, 0.6), [48, 48]);
    expect(p[2]).toBeCloseTo(49.2, 1);
    expect(p[3]).toBeCloseTo(48.8, 1);
  });

  it('calls a flat window lost', () => {
    expect(
      track(
        plane(w, h, () => 500),
        [48, 48],
      )[9],
    ).toBe(0);
  });
});
