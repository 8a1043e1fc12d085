import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { boxOf, createMatteCells, fillMatteCells } from '../core/image/matteCells.ts';
import type { Removal } from '../core/shapes/shape.ts';
import { rectanglePoints } from '../core/shapes/shape.ts';
import { drawMatte } from '../core/shapes/matte.ts';
import { cutClip } from './cutClip.ts';
import { decodeFrames, decodeMatte } from './decode.ts';
import { DrawnMattes } from './drawnMattes.ts';
import { alphaFormat, fillFrame } from './fillFrame.ts';
import { loadKernels } from './kernelFile.ts';
import { readClipFrame } from './picture.ts';
import { storedFormat } from './pixelFormat.ts';
import { probeClip } from './probe.ts';
import { RawStore } from './rawStore.ts';

let dir: string;
const at = (name: string): string => join(dir, name);
const [W, H, FRAMES] = [64, 48, 60];
/** Each frame's grey tells its number: 4·n. */
const COUNTED = `nullsrc=s=${W}x${H}:r=25:d=${FRAMES / 25},geq=lum='4*N':cb=128:cr=128`;

const FILES: [string, string[]][] = [
  ['long-gop.mp4', ['-c:v', 'libx264', '-g', '40', '-bf', '3', '-qp', '4']],
  ['open-gop.mkv', ['-c:v', 'libx264', '-x264-params', 'open-gop=1', '-g', '25', '-bf', '4', '-qp', '4']],
  ['stream.ts', ['-c:v', 'libx264', '-g', '30', '-bf', '2', '-qp', '4', '-muxdelay', '0.7']],
  ['lossless.mkv', ['-c:v', 'ffv1']],
  ['uneven.mkv', ['-vf', "setpts='N*40+20*mod(N,3)',settb=1/1000", '-fps_mode', 'vfr', '-c:v', 'libx264', '-qp', '4']],
  ['delayed.mp4', ['-c:v', 'libx264', '-qp', '4', '-c:a', 'aac', '-shortest']],
];

beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-range-'));
  for (const [name, codec] of FILES) {
    // Sound that begins a third of a second before the picture shifts the file's own clock.
    const sound = name.startsWith('delayed') ? ['-itsoffset', '-0.33', '-f', 'lavfi', '-i', 'sine=d=3'] : [];
    const args = ['-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', COUNTED, ...sound];
    const { status, stderr } = spawnSync('ffmpeg', [...args, '-pix_fmt', 'yuv420p', ...codec, at(name)]);
    if (status !== 0) throw new Error(String(stderr));
  }
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

const numberOf = (frame: Uint8Array): number => Math.round(frame[(H / 2) * W + W / 2] / 4);

describe('a frame of a clip', () => {
  it.each(FILES.map(([name]) => name))('%s: is the one with its number, alone and in a range', async (name) => {
    const clip = await probeClip(at(name));
    expect(clip.frames).toBe(FRAMES);
    const stored = storedFormat(clip.pixelFormat, W, H);
    for (const n of [0, 1, 24, 25, 26, 41, FRAMES - 1]) {
      expect(numberOf(await readClipFrame(at(name), clip, stored, n))).toBe(n);
    }
    const range = { ...clip, first: 23, count: 20 };
    await decodeFrames(at(name), [{ path: at('range.raw'), stored }], clip, undefined, range);
    const bytes = readFileSync(at('range.raw'));
    const size = (W * H * 3) / 2;
    const numbers = Array.from({ length: bytes.length / size }, (_, t) => numberOf(bytes.subarray(t * size)));
    expect(numbers).toEqual(Array.from({ length: 20 }, (_, t) => 23 + t));
  });

  it('keeps its place in time when a clip is cut', async () => {
    const clip = await probeClip(at('uneven.mkv'));
    const cut = cutClip(clip, 10, 5);
    expect(cut.frames).toBe(5);
    expect(cut.times[0]).toBe(0);
    expect(cut.times[3]).toBeCloseTo(clip.times[13] - clip.times[10], 6);
    expect(cut.start).toBeCloseTo(clip.start + clip.times[10], 6);
    expect(cut.duration).toBeCloseTo(clip.times[15] - clip.times[10], 6);
  });
});

