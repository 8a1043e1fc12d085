import { describe, expect, it } from '@jest/globals';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { fitDonor } from './fitDonor.ts';

const [W, H] = [320, 200];
const HOLE = { x: 60, y: 80, width: 60, height: 40 };
const { sin, floor, round } = Math;
const within = (x: number, y: number, r: typeof HOLE): boolean =>
  x >= r.x && y >= r.y && x < r.x + r.width && y < r.y + r.height;

/** A wall of bricks of 20 by 8 px, each of its own shade, in light that falls off to the right; soft enough to be read between px. */
function wall(x: number, y: number): number {
  const row = floor(y / 8);
  const along = x + 10 * (row % 2);
  const shade = 12 * sin(4.1 * floor(along / 20) + 7.7 * row);
  const joint = (t: number, period: number): number => 25 * sin((2 * Math.PI * t) / period) ** 8;
  return 120 + shade + joint(along, 40) + joint(y, 16) - x / 8;
}
const frames = (paint: (x: number, y: number) => number) =>
  paintedFrames(smallFormat(W, H), 1, (x, y) => round(within(x, y, HOLE) ? 20 : paint(x, y)));
/** The matte of the hole; what is held, if anything, in a second plane. */
const mattes = (held?: (x: number) => boolean) =>
  paintedFrames(
    { ...smallFormat(W, H), planes: Array(held ? 2 : 1).fill(smallFormat(W, H).planes[0]) },
    1,
    (x, y, p) => ((p === 0 ? within(x, y, HOLE) : held!(x)) ? 255 : 0),
  );

describe('a donor is moved', () => {
  it('to where joints meet joints', () => {
    const fit = fitDonor(frames(wall), mattes(), 0, { dx: 104, dy: -3 })!;
    // Bricks are 20 px long, in rows of 8 px that are shifted by half of one.
    const [x, y] = [round(fit.dx), round(fit.dy)];
    expect([(x + 10 * (y / 8)) % 20 === 0, y % 8 === 0]).toEqual([true, true]);
    expect(fit.likeness).toBeGreaterThan(0.8);
  });

  it('by a part of a px', () => {
    const rough = (x: number, y: number): number =>
      120 + 25 * sin(x / 3.1 + sin(y / 5)) + 25 * sin(y / 2.7 + sin(x / 7)) + 15 * sin((x + y) / 2.3);
    const twice = frames((x, y) => (x < 150 ? rough(x, y) : rough(x - 130.4, y - 6.7)));
    const fit = fitDonor(twice, mattes(), 0, { dx: 120, dy: 18 })!;
    expect([fit.dx - 130.4, fit.dy - 6.7].map((v) => Math.abs(v) < 0.25)).toEqual([true, true]);
  });

  it('but not to where less of the hole is shown', () => {
    // What goes on best lies half over the hole itself.
    const given = { dx: 0, dy: HOLE.height + 4 };
    const { dx, dy } = fitDonor(frames(wall), mattes(), 0, given)!;
    expect(Math.abs(dx) >= HOLE.width || dy >= HOLE.height - 0.5).toBe(true);
  });

  it('without looking at what stays in front', () => {
    // Poles that no place beside the hole is free of.
    const held = (x: number): boolean => x >= 140 && x % 24 < 4;
    const veiled = frames((x, y) => (held(x) ? 255 * ((x + y) % 2) : wall(x, y)));
    const given = { dx: 101, dy: 2 };
    const [plain, behind, veil] = [
      fitDonor(frames(wall), mattes(), 0, given)!,
      fitDonor(veiled, mattes(held), 0, given)!,
      fitDonor(veiled, mattes(), 0, given)!,
    ];
    expect([round(behind.dx), round(behind.dy)]).toEqual([round(plain.dx), round(plain.dy)]);
    expect(behind.likeness).toBeGreaterThan(0.9);
    expect(veil.likeness).toBeLessThan(behind.likeness - 0.2);
  });
});

describe('there is nothing to go by', () => {
  it('on an even wall, beyond the picture, where the hole fills it, and where there is none', () => {
    const even = frames(() => 90);
    expect(fitDonor(even, mattes(), 0, { dx: 100, dy: 0 })).toBeUndefined();
    expect(fitDonor(frames(wall), mattes(), 0, { dx: 400, dy: 0 })).toBeUndefined();
    const full = paintedFrames(smallFormat(W, H), 1, () => 255);
    expect(fitDonor(frames(wall), full, 0, { dx: 10, dy: 0 })).toBeUndefined();
    const none = paintedFrames(smallFormat(W, H), 1, () => 0);
    expect(fitDonor(frames(wall), none, 0, { dx: 10, dy: 0 })).toBeUndefined();
  });
});
