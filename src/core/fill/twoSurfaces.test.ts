import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import type { FrameMap } from '../depth/frameMap.ts';
import type { FrameReader } from '../image/format.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { farSample, nearSample, onNear, TWO_DEPTHS, twoDepths } from '../testing/twoDepths.ts';
import { Gatherer, neededRect } from './gather.ts';
import { regionOf, type Region } from './region.ts';
import { SourceFrames } from './sourceFrames.ts';
import { surfacesBeside } from './twoSurfaces.ts';

const { width, height, count, frame } = TWO_DEPTHS;
const HOLE = { x: 128, y: 16, width: 64, height: 32 };
/** The border between the two depths crosses the tiles from x = 160 to 176. */
const BORDER = 169;
const SOURCES = [0, 2, 4, 8, 10, 12];

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

const mattes = paintedFrames(smallFormat(width, height), count, (x, y, _plane, t) => {
  const inside = x >= HOLE.x && x < HOLE.x + HOLE.width && y >= HOLE.y && y < HOLE.y + HOLE.height;
  return t === frame && inside ? 255 : 0;
});

/** Tiles from x = 160 on lie on the moving surface 1, the others on the camera's plane, which stands still. */
const map = (region: Region, isNearer: FrameMap['isNearer']): FrameMap => ({
  surfaces: () => region.active.map((_, i) => (region.rect.x + (i % region.cols) * 16 >= 160 ? 1 : 0)),
  knows: () => true,
  isNearer,
  map: (_from, to, points, surface) => void (surface === 1 && onNear(to, points as Float32Array)),
});

function filled(
  isNearer: FrameMap['isNearer'],
  frames = twoDepths(BORDER),
): { at: (x: number, y: number) => number; region: Region } {
  const region = regionOf(kernels, frame, HOLE, mattes);
  const motion = map(region, isNearer);
  const { planes } = kernels.scoped(() => {
    const rects = new Map(SOURCES.map((s) => [s, neededRect(region, s, motion, frames.format)]));
    const sources = new SourceFrames(kernels, frames, mattes, rects, 16 << 20);
    return new Gatherer(kernels, frames, motion, sources, 1).gather(region, SOURCES);
  });
  return { region, at: (x, y) => planes[0][(y - region.rect.y) * region.rect.width + x - region.rect.x] };
}

/** Share of the hole's px, on one side of the border, that are more than a few levels off. */
function wrong(at: (x: number, y: number) => number, from: number, to: number, truth: typeof farSample): number {
  let [bad, all] = [0, 0];
  for (let y = HOLE.y; y < HOLE.y + HOLE.height; y++) {
    for (let x = from; x < to; x++, all++) if (Math.abs(at(x, y) - truth(x, y)) > 6) bad++;
  }
  return bad / all;
}

describe('a tile with an edge between two surfaces', () => {
  const near = (x: number, y: number): number => nearSample(x, y, frame);

  it('is filled from both, px by px, up to the edge', () => {
    const { at } = filled((_frame, one) => one === 1);
    expect(wrong(at, HOLE.x, BORDER - 3, farSample)).toBeLessThan(0.02);
    expect(wrong(at, BORDER + 3, HOLE.x + HOLE.width, near)).toBeLessThan(0.02);
  });

  it('is filled nearly as well if it is not known which is nearer', () => {
    const { at } = filled(() => undefined);
    expect(wrong(at, HOLE.x, BORDER - 5, farSample)).toBeLessThan(0.02);
    expect(wrong(at, BORDER + 5, HOLE.x + HOLE.width, near)).toBeLessThan(0.05);
  });
});

