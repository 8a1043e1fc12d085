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

describe('roundSamples', () => {
  it('rounds half up and keeps to the range, for vectors and for what is left of them', () => {
    const values = [-3.2, 0.49, 0.5, 1.5, 254.4, 255.5, 1e9, 2.5, -0.4, 1022.6, 1023.7];
    const src = k.put(Float32Array.from(values));
    const out = k.alloc(values.length * 2);
    k.run.roundSamples(src, values.length, 1, 255, out);
    expect([...k.u16(out, values.length)]).toEqual([0, 0, 1, 2, 254, 255, 255, 3, 0, 255, 255]);
    k.run.roundSamples(src, values.length, 1, 1023, out);
    expect([...k.u16(out, values.length)]).toEqual([0, 0, 1, 2, 254, 256, 1023, 3, 0, 1023, 1023]);
    const deep = k.put(Float32Array.of(65534.6, 65535.4, 70000, 40000.5, 65536));
    k.run.roundSamples(deep, 5, 1, 65535, out);
    expect([...k.u16(out, 5)]).toEqual([65535, 65535, 65535, 40001, 65535]);
    k.run.roundSamples(src, values.length, 4, 255, out);
    expect([...k.u16(out, values.length)]).toEqual([0, 2, 2, 6, 255, 255, 255, 10, 0, 255, 255]);
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

  it.each([
    [37, 21],
    [64, 9],
    [5, 7],
  ])('agrees with the definition on %i x %i', (w, h) => {
    const values = plane(w, h, (x, y) => (x * 7919 + y * 104729 + x * y * 31) % 65536);
    const [ow, oh] = [(w + 1) >> 1, (h + 1) >> 1];
    const out = k.alloc(ow * oh * 2);
    k.run.halve(k.put(values), w, h, out, k.alloc((w + 32) * 4));
    const taps = [1, 4, 6, 4, 1];
    const clamp = (v: number, n: number): number => Math.min(n - 1, Math.max(0, v));
    const expected = plane(ow, oh, (i, j) => {
      let sum = 0;
      taps.forEach((a, dy) =>
        taps.forEach((b, dx) => (sum += a * b * values[clamp(2 * j + dy - 2, h) * w + clamp(2 * i + dx - 2, w)])),
      );
      return Math.floor((sum + 128) / 256);
    });
    expect([...k.u16(out, ow * oh)]).toEqual([...expected]);
  });
});

describe('whiteNoise', () => {
  const [w, h] = [32, 16];
  const noise = (x0: number, y0: number, seed: number, active: number[]): Float32Array => {
    const out = k.alloc(w * h * 4);
    k.f32(out, w * h).fill(NaN);
    k.run.whiteNoise(out, w, h, x0, y0, seed, k.put(Uint8Array.from(active)), 2, 16, 16);
    return k.f32(out, w * h).slice();
  };

  it('depends on seed and place alone, whatever rectangle asks', () => {
    const [one, other] = [noise(100, 50, 7, [1, 1]), noise(108, 53, 7, [1, 0])];
    for (let y = 0; y < 13; y++) for (let x = 0; x < 16; x++) expect(other[y * w + x]).toBe(one[(y + 3) * w + x + 8]);
    expect(noise(100, 50, 8, [1, 1])).not.toEqual(one);
  });

  it('is made in active tiles and four px around them, at their corners too, and nowhere else', () => {
    const [side, tile] = [48, 16];
    const out = k.alloc(side * side * 4);
    k.f32(out, side * side).fill(NaN);
    const active = Uint8Array.of(0, 0, 0, 0, 1, 0, 0, 0, 0);
    k.run.whiteNoise(out, side, side, 0, 0, 7, k.put(active), 3, tile, tile);
    const near = (v: number): boolean => v >= tile - 4 && v < 2 * tile + 4;
    const made = [...k.f32(out, side * side)].map((v) => !Number.isNaN(v));
    expect(made).toEqual(made.map((_, i) => near(i % side) && near(Math.floor(i / side))));
  });

  it('has mean 0 and variance 1', () => {
    let [sum, squares, n] = [0, 0, 0];
    for (let tile = 0; tile < 60; tile++) {
      for (const v of noise(tile * 32, 0, 3, [1, 1])) {
        sum += v;
        squares += v * v;
        n++;
      }
    }
    expect(Math.abs(sum / n)).toBeLessThan(0.02);
    expect(squares / n).toBeCloseTo(1, 1);
  });
});

describe('maskCells', () => {
  it('finds box, sum and cells of a mask, and what lies near it', () => {
    const [w, h, cell] = [40, 24, 4];
    const [cols, rows] = [w / cell, h / cell];
    const mask = new Uint8Array(w * h);
    // A px in the middle of a cell taints nothing else; one at a cell's edge taints its neighbour.
    mask[9 * w + 18] = 200;
    mask[20 * w + 36] = 55;
    const state = k.alloc(cols * rows);
    const box = k.alloc(40);
    k.u8(state, cols * rows).fill(0);
    k.run.maskCells(k.put(mask), w, h, 2, cell, 1, cols, rows, state, box);
    expect([...k.i32(box, 4)]).toEqual([18, 9, 36, 20]);
    expect([...k.f64(box + 16, 3)]).toEqual([255, 200 * 18 + 55 * 36, 200 * 9 + 55 * 20]);
    const at = (c: number, r: number): number => k.u8(state, cols * rows)[r * cols + c];
    expect([at(4, 2), at(3, 2), at(5, 2)]).toEqual([2, 0, 0]);
    expect([at(9, 5), at(8, 5), at(9, 4), at(8, 4)]).toEqual([2, 1, 1, 1]);
    // What is near stays below what is in it.
    k.run.maskCells(k.put(mask), w, h, 1, cell, 1, cols, rows, state, box);
    expect(at(4, 2)).toBe(2);
  });

  it('says that an empty mask has no box', () => {
    const box = k.alloc(40);
    const state = k.alloc(4);
    k.run.maskCells(k.put(new Uint8Array(64)), 8, 8, 2, 4, 3, 2, 2, state, box);
    const [left, , right] = k.i32(box, 3);
    expect(right).toBeLessThan(left);
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
  const fuse = (
    values: number[],
    usable: number[],
    tau: number,
    densest = false,
    colours = values.map(() => 255),
  ): { mean: number; support: number; share: number } => {
    const n = values.length;
    const at = k.put(Float32Array.from(values.flatMap((v) => [v, v, v, v])));
    const use = k.put(Uint8Array.from(usable.flatMap((u) => [u, u, u, u])));
    const params = k.put(Float32Array.from(values.flatMap(() => [1, 0, 1])));
    const [weights, mean, support, share] = [k.alloc(n * 16), k.alloc(16), k.alloc(16), k.alloc(16)];
    const agreed = k.put(Uint8Array.from(colours.flatMap((c) => [c, c, c, c])));
    k.run.fuse(at, use, agreed, weights, 16, n, params, tau, mean, support, share, 4, densest);
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

  it('starts from those that agree if asked to, though most show this and that', () => {
    const values = [180, 182, 181, 20, 45, 70, 95, 120, 145];
    const use = values.map(() => 1);
    expect(fuse(values, use, 6, true).mean).toBeCloseTo(181, 0);
    expect(fuse(values, use, 6).mean).toBeLessThan(150);
    expect(fuse([100, 102, 101, 101], [1, 1, 1, 1], 5, true).mean).toBeCloseTo(101, 1);
  });

  it('lets those alone count whose colour agrees, but says how far all agree', () => {
    const { mean, share } = fuse([100, 102, 106, 108], [1, 1, 1, 1], 20, false, [255, 255, 1, 1]);
    expect(mean).toBeCloseTo(101, 1);
    expect(share).toBeGreaterThan(0.8);
  });

  it('reports no support where no candidate may be used', () => {
    expect(fuse([100, 200], [0, 0], 4)).toEqual({ mean: 0, support: 0, share: 0 });
  });
});

describe('agreeColour', () => {
  /** Four candidates of four samples of a colour plane, with two by two px of luma each. */
  const agreed = (values: number[][], tau: number, usable = values.map(() => 1)): Uint8Array => {
    const n = values.length;
    const at = k.put(Float32Array.from(values.flat()));
    const use = k.put(Uint8Array.from(usable.flatMap((u) => Array<number>(16).fill(u))));
    const out = k.put(new Uint8Array(n * 16).fill(255));
    const params = k.put(Float32Array.from(values.flatMap(() => [1, 0, 1])));
    k.run.agreeColour(at, 16, use, out, 16, 8, n, params, tau, k.alloc(n * 32), 4, 2, 2);
    return k.u8(out, n * 16).slice();
  };
  const same = [90, 90, 90, 90];

  it('leaves candidates alone that lie close together', () => {
    expect(agreed([same, same, [91, 89, 90, 92]], 5).every((v) => v === 255)).toBe(true);
  });

  it('takes away all luma px of a sample whose colour differs, but never all of it', () => {
    const out = agreed([same, same, same, [90, 150, 90, 90]], 5);
    const differing = out.subarray(48);
    expect([2, 3, 10, 11].map((i) => differing[i])).toEqual([1, 1, 1, 1]);
    for (const i of [0, 1, 4, 7, 8, 12, 15]) expect(differing[i]).toBeGreaterThan(250);
    expect(out.subarray(0, 48).every((v) => v > 250)).toBe(true);
  });

  it('does not ask those that do not see it', () => {
    const far = [20, 20, 20, 20];
    expect(agreed([same, same, far, far, far], 5, [1, 1, 0, 0, 0])[0]).toBe(255);
    expect(agreed([same, same, far, far, far], 5)[0]).toBe(1);
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

describe('usableTiles where a tile is free', () => {
  it('rounds to the nearest px, also where the map runs backwards', () => {
    const [w, h] = [40, 40];
    const blocked = new Uint8Array(w * h);
    // The tile runs from x = 20.6 down to 5.6: its first px is nearest to 21, and nothing else is blocked.
    blocked[6 * w + 21] = 1;
    const map = Float32Array.of(20.6, 2, 5.6, 2, 20.6, 18, 5.6, 18);
    const out = k.alloc(256);
    const [b, m, on] = [blocked, map, Uint8Array.of(1)].map((v) => k.put(v));
    k.run.usableTiles(b, w, w, h, 0, 0, w, h, 0, m, 1, 1, 16, on, out, 16);
    const seen = k.u8(out, 256);
    for (let i = 0; i < 256; i++) expect(seen[i]).toBe(i === 4 * 16 ? 0 : 1);
  });

  it('takes a tile at once where nothing is blocked, and px by px where something is', () => {
    const [w, h] = [40, 20];
    const blocked = new Uint8Array(w * h);
    blocked[10 * w + 30] = 9;
    // Two tiles beside one another, moved by (2, 1).
    const map = Float32Array.of(2, 1, 18, 1, 34, 1, 2, 17, 18, 17, 34, 17);
    const out = k.alloc(32 * 16);
    const [b, m, on] = [blocked, map, Uint8Array.of(1, 1)].map((v) => k.put(v));
    k.run.usableTiles(b, w, w, h, 0, 0, w, h, 0, m, 2, 1, 16, on, out, 32);
    const seen = k.u8(out, 32 * 16);
    for (let y = 0; y < 16; y++)
      for (let x = 0; x < 32; x++) expect(seen[y * 32 + x]).toBe(x === 28 && y === 9 ? 0 : 1);
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