const removal: Removal = {
  id: 'r',
  name: 'Walker',
  hidden: false,
  grow: 0,
  featherIn: 0,
  featherOut: 0,
  holdGrow: 0,
  holdFeather: 0,
  shapes: [
    {
      id: 's',
      name: 'Box',
      kind: 'rectangle',
      operation: 'add',
      // Exactly the pixels 2..5 by 1..2 of the picture as shown.
      keys: [{ frame: 0, ease: 'linear', points: rectanglePoints(1.5, 0.5, 5.5, 2.5) }],
    },
  ],
};

describe('drawn mattes', () => {
  /** As a player turns a stored frame (12x8) by the flag: rows of the picture as shown. */
  function shown(stored: Uint8Array, rotation: number): string[] {
    const [w, h] = [12, 8];
    const [sw, sh] = rotation % 180 === 90 ? [h, w] : [w, h];
    return Array.from({ length: sh }, (_, y) =>
      Array.from({ length: sw }, (_, x) => {
        const [u, v] =
          rotation === 0
            ? [x, y]
            : rotation === 90
              ? [y, h - 1 - x]
              : rotation === 180
                ? [w - 1 - x, h - 1 - y]
                : [w - 1 - y, x];
        return stored[v * w + u] > 0 ? '#' : '.';
      }).join(''),
    );
  }

  it.each([0, 90, 180, 270])('lie where they were drawn when the frame is shown turned by %i°', (rotation) => {
    const mattes = new DrawnMattes({ removal, width: 12, height: 8, rotation, count: 3 });
    const frame = new Uint8Array(12 * 8);
    mattes.readRows(1, 0, 0, 8, frame);
    const rows = shown(frame, rotation);
    expect(rows.slice(0, 4)).toEqual(
      ['', '..####', '..####', ''].map((r) => r.padEnd(rotation % 180 === 90 ? 8 : 12, '.')),
    );
    expect(rows.slice(4).join('')).not.toContain('#');
  });

  it('are written as a plain file, and read by rows', async () => {
    const mattes = new DrawnMattes({ removal, width: 12, height: 8, rotation: 0, count: 3 });
    await mattes.write(at('mattes.raw'));
    const bytes = readFileSync(at('mattes.raw'));
    expect(bytes.length).toBe(3 * 12 * 8);
    expect([...bytes.subarray(96 + 12 + 2, 96 + 12 + 6)]).toEqual([255, 255, 255, 255]);
    expect(bytes.reduce((a, b) => a + b, 0)).toBe(3 * 8 * 255);
    const row = new Uint8Array(12);
    mattes.readRows(2, 0, 2, 1, row);
    expect([...row]).toEqual([0, 0, 255, 255, 255, 255, 0, 0, 0, 0, 0, 0]);
  });
});

