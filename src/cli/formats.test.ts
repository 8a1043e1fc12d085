import { afterAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { fractal } from '../../demo/noise.ts';
import { bytesPerSample, frameBytes, maxSample, type FrameFormat } from '../core/image/format.ts';
import { storedFormat } from '../media/pixelFormat.ts';
import { Workspace } from './testing/workspace.ts';

// Every kind of samples: a background that goes by, whose truth is known to the bit, and a block before it that is to go.

const FRAMES = 8;
/** Px by which the background goes to the left in each frame; whole samples of subsampled planes too. */
const PAN = 4;
/** The background is wider than the frames by this. */
const BEYOND = PAN * FRAMES;
const BLOCK = { width: 28, height: 34 };
/** What the matte marks around the block, px. */
const ROOM = 2;

/** ffmpeg's name of the samples, size, and what is told of their range. */
const KINDS: [string, number, number, 'tv' | 'pc' | 'unknown'][] = [
  ['yuv420p', 159, 97, 'pc'],
  ['yuv422p', 157, 99, 'unknown'],
  ['yuv440p', 160, 98, 'tv'],
  ['yuv420p10le', 160, 98, 'tv'],
  ['yuv444p12le', 155, 95, 'pc'],
  ['yuv422p16le', 160, 98, 'tv'],
  ['gbrp', 160, 98, 'unknown'],
  ['gbrp10le', 157, 97, 'pc'],
  ['gray16le', 157, 97, 'unknown'],
];

const work = new Workspace();
const at = (name: string): string => work.at(name);
afterAll(() => work.remove());

/** Left and top of the block in a frame, px. */
const blockAt = (t: number): [number, number] => [20 + 9 * t, 30];

const isIn = (x: number, y: number, t: number, room: number): boolean => {
  const [left, top] = blockAt(t);
  return x >= left - room && x < left + BLOCK.width + room && y >= top - room && y < top + BLOCK.height + room;
};

/** Of the background: wider than any frame by what it goes by. */
const [WIDE, HIGH] = [160 + BEYOND, 100];

/** The background's values at each px for luma and for two kinds of chroma: fine where it has as many samples, else coarse. */
const WORLD = [0, 1, 2].map((plane) => {
  const [fine, coarse] = [new Float32Array(WIDE * HIGH), new Float32Array(WIDE * HIGH)];
  for (let i = 0; i < fine.length; i++) {
    const [x, y] = [i % WIDE, Math.floor(i / WIDE)];
    const even = 0.5 * fractal(x / 40, y / 40, 2, 7 + plane);
    fine[i] = stretched(even + 0.5 * fractal(x / 9, y / 9, 2, 11));
    coarse[i] = stretched(even + 0.25);
  }
  return { fine, coarse };
});

/** From darkest to brightest that there is: far beyond what a range allows for. */
function stretched(v: number): number {
  return Math.min(1, Math.max(0, 2.4 * v - 0.7));
}

type Samples = Uint8Array | Uint16Array;

interface Film {
  clip: Samples;
  truth: Samples;
  /** Grey, a byte per px. */
  matte: Uint8Array;
  /** Per sample of the clip, how many of the px under it are to go: none, some, all. */
  goes: Uint8Array;
}
const [NONE, SOME, ALL] = [0, 1, 2];

function filmOf(format: FrameFormat): Film {
  const most = maxSample(format);
  const n = (FRAMES * frameBytes(format)) / bytesPerSample(format);
  const room = (): Samples => (format.depth > 8 ? new Uint16Array(n) : new Uint8Array(n));
  const film = { clip: room(), truth: room(), goes: new Uint8Array(n) };
  const matte = new Uint8Array(format.width * format.height * FRAMES);
  for (let t = 0, i = 0; t < FRAMES; t++) {
    format.planes.forEach(({ width, height, stepX, stepY }, plane) => {
      const values = plane === 0 || stepX * stepY === 1 ? WORLD[plane].fine : WORLD[plane].coarse;
      const block = Math.round(most * (0.35 + 0.2 * plane));
      for (let y = 0; y < height; y++) {
        for (let x = 0; x < width; x++, i++) {
          const [left, top] = [x * stepX, y * stepY];
          const [right, bottom] = [Math.min(format.width, left + stepX) - 1, Math.min(format.height, top + stepY) - 1];
          film.truth[i] = Math.round(most * values[top * WIDE + left + t * PAN]);
          film.clip[i] = isIn(left, top, t, 0) ? block : film.truth[i];
          const corners = [isIn(left, top, t, ROOM), isIn(right, bottom, t, ROOM)];
          film.goes[i] = corners.every(Boolean) ? ALL : corners.some(Boolean) ? SOME : NONE;
        }
      }
    });
    for (let y = 0, k = t * format.width * format.height; y < format.height; y++)
      for (let x = 0; x < format.width; x++, k++) matte[k] = isIn(x, y, t, ROOM) ? 255 : 0;
  }
  return { ...film, matte };
}

interface Found {
  /** Samples that differ from the clip's though no px of theirs is to go. */
  changed: number;
  /** Mean difference to the truth in the hole, as a share of the brightest sample; and that of samples near both ends alone. */
  error: number;
  endsError: number;
  /** Share of the possible low bits (beyond eight) that occur in the hole. */
  lowBits: number;
}

function compare(format: FrameFormat, { clip, truth, goes }: Film, result: Samples): Found {
  const most = maxSample(format);
  const low = new Set<number>();
  const lows = 2 ** (format.depth - 8);
  let [changed, sum, n, ends, endsN] = [0, 0, 0, 0, 0];
  for (let i = 0; i < clip.length; i++) {
    if (goes[i] === NONE && result[i] !== clip[i]) changed++;
    if (goes[i] !== ALL) continue;
    const off = Math.abs(result[i] - truth[i]) / most;
    sum += off;
    n++;
    low.add(result[i] % lows);
    if (truth[i] > 0.05 * most && truth[i] < 0.95 * most) continue;
    ends += off;
    endsN++;
  }
  expect(endsN).toBeGreaterThan(300);
  return { changed, error: sum / n, endsError: ends / endsN, lowBits: low.size / lows };
}

/** A copy of its own, of the bytes of some samples. */
const bytes = (data: Samples): Uint8Array<ArrayBuffer> =>
  new Uint8Array(data.buffer, data.byteOffset, data.byteLength).slice();

const probe = (file: string): Record<string, string> => {
  const entries = 'stream=pix_fmt,color_range,width,height';
  const args = ['-v', 'error', '-select_streams', 'v', '-show_entries', entries, '-of', 'json', file];
  return (JSON.parse(String(spawnSync('ffprobe', args).stdout)) as { streams: Record<string, string>[] }).streams[0];
};

describe('samples are filled as they are', () => {
  it.each(KINDS)('%s, %i x %i, range %s', (pixels, width, height, range) => {
    const { format } = storedFormat(pixels, width, height);
    const film = filmOf(format);
    const told = range === 'unknown' ? [] : ['-color_range', range];
    work.write('clip.mkv', bytes(film.clip), [width, height], pixels, '-level', '3', ...told);
    work.write('matte.mkv', film.matte, [width, height], 'gray', '-level', '3');
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('out.mkv')];
    work.run('fill', ...files, '--quiet', '--no-grain', '--report', at('report.json'));

    expect(probe(at('out.mkv'))).toEqual(probe(at('clip.mkv')));
    const result = work.samples('out.mkv', pixels);
    expect(result.length).toBe(film.clip.byteLength);
    const found = compare(format, film, format.depth > 8 ? new Uint16Array(bytes(result).buffer) : result);
    expect(found.changed).toBe(0);
    expect(found.error).toBeLessThan(0.006);
    expect(found.endsError).toBeLessThan(0.012);
    expect(found.lowBits).toBeGreaterThan(format.depth > 12 ? 0.3 : 0.9);
    const { fill } = JSON.parse(readFileSync(at('report.json'), 'utf8')) as { fill: { hole: number }[] };
    expect(fill).toHaveLength(FRAMES);
  });
});
