import { describe, expect, it } from '@jest/globals';
import { withdraw, withdrawContradicted } from './distrust.ts';
import type { Gathered } from './gathered.ts';
import type { Region } from './region.ts';
import { SourceAgreement } from './sourceAgreement.ts';

const [COLS, ROWS] = [8, 4];
const [WIDTH, HEIGHT] = [COLS * 16, ROWS * 16];

/** A region at (32, 48) with a rim of 16 px that is known and well agreed about, and a hole inside of it. */
function gathered(
  share: (x: number, y: number) => number,
  support = (x: number, y: number) => 5 * share(x, y),
): Gathered {
  const inside = (x: number, y: number): boolean => x >= 16 && y >= 16 && x < WIDTH - 16 && y < HEIGHT - 16;
  const each = <T>(make: (x: number, y: number) => T): T[] =>
    Array.from({ length: WIDTH * HEIGHT }, (_, i) => make(i % WIDTH, Math.floor(i / WIDTH)));
  const region: Region = {
    frame: 0,
    rect: { x: 32, y: 48, width: WIDTH, height: HEIGHT },
    cols: COLS,
    rows: ROWS,
    active: new Uint8Array(COLS * ROWS).fill(2),
    alpha: Uint8Array.from(each((x, y) => (inside(x, y) ? 255 : 0))),
    known: Uint8Array.from(each((x, y) => (inside(x, y) ? 0 : 1))),
  };
  const values = (of: (x: number, y: number) => number, rim: number): Float32Array =>
    Float32Array.from(each((x, y) => (inside(x, y) ? of(x, y) : rim)));
  const agreement = new SourceAgreement(region, 2);
  return {
    region,
    sources: [1, 2],
    planes: [],
    own: [],
    support: values(support, 4),
    share: values(share, 0.8),
    tau: 1,
    agreement,
  };
}

/** Says of each source how many px of each cell it shows, and how it agrees with the others (0..1) where several do. */
function testify(
  g: Gathered,
  shown: (source: number, c: number) => number,
  agrees: (source: number, c: number) => number,
): void {
  const cols = 2 * COLS;
  for (let row = 0; row < ROWS; row++) {
    const cells = [0, 1].flatMap((source) =>
      Array.from({ length: 2 * cols }, (_, i) => {
        const [c, px] = [i % cols, shown(source, i % cols)];
        const rim = c < 2 || c >= cols - 2;
        return [px, rim ? px : 0, rim ? px * agrees(source, c) : 0];
      }).flat(),
    );
    g.agreement.setRow(row, Float32Array.from(cells));
  }
}

const supportAt = (g: Gathered, x: number, y: number): number => g.support[y * WIDTH + x];

describe('sources that contradict one another', () => {
  it('lose their support, with the cells beside, and nowhere else', () => {
    const g = gathered((x) => (x >= 80 ? 0.35 : 0.8));
    const middles = withdrawContradicted(g);
    expect([supportAt(g, 84, 24), supportAt(g, 105, 40)]).toEqual([0, 0]);
    expect(supportAt(g, 40, 24)).toBe(4);
    // Middles are told in px of the frame.
    expect(middles).toContain(32 + 92);
    expect(Math.min(...middles.filter((_, i) => i % 2 === 0))).toBeGreaterThan(32 + 64);
  });

  it('take along what too few sources see beside them, but not what few see elsewhere', () => {
    const few = (x: number): boolean => x >= 64;
    const g = gathered(
      (x) => (x >= 48 && x < 64 ? 0.3 : 0.8),
      (x) => (few(x) ? 0.5 : x >= 48 ? 1.5 : 4),
    );
    withdrawContradicted(g);
    expect([supportAt(g, 56, 30), supportAt(g, 100, 30), supportAt(g, 24, 30)]).toEqual([0, 0, 4]);
    const alone = gathered(
      () => 0.8,
      (x) => (few(x) ? 0.5 : 4),
    );
    expect(withdrawContradicted(alone)).toEqual([]);
    expect(supportAt(alone, 100, 30)).toBe(0.5);
  });

  it('are judged by what they show beside it where too few see a place', () => {
    const thin = (): Gathered =>
      gathered(
        () => 0.8,
        () => 0.5,
      );
    // Only the first source sees the right end of the hole; on the rim there it shows what nobody else does.
    const right = (source: number, c: number): number => (source === 0 || c < 8 ? 64 : 0);
    const post = thin();
    testify(post, right, (source, c) => (source === 0 && c >= 8 ? 0.05 : 0.8));
    withdrawContradicted(post);
    expect([supportAt(post, 100, 30), supportAt(post, 40, 30)]).toEqual([0, 0.5]);
    const wall = thin();
    testify(wall, right, () => 0.7);
    expect(withdrawContradicted(wall)).toEqual([]);
    // One of two that is believed is enough.
    const both = thin();
    testify(
      both,
      () => 64,
      (source, c) => (source === 0 && c >= 8 ? 0.05 : 0.8),
    );
    expect(withdrawContradicted(both)).toEqual([]);
  });

  it('are left alone in single cells, and where all around agrees no better', () => {
    expect(withdrawContradicted(gathered((x, y) => (x < 24 && y < 24 ? 0.5 : 0.8)))).toEqual([]);
    const water = gathered(() => 0.35);
    water.share.fill(0.35);
    expect(withdrawContradicted(water)).toEqual([]);
  });
});

it('support is withdrawn in given cells, from what has little of it, and not outside of the region', () => {
  const g = gathered(() => 0.8);
  withdraw(g.region, g.support, [32 + 44, 48 + 28, -500, 10, 32 + 1000, 48 + 28], 4.5);
  expect([supportAt(g, 41, 25), supportAt(g, 47, 31), supportAt(g, 48, 25)]).toEqual([0, 0, 4]);
  withdraw(g.region, g.support, [32 + 60, 48 + 28], 2);
  expect(supportAt(g, 58, 28)).toBe(4);
});