it('a thin pole before a plain wall is kept where a codec makes frames disagree about it', () => {
  const [left, right] = [165, 171];
  /** Noise, and a pole that is smeared away in every third of the frames. */
  const film = paintedFrames(smallFormat(width, height), count, (x, y, _plane, t) => {
    const own = x - TWO_DEPTHS.parallax * (t - frame);
    const wall = 140 + ((3 * x + 5 * y + 7 * t) % 3);
    if (own < left || own >= right) return wall;
    return t % 6 === 0 ? 75 : 40 + ((x + y) % 3);
  });
  const { at } = filled((_frame, one) => one === 1, film);
  for (let y = HOLE.y + 4; y < HOLE.y + HOLE.height - 4; y++) {
    expect(at(167, y)).toBeLessThan(60);
    expect(Math.abs(at(150, y) - 141)).toBeLessThan(4);
    expect(Math.abs(at(182, y) - 141)).toBeLessThan(4);
  }
});

it('a door keeps its edge where frames agree no less about the wall beside it, on a surface of which is not known whether it is nearer', () => {
  const [left, right] = [158, 166];
  /** All of it rests; what moves along with the other surface shows but the wall. */
  const film = paintedFrames(smallFormat(width, height), count, (x, y, _plane, t) => {
    const noise = (3 * x + 5 * y + 7 * t) % 3;
    return (x >= left && x < right && t > 0 ? 170 : 110) + noise;
  });
  const { at } = filled(() => undefined, film);
  for (let y = HOLE.y + 4; y < HOLE.y + HOLE.height - 4; y++) {
    for (let x = left + 1; x < right - 1; x++) expect(at(x, y)).toBeGreaterThan(160);
    expect(Math.abs(at(150, y) - 111)).toBeLessThan(4);
    expect(Math.abs(at(182, y) - 111)).toBeLessThan(4);
  }
});

it.each([154, 155])(
  'a sample of colour is never that of a surface that nobody sees there (seen from column %i on)',
  (from) => {
    // The far surface is seen from a column on, where the near one lies; what is decided there is decided up to a window's half before it.
    const coloured = twoDepths(148);
    const format = smallFormat(width, height, true);
    const frames: FrameReader = {
      ...coloured,
      format,
      readRows: (t, plane, y, rows, into) =>
        void (plane === 0 ? coloured.readRows(t, plane, y, rows, into) : into.fill(150)),
    };
    const hiding = paintedFrames(smallFormat(width, height), count, (x, _y, _plane, t) =>
      t !== frame && x < from ? 255 : 0,
    );
    const region = regionOf(kernels, frame, HOLE, mattes);
    const motion = map(region, () => undefined);
    const { planes, support } = kernels.scoped(() => {
      const rects = new Map(SOURCES.map((s) => [s, neededRect(region, s, motion, format)]));
      const sources = new SourceFrames(kernels, frames, hiding, rects, 16 << 20);
      return new Gatherer(kernels, frames, motion, sources, 1).gather(region, SOURCES);
    });
    const { width: across } = region.rect;
    const seen = [...support.keys()].filter((i) => support[i] > 0 && region.alpha[i] > 0);
    const colours = seen.map((i) => planes[1][(Math.floor(i / across) >> 1) * (across / 2) + ((i % across) >> 1)]);
    expect(seen.length).toBeGreaterThan(500);
    expect(colours.filter((v) => Math.abs(v - 150) > 2)).toEqual([]);
  },
);

it('tiles near a border have the surface beyond it beside their own, those farther away none', () => {
  const active = new Uint8Array(12).fill(2);
  const region = { rect: { x: 0, y: 0, width: 96, height: 32 }, cols: 6, rows: 2, active } as Region;
  const tiles = Uint8Array.of(0, 0, 0, 0, 3, 3, 0, 0, 0, 0, 3, 3);
  const beside = surfacesBeside(region, tiles)!;
  expect([...beside.tiles]).toEqual([0, 0, 1, 1, 1, 1, 0, 0, 1, 1, 1, 1]);
  expect([...beside.surfaces]).toEqual([0, 0, 3, 3, 0, 0, 0, 0, 3, 3, 0, 0]);
  expect(surfacesBeside(region, new Uint8Array(12))).toBeUndefined();
});
