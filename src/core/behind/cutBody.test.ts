import { describe, expect, it } from '@jest/globals';
import { nothingOf, type Gathered } from '../fill/gathered.ts';
import { TILE, type Region } from '../fill/region.ts';
import { smallFormat } from '../testing/frames.ts';
import { randomFrom } from '../testing/random.ts';
import { cutBody, type BodyLayer } from './cutBody.ts';

const SIDE = 4 * TILE;
const FORMAT = smallFormat(SIDE, SIDE);
const BOX = { x: 20, y: 16, width: 24, height: 32 };
const inBox = (x: number, y: number): boolean =>
  x >= BOX.x && x < BOX.x + BOX.width && y >= BOX.y && y < BOX.y + BOX.height;
const small = { x: 5, y: 4, width: 6, height: 8, data: new Uint8Array(48).fill(1) };
const ground = (x: number, y: number): number => 100 + 30 * Math.sin(x / 3) + 20 * Math.cos(y / 4);

/** A part of a frame of which other frames show the ground. @param own - What it shows itself, without its grain. */
function gathered(
  own: (x: number, y: number) => number,
  known: (x: number, y: number) => boolean = () => true,
): Gathered {
  const n = SIDE * SIDE;
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: SIDE, height: SIDE },
    cols: 4,
    rows: 4,
    active: new Uint8Array(16).fill(2),
    alpha: new Uint8Array(n),
    known: Uint8Array.from({ length: n }, (_, i) => (known(i % SIDE, Math.floor(i / SIDE)) ? 1 : 0)),
  };
  const random = randomFrom(5);
  const of = (sample: (x: number, y: number) => number, grain: number): Float32Array =>
    Float32Array.from({ length: n }, (_, i) => sample(i % SIDE, Math.floor(i / SIDE)) + grain * random());
  const out = nothingOf(region, [1, 2, 3], [of(own, 4)]);
  return {
    ...out,
    planes: [of(ground, 1)],
    support: new Float32Array(n).fill(3),
    share: new Float32Array(n).fill(1),
    tau: 5,
  };
}

const at = ({ planes: [{ keep, add }] }: BodyLayer, x: number, y: number): { keep: number; add: number } => ({
  keep: keep[y * SIDE + x],
  add: add[y * SIDE + x],
});
const cut = (own: Gathered, whole = small): BodyLayer => cutBody(own, FORMAT, { mask: small, whole }, 4);

describe('a body that is cut out', () => {
  it('covers what is under it, and leaves the rest alone', () => {
    const layer = cut(gathered((x, y) => (inBox(x, y) ? 220 : ground(x, y))));
    for (const [x, y] of [
      [22, 18],
      [32, 32],
      [42, 46],
    ]) {
      const { keep, add } = at(layer, x, y);
      expect(keep).toBeCloseTo(0, 2);
      expect(Math.abs(add - 220)).toBeLessThan(4);
    }
    for (const [x, y] of [
      [12, 32],
      [50, 30],
      [32, 8],
    ])
      expect(at(layer, x, y)).toEqual({ keep: 1, add: 0 });
  });

  it('is seen through where it has holes', () => {
    const window = (x: number, y: number): boolean => x >= 27 && x < 37 && y >= 26 && y < 38;
    const layer = cut(gathered((x, y) => (inBox(x, y) && !window(x, y) ? 220 : ground(x, y))));
    expect(at(layer, 32, 32).keep).toBeGreaterThan(0.9);
    expect(at(layer, 22, 32).keep).toBeLessThan(0.1);
  });

  it('brings no background along at a soft edge', () => {
    const half = (x: number): number => Math.max(0, Math.min(1, (x - 16) / 8));
    const layer = cut(
      gathered((x, y) =>
        inBox(x, y) || (x > 15 && x < 21 && y > 20 && y < 40)
          ? half(x) * 220 + (1 - half(x)) * ground(x, y)
          : ground(x, y),
      ),
    );
    // Over black, and over white: what of it is not the body is what is under it.
    const { keep, add } = at(layer, 20, 30);
    expect(add).toBeGreaterThan(60);
    expect(keep * 255 + add).toBeLessThan(260);
  });

  it('darkens by its shadow what lies under it, without its pattern', () => {
    const shadow = { x: 1, y: 12, width: 14, height: 3, data: new Uint8Array(42).fill(1) };
    const whole = { x: 1, y: 4, width: 14, height: 11, data: new Uint8Array(14 * 11).fill(1) };
    const inShadow = (x: number, y: number): boolean => x >= 6 && x < 58 && y >= 49 && y < 58;
    const layer = cut(
      gathered((x, y) => (inBox(x, y) ? 220 : ground(x, y) * (inShadow(x, y) ? 0.6 : 1))),
      whole,
    );
    expect(shadow.y * 4).toBe(48);
    for (const x of [12, 32, 52]) {
      const { keep, add } = at(layer, x, 54);
      expect(Math.abs(keep - 0.6)).toBeLessThan(0.08);
      expect(add).toBeCloseTo(0, 5);
    }
  });

  it('has nothing of what lies under a matte', () => {
    const layer = cut(
      gathered(
        (x, y) => (inBox(x, y) ? 220 : ground(x, y)),
        (x) => x < 30,
      ),
    );
    expect(at(layer, 26, 30).keep).toBeCloseTo(0, 2);
    expect(at(layer, 36, 30)).toEqual({ keep: 1, add: 0 });
  });
});
