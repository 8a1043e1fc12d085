import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { Workspace } from './testing/workspace.ts';

// A red block with a soft edge goes over a green ground; its outline is hard, or as soft as the picture shows it.

const [W, H, FRAMES] = [320, 180, 12];
/** Width of the fade at the block's edge, px, and the block in frame t: left, right, top, bottom where it is half there. */
const FADE = 8;
const blockAt = (t: number): [number, number, number, number] => [80 + 6 * t, 140 + 6 * t, 60, 130];

const work = new Workspace();
const at = (name: string): string => work.at(name);

/** Share of the block at a px, 0..1. */
function share(t: number, x: number, y: number): number {
  const [left, right, top, bottom] = blockAt(t);
  const inside = Math.min(x - left, right - x, y - top, bottom - y);
  return Math.max(0, Math.min(1, inside / FADE + 0.5));
}

beforeAll(() => {
  let state = 1;
  const random = (): number => (state = (state * 48271) % 2147483647) / 2147483647 - 0.5;
  const film = Buffer.alloc(W * H * 3 * FRAMES);
  for (let t = 0, i = 0; t < FRAMES; t++) {
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        const a = share(t, x, y);
        const texture = 30 * Math.sin(x / 3 + y / 5) + 16 * random();
        for (const [thing, ground] of [
          [176, 74],
          [48, 112],
          [40, 64],
        ]) {
          film[i++] = Math.round(a * thing + (1 - a) * (ground + texture) + 6 * random());
        }
      }
    }
  }
  work.write('block.mkv', film, [W, H], 'rgb24', '-vf', 'scale=out_color_matrix=bt709,format=yuv444p');
});
afterAll(() => work.remove());

function outline(output: string, ...more: string[]): { status: number | null; stderr: string } {
  const args = ['outline', '--quiet', '--input', at('block.mkv'), '--frame', '2', '--box', '82,50,80,90'];
  const { status, stderr } = work.mnestra(...args, '--output', at(output), ...more);
  return { status, stderr: String(stderr) };
}

const matteOf = (name: string): Buffer => work.samples(name, 'gray');

/** Mean difference to the block's true share along its border, in px of width, on a frame. */
function error(matte: Buffer, t: number): number {
  const [left, right, top, bottom] = blockAt(t);
  let sum = 0;
  for (let y = 0; y < H; y++) {
    for (let x = 0; x < W; x++) sum += Math.abs(matte[(t * H + y) * W + x] / 255 - share(t, x, y));
  }
  return sum / (2 * (right - left + bottom - top));
}

describe('mnestra outline --soft', () => {
  it('has the edge that the picture shows, on every frame on which the thing is followed', () => {
    expect(outline('hard.mkv')).toEqual({ status: 0, stderr: '' });
    expect(outline('soft.mkv', '--soft', '12')).toEqual({ status: 0, stderr: '' });
    const [hard, soft] = [matteOf('hard.mkv'), matteOf('soft.mkv')];
    expect(hard.every((v) => v === 0 || v === 255)).toBe(true);
    for (const t of [0, 2, 7, 11]) expect(error(soft, t)).toBeLessThan(0.8 * error(hard, t));
  });

  it('says which widths there are', () => {
    const { status, stderr } = outline('none.mkv', '--soft', '500');
    expect([status, stderr]).toEqual([2, expect.stringContaining('--soft')]);
  });
});
