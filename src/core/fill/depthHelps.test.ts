import { describe, expect, it } from '@jest/globals';
import { depthHelps } from './depthHelps.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import type { Region } from './region.ts';

const N = 16 * 16;
const TAU = 4;

/** A region of which all is rim, and which a frame shows as 100: what sources show of each px, and how many do. */
function gathered(shown: (i: number) => number, support: (i: number) => number = () => 2): Gathered {
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: 16, height: 16 },
    cols: 1,
    rows: 1,
    active: new Uint8Array(1).fill(2),
    alpha: new Uint8Array(N),
    known: new Uint8Array(N).fill(1),
  };
  const out = nothingOf(region, [1, 2], [new Float32Array(N).fill(100)]);
  out.planes[0].forEach((_, i, plane) => (plane[i] = shown(i)));
  out.support.forEach((_, i, all) => (all[i] = support(i)));
  return { ...out, tau: TAU };
}

describe('depth', () => {
  it('helps where it shows what the frame shows, and the plane does not', () => {
    expect(
      depthHelps(
        gathered(() => 108),
        gathered(() => 101),
      ),
    ).toBe(true);
  });

  it('does not where it shows the same, or hardly more of it', () => {
    const passerBy = (i: number): number => (i < N / 4 ? 140 : 101);
    expect(depthHelps(gathered(passerBy), gathered(passerBy))).toBe(false);
    expect(
      depthHelps(
        gathered(passerBy),
        gathered((i) => (i < 6 ? 101 : passerBy(i))),
      ),
    ).toBe(false);
  });

  it('helps where it explains a quarter of what is off, however large the rest is', () => {
    const off = (from: number) => (i: number) => (i >= from && i < N / 2 ? 160 : 100);
    expect(depthHelps(gathered(off(0)), gathered(off(32)))).toBe(true);
  });

  it('is not judged where few sources show anything, or where the plane is right', () => {
    const few = (i: number): number => (i < N / 2 ? 0.1 : 2);
    expect(
      depthHelps(
        gathered((i) => (i < N / 2 ? 160 : 100)),
        gathered(() => 100, few),
      ),
    ).toBe(false);
    expect(
      depthHelps(
        gathered(() => 100),
        gathered(() => 100),
      ),
    ).toBe(false);
  });
});
