import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import {
  mkdtempSync,
  readFileSync,
  rmSync,
  truncateSync,
  writeFileSync,
  copyFileSync,
  existsSync,
  readdirSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { frameBytes } from '../core/image/format.ts';
import { decodeFrames, decodeMatte, draftFactor, matteFormat } from './decode.ts';
import { encodeFrames } from './encode.ts';
import { ffv1Format, storedFormat } from './pixelFormat.ts';
import { probeClip } from './probe.ts';
import { RawStore } from './rawStore.ts';

let dir: string;
const at = (name: string): string => join(dir, name);
const ffmpeg = (...args: string[]): void => {
  const { status, stderr } = spawnSync('ffmpeg', ['-nostdin', '-loglevel', 'error', '-y', ...args]);
  if (status !== 0) throw new Error(String(stderr));
};

beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-media-'));
  ffmpeg(
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=160x90:r=25:d=0.8',
    '-pix_fmt',
    'yuv420p',
    '-c:v',
    'libx264',
    at('plain.mp4'),
  );
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('storedFormat', () => {
  it.each([
    ['yuv420p', 8, 3, 3],
    ['yuv422p10le', 10, 3, 3],
    ['yuv444p12le', 12, 3, 3],
    ['nv12', 8, 3, 3],
    ['gray16le', 16, 1, 1],
    ['rgb24', 8, 3, 3],
    ['rgba', 8, 4, 3],
    ['yuvj420p', 8, 3, 3],
    ['yuva444p10le', 10, 4, 3],
  ])('%s: %i bits, %i planes, %i of them colour', (name, depth, planes, colour) => {
    const { format } = storedFormat(name, 33, 17);
    expect(format).toMatchObject({ depth, colourPlanes: colour });
    expect(format.planes).toHaveLength(planes);
  });

  it('rounds chroma of odd sizes up', () => {
    expect(storedFormat('yuv420p', 33, 17).format.planes[1]).toMatchObject({ width: 17, height: 9 });
  });

  it('says what to do about a format that is not worked on', () => {
    expect(() => storedFormat('xyz12le', 16, 16)).toThrow(/Convert the clip/);
  });
});

describe('probeClip', () => {
  it('reads size, frames, rate and format', async () => {
    expect(await probeClip(at('plain.mp4'))).toMatchObject({
      width: 160,
      height: 90,
      frames: 20,
      rate: { num: 25, den: 1 },
      variableRate: false,
      pixelFormat: 'yuv420p',
      rotation: 0,
      audio: false,
    });
  });

  it('reads a rotation flag as a clockwise turn, and variable rate with its times', async () => {
    ffmpeg(
      '-i',
      at('plain.mp4'),
      '-vf',
      "setpts='(N+floor(N/5))/25/TB'",
      '-fps_mode',
      'passthrough',
      '-enc_time_base',
      '1:1000',
      at('vfr.mkv'),
    );
    const info = await probeClip(at('vfr.mkv'));
    expect(info.variableRate).toBe(true);
    expect(info.times.slice(3, 7)).toEqual([0.12, 0.16, 0.24, 0.28].map((t) => expect.closeTo(t, 2)));
    // The rate is the one at which as many even frames take as long.
    expect((info.frames * info.rate.den) / info.rate.num).toBeCloseTo(info.duration, 1);
    ffmpeg('-i', at('plain.mp4'), '-c', 'copy', '-metadata:s:v:0', 'rotate=270', at('turned.mp4'));
    expect((await probeClip(at('turned.mp4'))).rotation).toBe(90);
  });

  it.each([
    ['no_file', 'there is none', () => undefined],
    ['not_video', 'text posing as video', (p: string) => writeFileSync(p, 'Not a film.\n'.repeat(500))],
    ['not_video', 'an empty file', (p: string) => writeFileSync(p, '')],
    [
      'cut_off',
      'a file without its end',
      (p: string) => {
        copyFileSync(at('plain.mp4'), p);
        truncateSync(p, 3000);
      },
    ],
    ['not_video', 'sound alone', (p: string) => ffmpeg('-f', 'lavfi', '-i', 'sine=d=0.2', p)],
    ['too_large', 'a picture of 8 px', (p: string) => ffmpeg('-f', 'lavfi', '-i', 'color=s=8x8:d=0.1', p)],
  ])('%s: %s', async (code, _what, make) => {
    const path = at('bad.mp4');
    rmSync(path, { force: true });
    make(path);
    await expect(probeClip(path)).rejects.toMatchObject({ code });
  });
});

describe('decode and encode', () => {
  it('stores every frame, and rows are found again', async () => {
    const info = await probeClip(at('plain.mp4'));
    const stored = storedFormat(info.pixelFormat, info.width, info.height);
    await decodeFrames(at('plain.mp4'), [{ path: at('plain.raw'), stored }], info);
    const store = new RawStore(at('plain.raw'), stored.format);
    expect(store.count).toBe(20);
    const whole = new Uint8Array(frameBytes(stored.format));
    store.readFrame(7, whole);
    const rows = new Uint8Array(80 * 3);
    store.readRows(7, 2, 10, 3, rows);
    const v = 160 * 90 + 80 * 45;
    expect([...rows]).toEqual([...whole.subarray(v + 800, v + 1040)]);
    expect(() => store.readFrame(20, whole)).toThrow(/ends before/);
    store.close();
  });

  const KINDS = ['yuv420p', 'yuv422p10le', 'yuv444p', 'gbrp', 'gray', 'yuv420p16le'];
  it.each([
    ...KINDS.map((pix) => ({ pix, size: '64x36', quick: false, codec: 'ffv1' })),
    ...KINDS.map((pix) => ({ pix, size: '64x36', quick: true, codec: 'ffvhuff' })),
    // What HuffYUV does not hold is written as FFV1 however quick it should be.
    { pix: 'yuv420p', size: '63x35', quick: true, codec: 'ffv1' },
    { pix: 'yuva420p', size: '64x36', quick: true, codec: 'ffv1' },
  ])('$pix of $size survives to the bit, with times and tags, as $codec', async ({ pix, size, quick, codec }) => {
    const carrier = pix === 'gbrp' ? 'bgr0' : pix;
    ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=64x36:r=25:d=0.4',
      '-f',
      'lavfi',
      '-i',
      'sine=d=0.4',
      '-vf',
      `scale=${size},setpts='(N+floor(N/4))/25/TB'`,
      '-fps_mode',
      'passthrough',
      '-c:v',
      'ffv1',
      '-pix_fmt',
      carrier,
      '-color_primaries',
      'bt709',
      '-color_trc',
      'bt709',
      at('in.mkv'),
    );
    const clip = await probeClip(at('in.mkv'));
    const stored = storedFormat(clip.pixelFormat, clip.width, clip.height);
    await decodeFrames(at('in.mkv'), [{ path: at('in.raw'), stored }], clip);
    const store = new RawStore(at('in.raw'), stored.format);
    await encodeFrames({ output: at('out.mkv'), clip, stored, original: at('in.mkv'), quick }, (t) => {
      const frame = new Uint8Array(frameBytes(stored.format));
      store.readFrame(t, frame);
      return frame;
    });
    store.close();
    const out = await probeClip(at('out.mkv'));
    expect(ffv1Format(stored.pixelFormat)).toBe(carrier);
    expect(out).toMatchObject({
      frames: clip.frames,
      audio: true,
      pixelFormat: quick ? stored.pixelFormat : clip.pixelFormat,
      codec,
    });
    expect(out.times).toEqual(clip.times.map((t) => expect.closeTo(t, 2)));
    expect(out.colour.primaries).toBe(clip.colour.primaries);
    await decodeFrames(at('out.mkv'), [{ path: at('out.raw'), stored }], clip);
    expect(readFileSync(at('out.raw')).equals(readFileSync(at('in.raw')))).toBe(true);
    expect(readdirSync(dir).filter((f) => f.endsWith('.times'))).toEqual([]);
  });

  it('keeps a turned clip upright: by its flag in .mp4, by turning the frames in .mkv', async () => {
    const clip = { ...(await probeClip(at('plain.mp4'))), rotation: 90 };
    const stored = storedFormat(clip.pixelFormat, clip.width, clip.height);
    const frame = new Uint8Array(frameBytes(stored.format)).fill(40);
    frame[0] = 200;
    const write = (output: string): Promise<void> =>
      encodeFrames({ output, clip, stored, original: at('plain.mp4') }, () => frame);
    await write(at('turned.mp4'));
    expect(await probeClip(at('turned.mp4'))).toMatchObject({ rotation: 90, width: 160, height: 90 });
    await write(at('turned.mkv'));
    expect(await probeClip(at('turned.mkv'))).toMatchObject({ rotation: 0, width: 90, height: 160 });
    await decodeFrames(at('turned.mkv'), [{ path: at('turned.raw'), stored: storedFormat('yuv420p', 90, 160) }], {
      width: 90,
    });
    // Turned clockwise, the first sample comes to the end of the first row.
    expect([...readFileSync(at('turned.raw')).subarray(0, 90)].indexOf(200)).toBe(89);
  });

  it('reads a matte in video range as 0..255, and refuses one that does not fit', async () => {
    const clip = await probeClip(at('plain.mp4'));
    ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'color=white:s=160x90:r=25:d=0.8',
      '-pix_fmt',
      'yuv420p',
      '-c:v',
      'libx264',
      at('matte.mp4'),
    );
    await decodeMatte(at('matte.mp4'), await probeClip(at('matte.mp4')), clip, at('matte.raw'));
    expect(readFileSync(at('matte.raw'))[5000]).toBe(255);
    ffmpeg('-f', 'lavfi', '-i', 'color=white:s=80x90:r=25:d=0.8', at('narrow.mkv'));
    await expect(
      decodeMatte(at('narrow.mkv'), await probeClip(at('narrow.mkv')), clip, at('x.raw')),
    ).rejects.toMatchObject({
      code: 'matte_size',
      message: expect.stringContaining('80x90') as unknown,
    });
    ffmpeg('-f', 'lavfi', '-i', 'color=white:s=160x90:r=25:d=0.4', at('short.mkv'));
    await expect(
      decodeMatte(at('short.mkv'), await probeClip(at('short.mkv')), clip, at('x.raw')),
    ).rejects.toMatchObject({
      code: 'matte_length',
      message: expect.stringMatching(/10 frames.*20/) as unknown,
    });
    expect(existsSync(at('x.raw'))).toBe(false);
    expect(matteFormat(4, 2).planes).toHaveLength(1);
  });

  it('makes drafts of at most 480 px', () => {
    expect([draftFactor(1920, 1080), draftFactor(640, 360), draftFactor(720, 1280)]).toEqual([4, 2, 3]);
  });
});
