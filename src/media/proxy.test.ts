import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setRotation } from './encode.ts';
import { storedFormat } from './pixelFormat.ts';
import { probeClip, type ClipInfo } from './probe.ts';
import { stripPictures, writeFramesProxy, writeProxy, writeStrip } from './proxy.ts';

let dir: string;
const at = (name: string): string => join(dir, name);
const ffmpeg = (...args: string[]): Buffer => {
  const { status, stdout, stderr } = spawnSync('ffmpeg', ['-nostdin', '-loglevel', 'error', '-y', ...args]);
  if (status !== 0) throw new Error(String(stderr));
  return stdout;
};
/** Luma of a proxy's frame at a place, as a browser that looks for its time stamp finds it. */
function lumaAt(path: string, seconds: number, x: number, y: number): number {
  const crop = `select='gte(t,${seconds - 0.001})',crop=2:2:${x}:${y}`;
  return ffmpeg('-i', path, '-vf', crop, '-frames:v', '1', '-f', 'rawvideo', '-pix_fmt', 'gray', '-')[0];
}
const info = (more: Partial<ClipInfo>): ClipInfo =>
  ({ width: 320, height: 180, frames: 100, rotation: 0, ...more }) as ClipInfo;

/** A grey film whose brightness tells the frame: ten levels more each. */
const STEPS = (size: string, frames: number): string[] => [
  '-f',
  'lavfi',
  '-i',
  `nullsrc=s=${size}:r=25:d=${frames / 25},format=gray,geq=lum='20+10*N'`,
];

beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-proxy-'));
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('a proxy', () => {
  it('has each frame whole, at its number’s time, and is no larger than it has to be', async () => {
    ffmpeg(...STEPS('1280x720', 12), '-c:v', 'libx264', '-crf', '10', '-pix_fmt', 'yuv420p', at('large.mp4'));
    const clip = await probeClip(at('large.mp4'));
    const done: number[] = [];
    await writeProxy(at('large.mp4'), clip, at('large.proxy.mp4'), (share) => done.push(share));
    const proxy = await probeClip(at('large.proxy.mp4'));
    expect([proxy.width, proxy.height, proxy.frames, proxy.pixelFormat]).toEqual([960, 540, 12, 'yuv420p']);
    expect(done.at(-1)).toBe(1);
    const kinds = spawnSync('ffprobe', [
      '-v',
      'error',
      '-show_entries',
      'frame=key_frame',
      '-of',
      'csv=p=0',
      at('large.proxy.mp4'),
    ]);
    expect(kinds.stdout.toString().match(/1/g)).toHaveLength(12);
    const first = lumaAt(at('large.proxy.mp4'), 0, 100, 100);
    for (const n of [3, 11]) {
      expect(Math.abs(lumaAt(at('large.proxy.mp4'), n / 25, 100, 100) - first - 10 * n)).toBeLessThan(3);
    }
  });

  it('of a small clip keeps its size, to the next even px', async () => {
    ffmpeg(...STEPS('121x67', 3), '-c:v', 'ffv1', at('odd.mkv'));
    await writeProxy(at('odd.mkv'), await probeClip(at('odd.mkv')), at('odd.proxy.mp4'), () => undefined);
    const { width, height } = await probeClip(at('odd.proxy.mp4'));
    expect([width % 2, height % 2]).toEqual([0, 0]);
    expect(Math.abs(width - 121) + Math.abs(height - 67)).toBeLessThanOrEqual(2);
  });

  it('of a clip with a clock of its own has its frames at even times', async () => {
    ffmpeg(...STEPS('64x48', 6), '-vf', 'setpts=N*N/10/TB', '-fps_mode', 'vfr', '-c:v', 'ffv1', at('uneven.mkv'));
    const clip = await probeClip(at('uneven.mkv'));
    expect([clip.variableRate, clip.frames]).toEqual([true, 6]);
    await writeProxy(at('uneven.mkv'), clip, at('uneven.proxy.mp4'), () => undefined);
    const proxy = await probeClip(at('uneven.proxy.mp4'));
    expect([proxy.variableRate, proxy.frames]).toEqual([false, 6]);
  });

  it('stands upright where the clip lies, whether it is read or handed over', async () => {
    // The left half is bright: turned clockwise it is the upper one.
    const half = ['-f', 'lavfi', '-i', `nullsrc=s=96x64:r=25:d=0.12,format=gray,geq=lum='if(lt(X,48),220,40)'`];
    ffmpeg(...half, '-c:v', 'libx264', '-crf', '8', '-pix_fmt', 'yuv420p', at('lying.mp4'));
    await setRotation(at('lying.mp4'), at('turned.mp4'), 90);
    const clip = await probeClip(at('turned.mp4'));
    expect(clip.rotation).toBe(90);
    await writeProxy(at('turned.mp4'), clip, at('read.mp4'), () => undefined);
    const stored = storedFormat('gray', 96, 64);
    const frame = Uint8Array.from({ length: 96 * 64 }, (_, i) => (i % 96 < 48 ? 220 : 40));
    await writeFramesProxy({ clip: { ...clip, pixelFormat: 'gray' }, stored, count: 3 }, at('handed.mp4'), () => frame);
    for (const path of ['read.mp4', 'handed.mp4'].map(at)) {
      const { width, height, frames } = await probeClip(path);
      expect([width, height, frames]).toEqual([64, 96, 3]);
      expect(lumaAt(path, 0, 30, 10)).toBeGreaterThan(150);
      expect(lumaAt(path, 0, 30, 80)).toBeLessThan(100);
    }
  });

  it('that is cancelled, or whose clip breaks off, leaves nothing', async () => {
    ffmpeg(...STEPS('640x360', 200), '-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p', at('long.mp4'));
    const clip = await probeClip(at('long.mp4'));
    const controller = new AbortController();
    const writing = writeProxy(at('long.mp4'), clip, at('cut.proxy.mp4'), () => controller.abort(), controller.signal);
    await expect(writing).rejects.toMatchObject({ name: 'AbortError' });
    const failing = writeFramesProxy(
      { clip, stored: storedFormat('yuv420p', 640, 360), count: 9 },
      at('cut.proxy.mp4'),
      () => {
        throw new Error('no such frame');
      },
    );
    await expect(failing).rejects.toThrow('no such frame');
    expect(readdirSync(dir).filter((name) => name.startsWith('cut'))).toEqual([]);
  });
});

describe('a filmstrip', () => {
  it('has as many pictures as fit beside each other, and no more than there are frames', () => {
    expect(stripPictures(info({}))).toBe(10);
    expect(stripPictures(info({ frames: 4 }))).toBe(4);
    // Upright pictures are narrow.
    expect(stripPictures(info({ rotation: 90 }))).toBe(31);
    expect(stripPictures(info({ width: 8000, height: 90 }))).toBe(1);
  });

  it('shows the middles of even stretches, in their order', async () => {
    ffmpeg(...STEPS('320x180', 20), '-c:v', 'ffv1', at('strip.mkv'));
    const clip = await probeClip(at('strip.mkv'));
    await writeStrip(at('strip.mkv'), clip, at('strip.jpg'));
    const grey = ffmpeg('-i', at('strip.jpg'), '-f', 'rawvideo', '-pix_fmt', 'gray', '-');
    const width = grey.length / 72;
    expect(width).toBe(10 * 128);
    const levels = Array.from({ length: 10 }, (_, k) => grey[36 * width + 128 * k + 64]);
    levels.forEach((level, k) => expect(Math.abs(level - (20 + 10 * (2 * k + 1)))).toBeLessThan(6));
  });
});
