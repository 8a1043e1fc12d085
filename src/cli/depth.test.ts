import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { Workspace } from './testing/workspace.ts';

// A camera goes past a hill, a wall before it and a hedge before that. Somebody who goes along with it hides a part of all three.

const [W, H, FRAMES] = [352, 192, 48];
/** Upper edge, and px per frame by which it goes by. */
const BANDS = [
  { top: 0, speed: 1 },
  { top: 64, speed: 2.5 },
  { top: 128, speed: 4.5 },
];
const THING = { width: 26, top: 30, bottom: 180 };

const work = new Workspace();
const at = (name: string): string => work.at(name);

const isThing = (t: number, x: number, y: number): boolean => {
  const left = 130 + 1.7 * t;
  return x >= left && x < left + THING.width && y >= THING.top && y < THING.bottom;
};

/** What lies behind: values of cells, smoothly joined. */
function world(t: number, x: number, y: number): number {
  const band = BANDS.findLastIndex(({ top }) => y >= top);
  const value = (i: number, j: number): number => {
    let h = Math.imul(i * 73856093 + j * 19349663 + band * 83492791, 2654435761);
    h = Math.imul(h ^ (h >>> 15), 2246822519);
    return (h >>> 0) / 2 ** 32;
  };
  const [u, v] = [(x + BANDS[band].speed * t) / 5, y / 5];
  const [i, j] = [Math.floor(u), Math.floor(v)];
  const fade = (f: number): number => f * f * (3 - 2 * f);
  const [a, b] = [fade(u - i), fade(v - j)];
  const top = value(i, j) * (1 - a) + value(i + 1, j) * a;
  const bottom = value(i, j + 1) * (1 - a) + value(i + 1, j + 1) * a;
  return 50 + 45 * band + 90 * (top * (1 - b) + bottom * b);
}

beforeAll(() => {
  work.writeGrey('clip.mkv', [W, H], FRAMES, (t, x, y) => Math.round(isThing(t, x, y) ? 20 : world(t, x, y)));
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isThing(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Error in the hole per band, levels (rms); what lies next to another band is left out. */
function errorsOf(name: string): number[] {
  const samples = work.samples(name, 'gray');
  return BANDS.map(({ top }) => {
    let [n, squares] = [0, 0];
    for (let t = 4; t < FRAMES - 4; t++) {
      for (let y = Math.max(THING.top, top + 8); y < Math.min(THING.bottom, top + 56); y++) {
        for (let x = 0; x < W; x++) {
          if (!isThing(t, x, y)) continue;
          n++;
          squares += (samples[t * W * H + y * W + x] - world(t, x, y)) ** 2;
        }
      }
    }
    return Math.sqrt(squares / n);
  });
}

describe('behind what goes away, a world of several depths', () => {
  it.each([
    ['a full take', [], 6],
    ['a draft', ['--draft'], 9],
  ])(
    'is put where each of them lies by %s',
    (_, kind, most) => {
      const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
      work.run('fill', ...files, '--quiet', '--no-grain', ...kind);
      const errors = errorsOf('fill.mkv');
      expect(Math.max(...errors)).toBeLessThan(most);
    },
    60_000,
  );
});
