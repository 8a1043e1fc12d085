import { createReadStream, createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Renderer } from '../demo/renderer.ts';
import { shotFiles } from '../demo/render.ts';
import { Truth, type Shot } from '../demo/shot.ts';
import { frameBytes } from '../src/core/image/format.ts';
import { findMovers } from '../src/media/moversWork.ts';
import { probeClip } from '../src/media/probe.ts';
import { decodeSmall } from '../src/media/smallFrames.ts';

/** What a search of a part of a shot lists, beside how many bodies move there. */
export interface RangeScore {
  first: number;
  last: number;
  listed: number;
  bodies: number;
}

/** Parts of a shot, as shares of its frames: people choose any of them. */
const RANGES = [
  [0, 1],
  [0, 0.6],
  [0, 0.95],
  [0.05, 0.9],
  [0.1, 0.9],
  [0.2, 0.9],
  [0.3, 0.8],
  [0.4, 1],
  [0.5, 1],
];
/** Grid on which truth is asked, px; and every how many frames. */
const STEP = 6;
const EVERY = 4;
/** A body counts that is larger than this share of the frame on so many of these. */
const LEAST_AREA = 0.001;
const LEAST_LOOKS = 4;

/** Searches parts of a rendered shot. */
export async function benchRanges(shot: Shot, folder: string, scratch: string): Promise<RangeScore[]> {
  const { clip } = shotFiles(folder, shot);
  const small = await decodeSmall(clip, await probeClip(clip), join(scratch, 'small.raw'));
  const bytes = frameBytes(small.format);
  const renderer = await Renderer.create(shot.lens);
  const truth = new Truth(renderer, shot, shot.build(renderer));
  const seen = bodiesByFrame(shot, truth);
  const out: RangeScore[] = [];
  for (const [from, to] of RANGES) {
    const [first, end] = [Math.round(from * small.count), Math.round(to * small.count)];
    const path = join(scratch, 'part.raw');
    const part = createReadStream(small.path, { start: first * bytes, end: end * bytes - 1 });
    await pipeline(part, createWriteStream(path));
    const { movers } = await findMovers({ frames: { path, format: small.format }, count: end - first });
    await rm(path);
    out.push({ first, last: end - 1, listed: movers.length, bodies: countBodies(seen, first, end) });
  }
  await rm(small.path);
  return out;
}

/** Bodies that move and are large enough, by frame. */
function bodiesByFrame(shot: Shot, truth: Truth): Map<number, string[]> {
  const { width, height } = shot.lens;
  const least = (LEAST_AREA * width * height) / STEP ** 2;
  const out = new Map<number, string[]>();
  for (let t = 0; t < shot.frames; t += EVERY) {
    const moving = truth.moving(t);
    const large = [...truth.bodies(t)].filter(([, covers]) => {
      let px = 0;
      for (let y = STEP >> 1; y < height; y += STEP) {
        for (let x = STEP >> 1; x < width; x += STEP) if (covers(x, y) && moving.some((m) => m.covers(x, y))) px++;
      }
      return px > least;
    });
    out.set(
      t,
      large.map(([name]) => name),
    );
  }
  return out;
}

function countBodies(seen: Map<number, string[]>, first: number, end: number): number {
  const looks = new Map<string, number>();
  for (const [t, names] of seen) {
    if (t < first || t >= end) continue;
    for (const name of names) looks.set(name, (looks.get(name) ?? 0) + 1);
  }
  return [...looks.values()].filter((n) => n >= LEAST_LOOKS).length;
}
