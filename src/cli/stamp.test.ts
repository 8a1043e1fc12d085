import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { detail } from './testing/detail.ts';
import { Workspace } from './testing/workspace.ts';

// A camera pans along a wall, in a film with a line of text that was laid over it. Somebody passes behind the text, and is marked with it.

const [W, H, FRAMES, PAN] = [320, 200, 30, 3];
const [TEXT, PERSON] = [235, 30];

const work = new Workspace();
const at = (name: string): string => work.at(name);

beforeAll(() => {
  work.writeGrey('film.mkv', [W, H], FRAMES, (t, x, y) =>
    isText(x, y) ? TEXT : isMarked(t, x, y) ? PERSON : wall(x + PAN * t, y),
  );
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isMarked(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Letters of upright strokes, with bars between some of them. */
const isText = (x: number, y: number): boolean => {
  if (x < 80 || x >= 240 || y < 146 || y >= 172) return false;
  return x % 20 < 10 || (y >= 155 && y < 164 && x % 40 < 20);
};
const isMarked = (t: number, x: number, y: number): boolean => Math.abs(x - 70 - 6 * t) < 14 && y > 100 && y < 185;

const wall = (x: number, y: number): number => 130 + 45 * detail(x, y, 5, 1);

/** Mean difference from the wall where somebody was marked, and from the text where they were marked with it. */
function errors(name: string): { wall: number; text: number } {
  const film = work.samples(name, 'gray');
  const off = { wall: 0, text: 0 };
  const n = { wall: 0, text: 0 };
  for (let t = 0, i = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++, i++) {
        if (!isMarked(t, x, y)) continue;
        const of = isText(x, y) ? 'text' : 'wall';
        n[of]++;
        off[of] += Math.abs(film[i] - (isText(x, y) ? TEXT : wall(x + PAN * t, y)));
      }
    }
  }
  return { wall: off.wall / n.wall, text: off.text / n.text };
}

const fill = (...more: string[]): void => {
  const marked = ['--input', at('film.mkv'), '--matte', at('matte.mkv')];
  work.run('fill', ...marked, '--output', at('out.mkv'), ...more, '--quiet');
};

describe('a film with text laid over it', () => {
  it('is filled from the picture alone, and the text stays', () => {
    fill('--report', at('report.json'));
    const { wall: off, text } = errors('out.mkv');
    expect(off).toBeLessThan(6);
    expect(text).toBe(0);
    const report = JSON.parse(readFileSync(at('report.json'), 'utf8')) as {
      fixed: { share: number };
      notices: string[];
    };
    expect(report.fixed.share).toBeGreaterThan(0.02);
    expect(report.fixed.share).toBeLessThan(0.08);
    expect(report.notices.join()).toContain('fixed to the picture');
  });

  it('is so in a draft, too', () => {
    fill('--draft');
    const { wall: off, text } = errors('out.mkv');
    expect(off).toBeLessThan(12);
    expect(text).toBeLessThan(2);
  });

  it('has the text counted neither as a hole nor as what moves', () => {
    work.run('reveal', '--input', at('film.mkv'), '--matte', at('matte.mkv'), '--json', at('r.json'), '--quiet');
    const reveal = JSON.parse(readFileSync(at('r.json'), 'utf8')) as { fixed?: object; frames: { hole: number }[] };
    expect(reveal.fixed).toBeDefined();
    expect(reveal.frames[15].hole).toBeLessThan(27 * 84 - 300);
    work.run('movers', '--input', at('film.mkv'), '--output', at('m.mkv'), '--json', at('m.json'), '--quiet');
    const { movers } = JSON.parse(readFileSync(at('m.json'), 'utf8')) as { movers: unknown[] };
    expect(movers).toHaveLength(1);
  });
});
