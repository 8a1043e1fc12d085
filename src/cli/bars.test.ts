import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { detail } from './testing/detail.ts';
import { Workspace } from './testing/workspace.ts';

// A camera tilts along a wall, in a film with black bars above and below. Somebody stands on the lower bar, and is marked as far
// as into it.

const [W, H, FRAMES, BAR] = [320, 200, 24, 28];

const work = new Workspace();
const at = (name: string): string => work.at(name);

beforeAll(() => {
  work.writeGrey('film.mkv', [W, H], FRAMES, (t, x, y) =>
    isBar(y) ? 16 : isMarked(t, x, y) ? 30 : wall(x + t, y + t),
  );
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isMarked(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

const isBar = (y: number): boolean => y < BAR || y >= H - BAR;
const isMarked = (t: number, x: number, y: number): boolean =>
  Math.abs(x - 90 - 4 * t) < 14 && y > 80 && y < H - BAR + 8;

const wall = (x: number, y: number): number => 145 + 45 * detail(x, y, 5, 1);

/** Mean difference from the wall where somebody was marked, and the largest within the bars. */
function errors(name: string): { wall: number; bars: number } {
  const film = work.samples(name, 'gray');
  let [sum, n, bars] = [0, 0, 0];
  for (let t = 0, i = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++, i++) {
        if (isBar(y)) bars = Math.max(bars, Math.abs(film[i] - 16));
        else if (isMarked(t, x, y)) [sum, n] = [sum + Math.abs(film[i] - wall(x + t, y + t)), n + 1];
      }
    }
  }
  return { wall: sum / n, bars };
}

const fill = (...more: string[]): void =>
  work.run(
    'fill',
    '--input',
    at('film.mkv'),
    '--matte',
    at('matte.mkv'),
    '--output',
    at('out.mkv'),
    ...more,
    '--quiet',
  );

describe('a film with bars', () => {
  it('is filled from the picture alone, and its bars stay', () => {
    fill('--report', at('report.json'));
    const { wall: off, bars } = errors('out.mkv');
    expect(off).toBeLessThan(3);
    expect(bars).toBe(0);
    const report = JSON.parse(readFileSync(at('report.json'), 'utf8')) as { bars: object; notices: string[] };
    expect(report.bars).toEqual({ left: 0, top: BAR, right: 0, bottom: BAR });
    expect(report.notices.join()).toContain(`top ${BAR} px, bottom ${BAR} px`);
  });

  it('is so in a draft, too', () => {
    fill('--draft');
    const { wall: off, bars } = errors('out.mkv');
    expect(off).toBeLessThan(9);
    expect(bars).toBeLessThan(2);
  });

  it('has its bars counted neither as a hole nor as what moves', () => {
    work.run('reveal', '--input', at('film.mkv'), '--matte', at('matte.mkv'), '--json', at('r.json'), '--quiet');
    const { frames } = JSON.parse(readFileSync(at('r.json'), 'utf8')) as { frames: { hole: number }[] };
    const rows = H - BAR - 81;
    expect(Math.abs(frames[12].hole - 27 * rows)).toBeLessThan(0.05 * 27 * rows);
    work.run('movers', '--input', at('film.mkv'), '--output', at('m.mkv'), '--json', at('m.json'), '--quiet');
    const { movers } = JSON.parse(readFileSync(at('m.json'), 'utf8')) as { movers: unknown[] };
    expect(movers).toHaveLength(1);
  });
});
