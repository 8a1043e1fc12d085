import { describe, expect, it } from '@jest/globals';
import type { Gathered } from '../core/fill/gathered.ts';
import { HOLE_TILE, TILE, type Region } from '../core/fill/region.ts';
import { smallFormat } from '../core/testing/frames.ts';
import { loadKernels } from './kernelFile.ts';
import { packFrame, unpackFrame } from './storedFrame.ts';

describe('a gathered frame', () => {
  it('is kept to a fraction of a level, in its active tiles, and seen stays seen', async () => {
    const n = 2 * TILE * TILE;
    const region: Region = {
      frame: 3,
      rect: { x: 0, y: 0, width: 2 * TILE, height: TILE },
      cols: 2,
      rows: 1,
      active: Uint8Array.of(HOLE_TILE, 0),
      alpha: new Uint8Array(n),
      known: new Uint8Array(n),
    };
    const planes = [Float32Array.from({ length: n }, (_, i) => (i % 256) + 0.37)];
    const support = new Float32Array(n).fill(2.5);
    support[0] = 0;
    support[1] = 0.001;
    const format = smallFormat(2 * TILE, TILE);
    const stored = packFrame(await loadKernels(1 << 20), { region, planes, support } as unknown as Gathered, format);
    expect([stored.frame, stored.planes[0].length, stored.support.length]).toEqual([3, 256, 256]);
    const back = unpackFrame(stored, region, format);
    expect([back.planes[0][5], back.planes[0][TILE], back.planes[0][40]]).toEqual([
      expect.closeTo(5.37, 2),
      0,
      expect.closeTo(40.37, 2),
    ]);
    expect([back.support[0], back.support[1] > 0, back.support[2]]).toEqual([0, true, 2.5]);
  });
});
