import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { randomFrom } from '../testing/random.ts';
import { onionFill } from './onionFill.ts';
import { patchFill } from './patchFill.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

describe('patchFill', () => {
  const [w, h] = [96, 72];
  const stripes = (x: number, y: number): number => ((x + 2 * y) % 12 < 6 ? 60 : 180);
  const picture = (): { width: number; height: number; colour: Float32Array; missing: Uint8Array } => {
    const colour = new Float32Array(w * h * 4);
    const missing = new Uint8Array(w * h);
    for (let i = 0; i < w * h; i++) {
      const [x, y] = [i % w, Math.floor(i / w)];
      const hole = x >= 38 && x < 58 && y >= 26 && y < 46;
      missing[i] = hole ? 1 : 0;
      colour[4 * i] = hole ? 0 : stripes(x, y);
    }
    return { width: w, height: h, colour, missing };
  };

  it('continues stripes through a hole, and leaves the known as it is', () => {
    const p = picture();
    const out = patchFill(kernels, p, 3);
    let right = 0;
    for (let i = 0; i < w * h; i++) {
      if (!p.missing[i]) expect(out[4 * i]).toBe(p.colour[4 * i]);
      else if (Math.abs(out[4 * i] - stripes(i % w, Math.floor(i / w))) < 20) right++;
    }
    expect(right).toBeGreaterThan(0.9 * 400);
  });

  it('spreads rough ground over a hole in it, and not what is even and as light', () => {
    const random = randomFrom(5);
    const p = picture();
    for (let i = 0; i < w * h; i++) {
      const rough = i % w < 66;
      p.colour[4 * i] = p.missing[i] ? 0 : rough ? 100 + 80 * random() : 100;
    }
    const filled = patchFill(kernels, p, 3);
    const values = [...p.missing.keys()].filter((i) => p.missing[i] === 1).map((i) => filled[4 * i]);
    const mean = values.reduce((a, b) => a + b) / values.length;
    const spread = Math.sqrt(values.reduce((a, b) => a + (b - mean) ** 2, 0) / values.length);
    // Even light from 60 to 140 has a standard deviation of 23.
    expect(spread).toBeGreaterThan(18);
  });

  it('gives the same bits for the same seed', () => {
    expect(patchFill(kernels, picture(), 5)).toEqual(patchFill(kernels, picture(), 5));
  });

  it('fills from the border where no patch is known', () => {
    const colour = Float32Array.of(10, 0, 0, 0, 0, 0, 0, 0, 30, 0, 0, 0);
    const out = onionFill({ width: 3, height: 1, colour, missing: Uint8Array.of(0, 1, 0) });
    expect(out[4]).toBe(20);
  });

  it('keeps the rhythm of a wall in which no two bricks are alike', () => {
    const random = randomFrom(7);
    const [cw, ch] = [280, 220];
    // Bricks of 30 by 10 px with joints of one, every other course moved by half a brick.
    const along = (x: number, y: number): number => x + (Math.floor(y / 10) % 2) * 15;
    const isJoint = (x: number, y: number): boolean => y % 10 === 0 || along(x, y) % 30 === 0;
    const tones = Array.from({ length: 400 }, () => 50 + 50 * random());
    const toneOf = (x: number, y: number): number => tones[Math.floor(y / 10) * 16 + Math.floor(along(x, y) / 30)];
    const colour = new Float32Array(cw * ch * 4);
    const missing = new Uint8Array(cw * ch);
    for (let i = 0; i < cw * ch; i++) {
      const [x, y] = [i % cw, Math.floor(i / cw)];
      missing[i] = x >= 100 && x < 180 && y >= 65 && y < 155 ? 1 : 0;
      colour[4 * i] = missing[i] ? 0 : (isJoint(x, y) ? 125 : toneOf(x, y)) + 6 * (random() - 0.5);
    }
    const filled = patchFill(kernels, { width: cw, height: ch, colour, missing }, 1);
    const joints = [...missing.keys()].filter((i) => missing[i] === 1 && isJoint(i % cw, Math.floor(i / cw)));
    // By search alone 93 % of them are where they belong: courses meet at half a joint.
    expect(joints.filter((i) => filled[4 * i] > 110).length / joints.length).toBeGreaterThan(0.97);
  });
});
