import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { CAMERA_PLANE, type FrameMap } from '../depth/frameMap.ts';
import { TAINT_PX } from '../image/matteCells.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import {
  HOLE_TILE,
  planeSize,
  readRegionPlane,
  regionOf,
  RIM_TILE,
  runsOf,
  spansOf,
  tilesWith,
  TILE,
  tileCorners,
  type Region,
} from './region.ts';
import { RegionMap, surfacesBehind } from './regionMap.ts';

const [W, H] = [96, 80];
let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

/** The region of a frame whose matte is one box. */
function around(x: number, y: number, width: number, height: number): Region {
  const inside = (u: number, v: number): boolean => u >= x && u < x + width && v >= y && v < y + height;
  const mattes = paintedFrames(smallFormat(W, H), 1, (u, v) => (inside(u, v) ? 200 : 0));
  return regionOf(kernels, 0, { x, y, width, height }, mattes);
}

describe('a region', () => {
  it('is the tiles of the matte with one more all around', () => {
    const region = around(40, 35, 4, 4);
    expect(region.rect).toEqual({ x: 16, y: 16, width: 48, height: 48 });
    expect([...region.active]).toEqual([1, 1, 1, 1, 2, 1, 1, 1, 1].map((k) => (k === 2 ? HOLE_TILE : RIM_TILE)));
    expect(region.alpha.reduce((n, v) => n + (v === 200 ? 1 : 0), 0)).toBe(16);
  });

  it('knows its own px but for those near the matte', () => {
    const { known, rect } = around(40, 35, 4, 4);
    const knows = (x: number, y: number): number => known[(y - rect.y) * rect.width + x - rect.x];
    expect([knows(40 - TAINT_PX - 1, 36), knows(40 - TAINT_PX, 36)]).toEqual([1, 0]);
    expect([knows(43 + TAINT_PX, 36), knows(43 + TAINT_PX + 1, 36)]).toEqual([0, 1]);
    expect([knows(41, 35 - TAINT_PX), knows(41, 34 - TAINT_PX)]).toEqual([0, 1]);
  });

  it('reaches beyond the frame, where nothing is known and the border is repeated', () => {
    const region = around(0, 70, 6, 10);
    expect(region.rect).toEqual({ x: -16, y: 48, width: 48, height: 48 });
    const knownAt = (x: number, y: number): number => region.known[(y - 48) * 48 + x + 16];
    expect([knownAt(20, 60), knownAt(-1, 60), knownAt(20, 80)]).toEqual([1, 0, 0]);
    const frames = paintedFrames(smallFormat(W, H), 1, (x, y) => x + y);
    const samples = readRegionPlane(frames, region, 0);
    const at = (x: number, y: number): number => samples[(y - 48) * 48 + x + 16];
    expect([at(5, 60), at(-9, 60), at(5, 90), at(-9, 90)]).toEqual([65, 60, 84, 79]);
  });

  it('leaves tiles far from the matte out', () => {
    const box = { x: 0, y: 0, width: W, height: H };
    // Two specks in opposite corners of the picture.
    const mattes = paintedFrames(smallFormat(W, H), 1, (x, y) => (x + y < 2 || x + y > W + H - 4 ? 255 : 0));
    const { active, cols, rows } = regionOf(kernels, 0, box, mattes);
    expect([cols, rows]).toEqual([W / TILE + 2, H / TILE + 2]);
    const kinds = [0, RIM_TILE, HOLE_TILE].map((kind) => active.filter((a) => a === kind).length);
    expect(kinds).toEqual([cols * rows - 18, 16, 2]);
  });
});

