import { describe, expect, it } from '@jest/globals';
import { nothingOf, type Gathered } from './gathered.ts';
import type { Region } from './region.ts';
import { restlessnessOf, restlessPlaces } from './restless.ts';

const [COLS, ROWS] = [10, 20];
const [WIDTH, HEIGHT] = [COLS * 16, ROWS * 16];
const RIM = 32;
const TAU = 4;

type Of = (x: number, y: number) => number;

/** A region with a rim of 32 px: what share of its five sources agrees, and by how much the frame itself differs from them. */
function gathered(share: Of, off: Of): Gathered {
  const inside: Of = (x, y) => (x >= RIM && y >= RIM && x < WIDTH - RIM && y < HEIGHT - RIM ? 1 : 0);
  const each = (of: Of): number[] =>
    Array.from({ length: WIDTH * HEIGHT }, (_, i) => of(i % WIDTH, Math.floor(i / WIDTH)));
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: WIDTH, height: HEIGHT },
    cols: COLS,
    rows: ROWS,
    active: new Uint8Array(COLS * ROWS).fill(2),
    alpha: Uint8Array.from(each((x, y) => 255 * inside(x, y))),
    known: Uint8Array.from(each((x, y) => 1 - inside(x, y))),
  };
  const out = nothingOf(region, [1, 2, 3, 4, 5], [Float32Array.from(each(off))]);
  out.share.set(each(share));
  out.support.set(each((x, y) => 5 * share(x, y)));
  return { ...out, tau: TAU };
}

const at = ({ cells }: { cells: Float32Array }, x: number, y: number): number =>
  cells[Math.floor(y / 8) * COLS * 2 + Math.floor(x / 8)];
const isWater: Of = (_, y) => (y >= 96 && y < 224 ? 1 : 0);

describe('restlessness', () => {
  it('is found where neither sources nor the frame agree, across hole and rim, and there alone', () => {
    const found = restlessnessOf(
      gathered(
        (x, y) => (isWater(x, y) ? 0.45 : 0.9),
        (x, y) => (isWater(x, y) ? 3 * TAU : 1),
      ),
    )!;
    expect(found.sure).toBe(true);
    expect([at(found, 80, 160), at(found, 8, 160), at(found, 150, 120)]).toEqual([1, 1, 1]);
    expect([at(found, 80, 48), at(found, 80, 280), at(found, 8, 20)]).toEqual([0, 0, 0]);
  });

  it('is none where all agree', () => {
    expect(
      restlessnessOf(
        gathered(
          () => 0.9,
          () => 1,
        ),
      ),
    ).toBeUndefined();
  });

  it('is not what passes before the sources alone: most of them show what the frame shows', () => {
    const contradict: Of = (x, y) => (isWater(x, y) ? 0.45 : 0.9);
    expect(restlessnessOf(gathered(contradict, () => 1))).toBeUndefined();
  });

  it('is not sure where it is told by a small part of the rim', () => {
    const post: Of = (x, y) => (x >= 56 && x < 104 && y < 288 && y >= 32 ? 1 : x >= 56 && x < 104 && y < 32 ? 1 : 0);
    const found = restlessnessOf(
      gathered(
        (x, y) => (post(x, y) ? 0.4 : 0.9),
        (x, y) => (post(x, y) ? 3 * TAU : 1),
      ),
    );
    expect(found?.sure ?? false).toBe(false);
  });

  it('is told by other frames where the rim rests, of what the sources do not agree about', () => {
    // A bush in the hole, up to row 200: the rim shows the wall alone.
    const bush: Of = (x, y) => (x >= 56 && x < 104 && y >= 80 && y < 200 ? 0.4 : 0.9);
    const one = gathered(bush, () => 1);
    expect(restlessnessOf(one)).toBeUndefined();
    const told = [80, 140, 81, 260];
    const found = restlessnessOf(one, told)!;
    expect([at(found, 80, 140), at(found, 80, 260)]).toEqual([1, 0]);
    expect(found.sure).toBe(false);
    expect(restlessPlaces(one.region, found)).toContain(76);
  });
});
