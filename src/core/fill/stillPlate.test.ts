import { describe, expect, it } from '@jest/globals';
import { storedFormat } from '../../media/pixelFormat.ts';
import { shrunk, withoutEdge } from './stillPlate.ts';
import { strangeCells } from './strangeCells.ts';

describe('what a plate knows', () => {
  it('ends two px before what it does not know, but not at the border of the picture', () => {
    const mask = new Uint8Array(8 * 6).fill(1);
    mask[2 * 8 + 4] = 0;
    const rows = Array.from({ length: 6 }, (_, y) => [...withoutEdge(mask, 8, 6).subarray(y * 8, y * 8 + 8)].join(''));
    expect(rows).toEqual(['11000001', '11000001', '11000001', '11000001', '11000001', '11111111']);
  });

  it('is made smaller by means, and only whole blocks of it are known', () => {
    const { format } = storedFormat('yuv420p', 16, 16);
    const rect = { x: 0, y: 0, width: 32, height: 32 };
    const luma = Uint16Array.from({ length: 1024 }, (_, i) => (i % 32) * 100);
    const chroma = new Uint16Array(256).fill(7);
    const known = new Uint8Array(1024).fill(1);
    known[0] = 0;
    const small = shrunk({ rect, planes: [luma, chroma, chroma], known }, format, 2);
    expect(small.rect).toEqual({ x: 0, y: 0, width: 16, height: 16 });
    expect([...small.planes[0].subarray(0, 3)]).toEqual([50, 250, 450]);
    expect(small.planes[1]).toEqual(new Uint16Array(64).fill(7));
    expect([...small.known!.subarray(0, 3)]).toEqual([0, 1, 1]);
  });
});

describe('cells in which something passes', () => {
  const grid = { cols: 20, rows: 1 };
  const times4 = (value: (c: number) => number): Float32Array =>
    Float32Array.from({ length: 20 }, (_, c) => value(c) * 4);
  const found = (mean: (c: number) => number, spread: (c: number) => number = () => 1): number[] => {
    const squares = times4((c) => mean(c) ** 2 + spread(c) ** 2);
    const out = strangeCells(grid, { sum: times4(mean), squares, weight: new Float32Array(20).fill(4) }, 1);
    return [...out.keys()].filter((c) => out[c] === 1);
  };

  it('are found by their mean or by their spread, and left out with their neighbours', () => {
    const noise = (c: number): number => 2 + ((c * 7) % 5) / 5;
    expect(found((c) => (c === 8 ? 40 : noise(c)))).toEqual([7, 8, 9]);
    expect(found(noise, (c) => (c === 3 ? 25 : 1))).toEqual([2, 3, 4]);
  });

  it('are found along most of the border too, by their spread', () => {
    const thing = (c: number): boolean => c < 13;
    expect(
      found(
        (c) => (thing(c) ? -60 + 9 * c : 2),
        (c) => (thing(c) ? 30 : 1),
      ),
    ).toHaveLength(14);
  });

  it('are none where the light goes evenly from side to side', () => {
    expect(found((c) => c * 3)).toEqual([]);
  });
});
