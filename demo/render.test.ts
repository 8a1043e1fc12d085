import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Footage } from '../bench/footage.ts';
import { probeClip } from '../src/media/probe.ts';
import { isRendered, renderShot, shotFiles } from './render.ts';
import { BLOCK_ROW, blockAt, yard } from './testing/yard.ts';

let folder: string;
const shot = yard();
const files = (): ReturnType<typeof shotFiles> => shotFiles(folder, shot);
const W = shot.lens.width;
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'mnestra-render-'));
  await renderShot(shot, folder, true);
});
afterAll(() => rm(folder, { recursive: true, force: true }));

const opened = async <T>(path: string, grey: boolean, use: (f: Footage) => T): Promise<T> => {
  const footage = await Footage.open(path, folder, 'opened', grey);
  try {
    return use(footage);
  } finally {
    await footage.close();
  }
};

describe('a rendered shot', () => {
  it('has a matte that covers what goes away, and no more than a rim beside it', async () => {
    await opened(files().matte, true, (matte) => {
      expect(matte.store.count).toBe(shot.frames);
      for (const frame of [0, 6, 13]) {
        const m = matte.bytes(frame);
        const at = (x: number, y: number): number => m[Math.round(y) * W + Math.round(x)];
        const middle = blockAt(frame);
        expect(at(middle, BLOCK_ROW)).toBe(255);
        expect([at(middle - 9, BLOCK_ROW), at(middle + 9, BLOCK_ROW)]).toEqual([255, 255]);
        expect([at(middle - 15, BLOCK_ROW), at(middle + 15, BLOCK_ROW), at(middle, BLOCK_ROW + 15)]).toEqual([0, 0, 0]);
        // What stays in the film is none of it.
        expect(m.subarray(70 * W).every((v) => v === 0)).toBe(true);
      }
    });
  });

  it('is as its truth outside of it, but for the grain, and shows the thing inside', async () => {
    const clip = await opened(files().clip, false, (f) => f.luma(6).values);
    const truth = await opened(files().truth, false, (f) => f.luma(6).values);
    const m = await opened(files().matte, true, (f) => f.bytes(6));
    const apart = (inside: boolean): number => {
      const differences = [...clip].flatMap((v, i) => (m[i] > 0 === inside ? [(v - truth[i]) ** 2] : []));
      return Math.sqrt(differences.reduce((a, b) => a + b, 0) / differences.length);
    };
    // The sensor's grain is two levels.
    expect(apart(false)).toBeGreaterThan(1);
    expect(apart(false)).toBeLessThan(3);
    expect(apart(true)).toBeGreaterThan(20);
  });

  it('has a limit whose grain is another than the film’s', async () => {
    const at = 100 * W + 20;
    const some = (f: Footage): number[] => [...f.luma(3).values.subarray(at, at + 60)];
    const [clip, limit] = [await opened(files().clip, false, some), await opened(files().limit, false, some)];
    expect(clip).not.toEqual(limit);
    const away = clip.reduce((sum, v, i) => sum + Math.abs(v - limit[i]), 0) / clip.length;
    expect(away).toBeLessThan(8);
  });

  it('says where its camera was, and leaves nothing half-written', async () => {
    const camera = JSON.parse(await readFile(files().camera, 'utf8')) as {
      frames: { time: number; position: number[] }[];
    };
    expect(camera.frames).toHaveLength(shot.frames);
    expect(camera.frames[10]).toMatchObject({ time: 1, position: [0.5, 0, 0] });
    expect((await readdir(folder)).filter((name) => /part|times/.test(name))).toEqual([]);
  });

  it('counts as rendered once its camera is there, and its limit where that is asked for', async () => {
    expect(isRendered(folder, shot, true)).toBe(true);
    await rm(files().limit);
    expect([isRendered(folder, shot, true), isRendered(folder, shot, false)]).toEqual([false, true]);
    expect(isRendered(folder, yard({ name: 'other' }), false)).toBe(false);
  });
});

describe('cameras of other kinds', () => {
  it('write upright film lying down, with the turn that a player applies', async () => {
    const turned = yard({
      name: 'turned',
      frames: 2,
      rotation: 90,
      file: 'mp4',
      codec: ['-c:v', 'libx264', '-crf', '16'],
    });
    const { clip, matte } = await renderShot(turned, folder, false);
    expect((await probeClip(clip)).rotation).toBe(90);
    expect((await probeClip(matte)).rotation).toBe(0);
  });

  it('write frames at times of their own', async () => {
    const times = [0, 0.1, 0.3, 0.35, 0.7];
    const uneven = yard({ name: 'uneven', frames: 5, times, file: 'mp4', codec: ['-c:v', 'libx264', '-crf', '16'] });
    const info = await probeClip((await renderShot(uneven, folder, false)).clip);
    expect(info.frames).toBe(5);
    expect(info.variableRate).toBe(true);
    info.times.forEach((t, n) => expect(t).toBeCloseTo(times[n], 2));
  });

  it('write log in ten bits, with the table that shows it beside it', async () => {
    const log = yard({ name: 'log', frames: 2, log: true, codec: ['-c:v', 'ffv1', '-pix_fmt', 'yuv422p10le'] });
    const { clip } = await renderShot(log, folder, false);
    expect((await probeClip(clip)).pixelFormat).toBe('yuv422p10le');
    expect(await readFile(join(folder, 'log.cube'), 'utf8')).toMatch(/LUT_1D_SIZE 1024/);
  });
});
