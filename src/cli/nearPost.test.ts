import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { Workspace } from './testing/workspace.ts';

// A camera travels past a wall with a sign on it. A post that stands nearer hides the sign for a while: what is free of the
// matte then is the post, and the wall behind the sign is seen in no frame.

const [W, H, FRAMES] = [352, 192, 48];
/** Px by which wall and post move per frame. */
const [WALL, POST] = [2, 4];

const work = new Workspace();
const at = (name: string): string => work.at(name);

beforeAll(() => {
  const [wall, post] = [surface(3, 110), surface(5, 30)];
  write('wall.mkv', (t, x, y) => (isPost(t, x) ? post(x + POST * t, y) : wall(x + WALL * t, y)));
  write('sign.mkv', (t, x, y) => (isSign(t, x, y) && !isPost(t, x) ? 255 : 0));
  write('open.mkv', (t, x, y) => wall(x + WALL * t, y));
  // Something rests there for the first frames, before the post comes, and is marked.
  write('passer.mkv', (t, x, y) => (isSign(t, x, y) && t < 6 ? 255 : 0));
});
afterAll(() => work.remove());

const isPost = (t: number, x: number): boolean => Math.floor((x - 300 + POST * t) / 40) === 0;
const isSign = (t: number, x: number, y: number): boolean => {
  const left = 230 - WALL * t;
  return x >= left && x < left + 48 && y >= 70 && y < 118;
};

/** A surface as wide as the camera's way along it. */
function surface(size: number, base: number): (x: number, y: number) => number {
  const width = W + POST * FRAMES;
  const samples = Uint8Array.from({ length: width * H }, (_, i) =>
    Math.round(grain(i % width, Math.floor(i / width), size, base)),
  );
  return (x, y) => samples[y * width + x];
}

/** A surface with detail: values of squares of `size` px, smoothly joined. */
function grain(x: number, y: number, size: number, base: number): number {
  const value = (i: number, j: number): number => {
    const h = Math.imul(i * 73856093 + j * 19349663 + base, 2654435761) >>> 0;
    return h / 2 ** 32;
  };
  const [u, v] = [x / size, y / size];
  const [i, j] = [Math.floor(u), Math.floor(v)];
  const [a, b] = [u - i, v - j];
  const top = value(i, j) * (1 - a) + value(i + 1, j) * a;
  const bottom = value(i, j + 1) * (1 - a) + value(i + 1, j + 1) * a;
  return base + 70 * (top * (1 - b) + bottom * b);
}

const write = (name: string, sample: (t: number, x: number, y: number) => number): void =>
  work.writeGrey(name, [W, H], FRAMES, sample);

interface Total {
  hole: number;
  seen: number;
  thin: number;
  unseen: number;
}

function reveal(clip: string, matte: string, ...more: string[]): Total {
  work.run('reveal', '--input', at(clip), '--matte', at(matte), '--json', at('r.json'), '--quiet', ...more);
  return (JSON.parse(readFileSync(at('r.json'), 'utf8')) as { total: Total }).total;
}

describe('a reveal', () => {
  it('does not promise a near post for the wall behind a sign', () => {
    const { hole, seen, unseen, thin } = reveal('wall.mkv', 'sign.mkv');
    expect(seen + thin + unseen).toBe(hole);
    expect(unseen / hole).toBeGreaterThan(0.85);
  });

  it('still promises the wall where nothing stands before it', () => {
    const { hole, seen } = reveal('open.mkv', 'passer.mkv');
    expect(seen / hole).toBeGreaterThan(0.99);
  });

  it('still promises the wall that a post hides later on', () => {
    const { hole, seen, thin } = reveal('wall.mkv', 'passer.mkv');
    expect((seen + thin) / hole).toBeGreaterThan(0.9);
  });
});

describe('a reveal from a removal’s own sources', () => {
  const MIDDLE = 24;
  beforeAll(() => {
    const pick = ['-vf', `select=eq(n\\,${MIDDLE}),format=rgb24`, '-frames:v', '1'];
    work.ffmpeg('-i', at('wall.mkv'), ...pick, at('plate.png'));
    work.ffmpeg('-i', at('wall.mkv'), '-pix_fmt', 'yuv420p', '-c:v', 'ffv1', at('colour.mkv'));
  });

  it('counts as seen what a plate shows of it, wherever that lies in other frames', () => {
    const { hole, seen, unseen } = reveal('colour.mkv', 'sign.mkv', '--plate', `${at('plate.png')},${MIDDLE}`);
    expect(seen / hole).toBeGreaterThan(0.99);
    expect(unseen / hole).toBeLessThan(0.01);
  });

  it('counts as seen what a donor shows, as far as that is in view', () => {
    expect(reveal('wall.mkv', 'sign.mkv', '--donor', `${MIDDLE},60,0`).unseen).toBe(0);
    // 600 px away there is nothing; half of it is cut off where the donor lies half out of view, above.
    const far = reveal('wall.mkv', 'sign.mkv', '--donor', `${MIDDLE},600,0`);
    expect(far.unseen / far.hole).toBeGreaterThan(0.85);
    const half = reveal('wall.mkv', 'sign.mkv', '--sources', 'donor', '--donor', `${MIDDLE},60,-94`);
    expect(half.seen / half.hole).toBeGreaterThan(0.4);
    expect(half.seen / half.hole).toBeLessThan(0.6);
  });

  it('without other frames sees nothing in them', () => {
    const { hole, seen, thin, unseen } = reveal('open.mkv', 'passer.mkv', '--sources', 'texture');
    expect([seen, thin, unseen]).toEqual([0, 0, hole]);
  });
});
