import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Truth, Shot } from '../demo/shot.ts';
import { Footage } from './footage.ts';
import { MNESTRA, measureProcess } from './measureProcess.ts';
import { dilateMask } from './picture.ts';

/** Where bodies that move come close: the share of what is found of them that is in the mover which each of them is otherwise. */
export interface ToldApart {
  /** In which two come close. */
  frames: number;
  mean: number;
  worst: number;
}

/** Grid on which truth is asked, px; and how near two come close, in steps of it. */
const STEP = 6;
const NEAR = 2;

/** Asks for each mover of a list by itself, and judges whose px it has. @param listed - Movers in the list. */
export async function judgeApart(
  shot: Shot,
  truth: Truth,
  clip: string,
  listed: number,
  scratch: string,
): Promise<ToldApart> {
  const masks: Footage[] = [];
  const output = join(scratch, 'mover.mkv');
  for (let k = 1; k <= listed; k++) {
    await measureProcess('node', [
      MNESTRA,
      ...['movers', '--quiet', '--only', String(k), '--input', clip, '--output', output],
    ]);
    masks.push(await Footage.open(output, scratch, `mover-${k}`, true));
  }
  const frames = Array.from({ length: shot.frames }, (_, t) => countIn(shot, truth, t, masks));
  for (const m of masks) await m.close();
  await rm(output, { force: true });
  return shares(frames);
}

interface Counted {
  /** Px of each body by mover. */
  bodies: Map<string, number[]>;
  close: boolean;
}

function countIn(shot: Shot, truth: Truth, t: number, masks: Footage[]): Counted {
  const { width: w, height: h } = shot.lens;
  const [cols, rows] = [Math.floor(w / STEP), Math.floor(h / STEP)];
  const moving = truth.moving(t);
  const found = masks.map((m) => m.bytes(t));
  const bodies = new Map<string, number[]>();
  const seen: Uint8Array[] = [];
  for (const [name, covers] of truth.bodies(t)) {
    const mask = new Uint8Array(cols * rows);
    const counts = masks.map(() => 0);
    for (let i = 0; i < mask.length; i++) {
      const [x, y] = [(i % cols) * STEP + (STEP >> 1), Math.floor(i / cols) * STEP + (STEP >> 1)];
      if (!covers(x, y) || !moving.some((m) => m.covers(x, y))) continue;
      mask[i] = 1;
      found.forEach((m, k) => (counts[k] += m[y * w + x] > 0 ? 1 : 0));
    }
    bodies.set(name, counts);
    seen.push(mask);
  }
  const wide = seen.map((mask) => dilateMask(mask, cols, rows, NEAR));
  const close = wide.some((a, k) => seen.some((b, n) => n !== k && b.some((v, i) => v & a[i])));
  return { bodies, close };
}

function shares(frames: Counted[]): ToldApart {
  const home = new Map<string, number>();
  for (const name of frames[0].bodies.keys()) {
    const totals = frames.reduce<number[]>((sum, { bodies }) => {
      bodies.get(name)!.forEach((n, k) => (sum[k] = (sum[k] ?? 0) + n));
      return sum;
    }, []);
    home.set(name, totals.indexOf(Math.max(...totals)));
  }
  const right = frames
    .filter((f) => f.close)
    .map(({ bodies }) => {
      let [own, all] = [0, 0];
      for (const [name, counts] of bodies) {
        own += counts[home.get(name)!] ?? 0;
        all += counts.reduce((a, b) => a + b, 0);
      }
      return own / Math.max(1, all);
    });
  return {
    frames: right.length,
    mean: right.reduce((a, b) => a + b, 0) / right.length,
    worst: Math.min(...right),
  };
}
