import { describe, expect, it } from '@jest/globals';
import { smallFormat } from '../testing/frames.ts';
import { randomFrom } from '../testing/random.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import { TILE, type Region } from './region.ts';
import { isTouched } from './touched.ts';

const SIDE = 6 * TILE;
const FORMAT = smallFormat(SIDE, SIDE, true);

/** A rim all around a hole, of which other frames show an even ground. @param strange - What the frame shows more, in luma and colour. */
function gathered(strange: (x: number, y: number) => [number, number]): Gathered {
  const n = SIDE * SIDE;
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: SIDE, height: SIDE },
    cols: 6,
    rows: 6,
    active: new Uint8Array(36).fill(2),
    alpha: new Uint8Array(n),
    known: new Uint8Array(n).fill(1),
  };
  const random = randomFrom(9);
  const plane = (side: number, of: 0 | 1): Float32Array =>
    Float32Array.from({ length: side * side }, (_, i) => {
      const [x, y] = [i % side, Math.floor(i / side)].map((v) => (v * SIDE) / side);
      return 100 + 6 * random() + strange(x, y)[of];
    });
  const own = [plane(SIDE, 0), plane(SIDE / 2, 1), plane(SIDE / 2, 1)];
  const planes = own.map((samples) => samples.map(() => 100));
  return { ...nothingOf(region, [1, 2], own), planes };
}
const rim = Uint8Array.from({ length: SIDE * SIDE }, (_, i) => {
  const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
  return x < TILE || y < TILE || x >= SIDE - TILE || y >= SIDE - TILE ? 1 : 0;
});
const within = (x: number, y: number, size: number): boolean => x < TILE && y >= 32 && y < 32 + size;

describe('a hole', () => {
  it('is touched by somebody who differs from the ground in light or in colour', () => {
    expect(
      isTouched(
        gathered((x, y) => [within(x, y, 40) ? -30 : 0, 0]),
        rim,
        FORMAT,
      ),
    ).toBe(true);
    expect(
      isTouched(
        gathered((x, y) => [0, within(x, y, 40) ? 10 : 0]),
        rim,
        FORMAT,
      ),
    ).toBe(true);
  });

  it('is not by grain, other light, or a speck', () => {
    expect(
      isTouched(
        gathered(() => [0, 0]),
        rim,
        FORMAT,
      ),
    ).toBe(false);
    expect(
      isTouched(
        gathered(() => [7, 0]),
        rim,
        FORMAT,
      ),
    ).toBe(false);
    expect(
      isTouched(
        gathered((x, y) => [within(x, y, 16) ? -30 : 0, 0]),
        rim,
        FORMAT,
      ),
    ).toBe(false);
  });

  it('is not by what lies within it', () => {
    const middle = (x: number, y: number): boolean => x > 24 && x < 72 && y > 24 && y < 72;
    expect(
      isTouched(
        gathered((x, y) => [middle(x, y) ? -60 : 0, 0]),
        rim,
        FORMAT,
      ),
    ).toBe(false);
    expect(
      isTouched(
        gathered(() => [-60, 0]),
        new Uint8Array(SIDE * SIDE),
        FORMAT,
      ),
    ).toBe(false);
  });
});
