import { describe, expect, it } from '@jest/globals';
import type { FrameReader } from '../core/image/format.ts';
import { storedFormat } from './pixelFormat.ts';
import { matteUnder, planeMattes } from './planeMatte.ts';

describe('the matte of a part of a frame', () => {
  it('is read from whole rows', () => {
    const { format } = storedFormat('gray', 6, 4);
    const mattes: FrameReader = {
      format,
      count: 1,
      readRows: (_, __, y, rows, into) => {
        for (let i = 0; i < rows * 6; i++) into[i] = 10 * (y + Math.floor(i / 6)) + (i % 6);
      },
    };
    const place = { x: 2, y: 1, width: 3, height: 2 };
    const patch = { frame: 0, rect: place, planes: [], hole: 0, unseen: 0 };
    expect([...matteUnder(patch, mattes, place)]).toEqual([12, 13, 14, 22, 23, 24]);
    // A patch may reach beyond the frame; where the frame stays, nothing is mixed in.
    const stays = Uint8Array.of(0, 1, 0, 0, 1, 0, 0, 1);
    const larger = { ...patch, rect: { x: 1, y: 1, width: 4, height: 2 }, stays };
    expect([...matteUnder(larger, mattes, place)]).toEqual([0, 13, 14, 22, 23, 0]);
  });

  it('is summed over the luma px under each sample, once for planes that are alike', () => {
    const { format } = storedFormat('yuv420p', 8, 8);
    const alpha = Uint8Array.of(255, 0, 10, 20, 255, 255, 30, 40);
    const [luma, u, v] = planeMattes(alpha, { x: 4, y: 2, width: 4, height: 2 }, format);
    expect([[...luma.sums], luma.full]).toEqual([[...alpha], 255]);
    expect([[...u.sums], u.full]).toEqual([[765, 100], 1020]);
    expect(v).toBe(u);
  });

  it.each([
    ['yuv422p', [510, 255 + 255]],
    ['yuv420p', [1020, 1020]],
  ])('is as opaque under a sample that an odd size cuts off, %s', (pixelFormat, sums) => {
    const { format } = storedFormat(pixelFormat, 3, 1);
    const [, u] = planeMattes(new Uint8Array(3).fill(255), { x: 0, y: 0, width: 3, height: 1 }, format);
    expect([...u.sums]).toEqual(sums);
    expect(u.full).toBe(sums[0]);
  });
});