describe('runs of samples', () => {
  const region = { cols: 4, rows: 2, active: Uint8Array.of(0, 1, 2, 0, 1, 0, 0, 2) };

  it('go over neighbouring tiles of a kind, row after row', () => {
    const spans = spansOf(region, smallFormat(64, 32), 0, HOLE_TILE);
    expect(spans).toHaveLength(3 * 2 * TILE);
    expect([...spans.slice(0, 3)]).toEqual([0, 32, 48]);
    expect([...spans.slice(-3)]).toEqual([31, 48, 64]);
    expect([...spansOf(region, smallFormat(64, 32), 0, RIM_TILE).slice(0, 3)]).toEqual([0, 16, 48]);
  });

  it('are half as long and as many in a plane of half the size', () => {
    const spans = spansOf(region, smallFormat(64, 32, true), 1, RIM_TILE);
    expect([...spans.slice(0, 3)]).toEqual([0, 8, 24]);
    expect(spans.length / 3).toBe(TILE / 2 + 2 * (TILE / 2));
    const runs = runsOf(region, smallFormat(64, 32, true), 1, RIM_TILE);
    expect([...runs.slice(0, 4)]).toEqual([8, 24, 40, 56]);
    expect([...runs.slice(-4)]).toEqual([15 * 32, 15 * 32 + 8, 15 * 32 + 24, 15 * 32 + 32]);
  });
});

describe('tiles with px of a mask', () => {
  const n = 3 * TILE * TILE;
  const region = {
    rect: { x: 32, y: 0, width: 3 * TILE, height: TILE },
    cols: 3,
    active: Uint8Array.of(HOLE_TILE, RIM_TILE, 0),
  } as Region;
  const at = (...places: [number, number][]): Uint8Array => {
    const mask = new Uint8Array(n);
    for (const [x, y] of places) mask[y * 3 * TILE + x] = 1;
    return mask;
  };

  it('are those of at least a kind, down to their last px', () => {
    const mask = at([TILE - 1, TILE - 1], [TILE, 0], [2 * TILE, 3]);
    expect([...tilesWith(region, RIM_TILE, mask)]).toEqual([1, 1, 0]);
    expect([...tilesWith(region, HOLE_TILE, mask)]).toEqual([1, 0, 0]);
    expect([...tilesWith(region, RIM_TILE, at([TILE, 5]))]).toEqual([0, 1, 0]);
  });

  it('count where two masks hold the same px', () => {
    expect([...tilesWith(region, RIM_TILE, at([3, 3], [TILE + 2, 2]), at([3, 4], [TILE + 2, 2]))]).toEqual([0, 1, 0]);
  });
});

describe('places in a source', () => {
  /** Everything lies 10 px farther right and 2 lower in the source; the second surface twice as far, and unseen in 9. */
  const motion = (tiles?: Uint8Array): FrameMap => ({
    surfaces: () => tiles,
    isNearer: () => undefined,
    knows: (_, to, surface) => surface === CAMERA_PLANE || to !== 9,
    map: (_from, _to, points, surface) => {
      for (let i = 0; i < points.length; i += 2) {
        points[i] += 10 * (surface + 1);
        points[i + 1] += 2 * (surface + 1);
      }
    },
  });

  it('are between those of the corners of their tile', () => {
    const region = around(40, 35, 4, 4);
    const map = new RegionMap(region, motion(), undefined);
    const px = Int32Array.of(0, 5 * region.rect.width + 21);
    expect([...map.placesOf(px, map.in(1))]).toEqual([26, 18, 47, 23]);
    expect([...tileCorners(region).slice(0, 4)]).toEqual([16, 16, 32, 16]);
    expect(planeSize(region, smallFormat(W, H, true), 1)).toEqual({ width: 24, height: 24 });
  });

  it('are those of the surface behind each tile, and none where that is not known', () => {
    const region = around(40, 35, 4, 4);
    const tiles = Uint8Array.of(0, 0, 0, 0, 1, 0, 0, 0, 1);
    const map = new RegionMap(region, motion(tiles), tiles);
    expect(surfacesBehind(region, motion(tiles))).toEqual([0, 1]);
    const px = Int32Array.of(0, 20 * region.rect.width + 20);
    expect([...map.placesOf(px, map.in(1))]).toEqual([26, 18, 56, 40]);
    expect([...map.placesOf(px, map.in(9))]).toEqual([26, 18, -1e6, -1e6]);
    expect(map.surfaces).toEqual([0, 1]);
  });
});
