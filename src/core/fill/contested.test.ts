import { describe, expect, it } from '@jest/globals';
import { isContested } from './contested.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import type { Region } from './region.ts';

const SIDE = 4;
const WIDTH = SIDE * 16;

/** A region of which all is hole: what share of its sources agrees about each px, and how many see it. */
function gathered(share: (x: number) => number, seen = 5): Gathered {
  const n = WIDTH * WIDTH;
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: WIDTH, height: WIDTH },
    cols: SIDE,
    rows: SIDE,
    active: new Uint8Array(SIDE * SIDE).fill(2),
    alpha: new Uint8Array(n).fill(255),
    known: new Uint8Array(n),
  };
  const out = nothingOf(region, [1, 2, 3, 4, 5], [new Float32Array(n)]);
  for (let i = 0; i < n; i++) {
    out.share[i] = share(i % WIDTH);
    out.support[i] = seen * out.share[i];
  }
  return out;
}

describe('a hole', () => {
  it('is contested where sources are at odds about more than a tenth of it', () => {
    expect(isContested(gathered((x) => (x < 16 ? 0.5 : 0.9)))).toBe(true);
  });

  it('is not where they are about a few px alone, or next to nobody sees it', () => {
    expect(isContested(gathered(() => 0.9))).toBe(false);
    expect(isContested(gathered((x) => (x < 2 ? 0.5 : 0.9)))).toBe(false);
    expect(isContested(gathered(() => 0.5, 1))).toBe(false);
  });
});