describe('a holdout in a matte file', () => {
  const hold: Removal = {
    ...removal,
    shapes: [
      ...removal.shapes,
      {
        ...removal.shapes[0],
        id: 'h',
        operation: 'hold',
        keys: [{ frame: 0, ease: 'linear', points: rectanglePoints(3.5, -9, 30, 30) }],
      },
    ],
  };

  it('is a second plane: no hole, and near enough to nothing else to be no background', async () => {
    const mattes = new DrawnMattes({ removal: hold, width: 12, height: 8, rotation: 0, count: 2 });
    await mattes.write(at('held.raw'));
    const store = new RawStore(at('held.raw'), mattes.format);
    expect([store.count, mattes.format.planes.length]).toEqual([2, 2]);
    const [hole, held] = [new Uint8Array(12), new Uint8Array(12)];
    store.readRows(1, 0, 2, 1, hole);
    store.readRows(1, 1, 2, 1, held);
    expect([...hole]).toEqual([0, 0, 255, 255, 0, 0, 0, 0, 0, 0, 0, 0]);
    expect([...held]).toEqual([0, 0, 0, 0, 255, 255, 255, 255, 255, 255, 255, 255]);
    const cells = createMatteCells(12, 8, 2);
    fillMatteCells(await loadKernels(1 << 20), cells, store, 1);
    // Cells of one px: the hole, what is held out and what lies close to either.
    expect([...cells.state.subarray(96 + 24, 96 + 36)]).toEqual([1, 1, 2, 2, 1, 1, 1, 1, 1, 1, 1, 1]);
    expect(boxOf(cells, 1)).toMatchObject({ x: 2, width: 2 });
    store.close();
  });

  it('is made of two videos', async () => {
    const grey = (name: string, graph: string): void =>
      void spawnSync('ffmpeg', [
        '-loglevel',
        'error',
        '-y',
        '-f',
        'lavfi',
        '-i',
        graph,
        '-pix_fmt',
        'gray',
        '-c:v',
        'ffv1',
        at(name),
      ]);
    grey('m.mkv', 'color=c=white:s=24x16:r=25:d=0.12');
    grey('h.mkv', 'color=c=black:s=24x16:r=25:d=0.12,drawbox=x=12:y=0:w=12:h=16:color=white:t=fill');
    const [m, h] = [await probeClip(at('m.mkv')), await probeClip(at('h.mkv'))];
    await decodeMatte(at('m.mkv'), m, m, at('both.raw'), undefined, { path: at('h.mkv'), info: h });
    const bytes = readFileSync(at('both.raw'));
    expect(bytes.length).toBe(3 * 2 * 24 * 16);
    const row = (from: number): string =>
      [...bytes.subarray(from, from + 24)].map((v) => (v > 127 ? '#' : '.')).join('');
    expect(row(0)).toBe('#'.repeat(12) + '.'.repeat(12));
    expect(row(24 * 16)).toBe('.'.repeat(12) + '#'.repeat(12));
  });
});

describe('a fill with alpha', () => {
  it.each([
    ['yuv420p', 'yuva420p'],
    ['yuv422p10le', 'yuva422p10le'],
    ['yuv444p12le', 'yuva444p16le'],
    ['gbrp', 'gbrap'],
    ['gbrp12le', 'gbrap16le'],
  ])('of %s is %s', (name, wanted) => {
    expect(alphaFormat(storedFormat(name, 16, 16)).pixelFormat).toBe(wanted);
  });

  it('of grey footage is refused', () => {
    expect(() => alphaFormat(storedFormat('gray', 16, 16))).toThrow('Grey footage');
  });

  it('holds the colour before it was mixed at the edge, and nothing outside', () => {
    const { format } = storedFormat('yuv444p', 12, 8);
    const soft = { ...removal, featherOut: 4 };
    const mattes = new DrawnMattes({ removal: soft, width: 12, height: 8, rotation: 0, count: 1 });
    const { rect, values } = drawMatte(soft, 0, 12, 8);
    const frame = new Uint8Array(12 * 8 * 3).fill(40);
    // The patch is the fill (200) laid over the frame (40) by the matte.
    const samples = Uint16Array.from({ length: 96 }, (_, i) => {
      const [u, v] = [(i % 12) - rect.x, Math.floor(i / 12) - rect.y];
      const a = u < 0 || v < 0 || u >= rect.width || v >= rect.height ? 0 : values[v * rect.width + u] / 255;
      return Math.round(40 + 160 * a);
    });
    const whole = { x: 0, y: 0, width: 12, height: 8 };
    const patch = { frame: 0, rect: whole, planes: [samples, samples, samples], hole: 0, unseen: 0 };
    const target = alphaFormat(storedFormat('yuv444p', 12, 8)).format;
    const out = fillFrame({ frame, format, patch, mattes, draft: false }, target);
    const matte = out.subarray(96 * 3);
    const soft2 = out.subarray(0, 96).filter((_, i) => matte[i] > 25);
    expect(Math.min(...soft2)).toBeGreaterThanOrEqual(197);
    expect(Math.max(...soft2)).toBeLessThanOrEqual(203);
    expect(out.subarray(0, 96).every((v, i) => matte[i] > 0 || v === 0)).toBe(true);
  });
});
