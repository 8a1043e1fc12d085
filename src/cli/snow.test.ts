import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { gaussFrom } from '../core/testing/random.ts';
import { hand, stones } from './testing/stones.ts';
import { Workspace } from './testing/workspace.ts';

// Somebody walks before a wall while it snows: no frame shows just the flakes that are behind the hole.

const [W, H, FRAMES] = [320, 192, 60];
const WALKER = { width: 30, speed: 4, top: 30, bottom: 160 };
const GRAIN = 1.5;
const FLAKE = 180;
const LIGHT = 135;
/** Flakes all over the picture and above it, of many speeds (places: Roberts' R2 sequence). */
const flakes = Array.from({ length: 110 }, (_, k) => ({
  x: W * ((k * 0.7548776662) % 1),
  y: (H + 40) * ((k * 0.5698402911) % 1),
  falls: 3 + (k % 5),
  drifts: (k % 7) / 2 - 1,
}));

const work = new Workspace();
const at = (name: string): string => work.at(name);
const isWalker = (t: number, x: number, y: number): boolean => {
  const left = 20 + WALKER.speed * t;
  return y >= WALKER.top && y < WALKER.bottom && x >= left && x < left + WALKER.width;
};

/** Where the flakes are in a frame: they fall, and drift. */
const placesAt = (t: number): [number, number][] =>
  flakes.map(({ x, y, falls, drifts }) => [(Math.round(x + drifts * t) + W) % W, Math.round(y + falls * t) % (H + 40)]);

beforeAll(() => {
  const gauss = gaussFrom(37);
  const film = new Uint8Array(W * H * FRAMES);
  for (let t = 0; t < FRAMES; t++) {
    const [dx, dy] = hand(t);
    const frame = film.subarray(t * W * H, (t + 1) * W * H);
    frame.forEach((_, i) => {
      const [x, y] = [i % W, Math.floor(i / W)];
      const wall = 80 + 34 * stones(x + dx + 40, y + dy + 40);
      frame[i] = Math.round((isWalker(t, x, y) ? 30 : wall) + GRAIN * gauss());
    });
    for (const [x, y] of placesAt(t)) {
      for (let v = y - 1; v <= y + 1; v++) {
        for (let u = x - 1; u <= x + 1; u++) if (u >= 0 && v >= 0 && u < W && v < H) frame[v * W + u] = FLAKE;
      }
    }
  }
  work.write('clip.mkv', film, [W, H], 'gray');
  work.writeGrey('matte.mkv', [W, H], FRAMES, (t, x, y) => (isWalker(t, x, y) ? 255 : 0));
});
afterAll(() => work.remove());

/** Middles of the flakes that are whole within the hole: squares much lighter than the wall, the lightest first. */
function flakesIn(samples: Buffer, t: number): [number, number][] {
  const found: { x: number; y: number; light: number }[] = [];
  for (let y = 4; y < H - 4; y++) {
    for (let x = 4; x < W - 4; x++) {
      if (!isWalker(t, x - 3, y - 3) || !isWalker(t, x + 3, y + 3)) continue;
      const rows = [y - 1, y, y + 1].map((v) => samples.subarray((t * H + v) * W + x - 1, (t * H + v) * W + x + 2));
      const light = rows.reduce((sum, row) => sum + row[0] + row[1] + row[2], 0) / 9;
      if (light > LIGHT) found.push({ x, y, light });
    }
  }
  const out: [number, number][] = [];
  for (const { x, y } of found.sort((a, b) => b.light - a.light)) {
    if (out.every(([u, v]) => Math.max(Math.abs(u - x), Math.abs(v - y)) > 3)) out.push([x, y]);
  }
  return out;
}

describe('snow', () => {
  it('goes on falling where somebody was', () => {
    const files = ['--input', at('clip.mkv'), '--matte', at('matte.mkv'), '--output', at('fill.mkv')];
    work.run('fill', ...files, '--quiet');
    const samples = work.samples('fill.mkv', 'gray');
    let [there, wanted, below, above, asked] = [0, 0, 0, 0, 0];
    for (let t = 0; t < FRAMES - 1; t++) {
      const [own, next] = [flakesIn(samples, t), flakesIn(samples, t + 1)];
      there += own.length;
      wanted += placesAt(t).filter(([x, y]) => isWalker(t, x - 3, y - 3) && isWalker(t, x + 3, y + 3)).length;
      for (const [x, y] of own) {
        if (!isWalker(t + 1, x - 4, y - 12) || !isWalker(t + 1, x + 5, y + 12)) continue;
        asked++;
        // Flakes fall by three to seven px, and the hand moves what is taken by one or two.
        const from = (least: number, most: number): boolean =>
          next.some(([u, v]) => Math.abs(u - x) <= 5 && v - y >= least && v - y <= most);
        if (from(1, 9)) below++;
        if (from(-9, -1)) above++;
      }
    }
    expect(there).toBeGreaterThan(0.8 * wanted);
    expect(there).toBeLessThan(1.25 * wanted);
    expect(asked).toBeGreaterThan(80);
    expect(below / asked).toBeGreaterThan(0.8);
    expect(above / asked).toBeLessThan(0.2);
  });
});
