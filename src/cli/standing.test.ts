import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

// Somebody who stands for long before a camera that rests, and whom others pass: the background is seen at the end alone.

const MNESTRA = new URL('../../bin/mnestra.js', import.meta.url).pathname;
const [W, H, FRAMES] = [192, 128, 240];
/** The first frame in which nobody stands there. */
const GONE = 220;
const STANDS = { x: 80, y: 40, width: 24, height: 56 };
let dir: string;
const at = (name: string): string => join(dir, name);

const { sin, round } = Math;
const ground = (x: number, y: number): number =>
  round(120 + 35 * sin(x / 3.1) * sin(y / 4.3) + 25 * sin((x + 2 * y) / 7) + 15 * sin(x * y));
const stands = (t: number, x: number, y: number): boolean =>
  t < GONE && x >= STANDS.x && x < STANDS.x + STANDS.width && y >= STANDS.y && y < STANDS.y + STANDS.height;
/** Passes through the place, unmarked, once it is free: a px per frame. */
const passes = (t: number, x: number, y: number): boolean =>
  t >= GONE && x - 60 - (t - GONE) < 6 && x - 60 >= t - GONE && y >= 60 && y < 96;

function encode(name: string, value: (t: number, x: number, y: number) => number): void {
  const raw = Buffer.alloc(W * H * FRAMES);
  for (let t = 0, i = 0; t < FRAMES; t++)
    for (let y = 0; y < H; y++) for (let x = 0; x < W; x++) raw[i++] = value(t, x, y);
  const input = ['-f', 'rawvideo', '-pix_fmt', 'gray', '-s', `${W}x${H}`, '-r', '25', '-i', '-'];
  const { status, stderr } = spawnSync('ffmpeg', ['-loglevel', 'error', '-y', ...input, '-c:v', 'ffv1', at(name)], {
    input: raw,
  });
  if (status !== 0) throw new Error(String(stderr));
}

function decode(name: string): Buffer {
  const args = ['-loglevel', 'error', '-i', at(name), '-pix_fmt', 'gray', '-f', 'rawvideo', '-'];
  return spawnSync('ffmpeg', args, { maxBuffer: 1 << 28 }).stdout;
}

/** Fills, and tells by how much the hole of a frame differs from the ground, levels. */
function differenceAt(frame: number, ...more: string[]): number {
  const files = [
    '--input',
    at('clip.mkv'),
    '--matte',
    at('matte.mkv'),
    '--output',
    at('fill.mkv'),
    '--report',
    at('r.json'),
  ];
  const { status, stderr } = spawnSync('node', [MNESTRA, 'fill', ...files, '--quiet', '--no-grain', ...more], {
    env: { ...process.env, MNESTRA_SCRATCH: dir },
  });
  if (status !== 0) throw new Error(String(stderr));
  const { motion } = JSON.parse(readFileSync(at('r.json'), 'utf8')) as { motion: { tripod: boolean } };
  expect(motion.tripod).toBe(true);
  const filled = decode('fill.mkv');
  let sum = 0;
  for (let y = STANDS.y; y < STANDS.y + STANDS.height; y++) {
    for (let x = STANDS.x; x < STANDS.x + STANDS.width; x++) {
      sum += Math.abs(filled[frame * W * H + y * W + x] - ground(x, y));
    }
  }
  return sum / (STANDS.width * STANDS.height);
}

beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'mnestra-standing-'));
  encode('clip.mkv', (t, x, y) => (stands(t, x, y) ? 30 + ((x + y) % 7) : passes(t, x, y) ? 220 : ground(x, y)));
  encode('matte.mkv', (t, x, y) => (stands(t, x, y) ? 255 : 0));
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('somebody who stands until shortly before the end', () => {
  it('is replaced by what the end shows, from the first frame on', () => {
    expect(differenceAt(10)).toBeLessThan(3);
  }, 60_000);

  it('is replaced by something like the surroundings where the fill may not look so far', () => {
    const invented = differenceAt(10, '--reach', '60');
    expect(invented).toBeGreaterThan(8);
    expect(invented).toBeLessThan(60);
  }, 60_000);
});
