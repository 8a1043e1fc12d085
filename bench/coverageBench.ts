import { readFileSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { shotFiles } from '../demo/render.ts';
import type { Shot } from '../demo/shot.ts';
import { encodeFrames } from '../src/media/encode.ts';
import { storedFormat } from '../src/media/pixelFormat.ts';
import { probeClip } from '../src/media/probe.ts';
import { Footage } from './footage.ts';
import { MNESTRA, measureProcess } from './measureProcess.ts';

/** Frames that the coverage watch flags. */
export interface CoverageScore {
  /** Of the complete ones of the true matte. */
  complete: { flagged: number; of: number };
  /** Of those in which a part of it is left out. */
  lacking: { flagged: number; of: number };
}

/** Share of the matte that is left out, on every n-th frame. */
const LEFT_OUT = 0.03;
const EVERY = 4;
/** A matte smaller than this says nothing: the thing only just enters, px. */
const LEAST_PX = 4000;

/** Runs `mnestra coverage` with the true matte, and with one that lacks a part on some frames. */
export async function benchCoverage(shot: Shot, folder: string, scratch: string): Promise<CoverageScore> {
  const files = shotFiles(folder, shot);
  const matte = await Footage.open(files.matte, scratch, 'coverage', true);
  const lacking = new Set<number>();
  const path = join(scratch, 'lacking.mkv');
  const clip = await probeClip(files.matte);
  await encodeFrames({ output: path, clip, stored: storedFormat('gray', clip.width, clip.height) }, (t) => {
    const bytes = matte.bytes(t);
    if (t % EVERY === 0 && leaveOut(bytes, clip.width, t / EVERY)) lacking.add(t);
    return bytes;
  });
  const [whole, cut] = [await flaggedOf(files.clip, files.matte, scratch), await flaggedOf(files.clip, path, scratch)];
  const large = Array.from({ length: shot.frames }, (_, t) => t).filter((t) => areaOf(matte.bytes(t)) >= LEAST_PX);
  await matte.close();
  await rm(path);
  return {
    complete: { flagged: large.filter((t) => whole.has(t)).length, of: large.length },
    lacking: { flagged: [...lacking].filter((t) => cut.has(t)).length, of: lacking.size },
  };
}

async function flaggedOf(clip: string, matte: string, scratch: string): Promise<Set<number>> {
  const json = join(scratch, 'coverage.json');
  await measureProcess('node', [
    MNESTRA,
    ...['coverage', '--quiet', '--input', clip, '--matte', matte, '--json', json],
  ]);
  const { flagged } = JSON.parse(readFileSync(json, 'utf8')) as { flagged: { frame: number }[] };
  return new Set(flagged.map((f) => f.frame));
}

const areaOf = (matte: Uint8Array): number => matte.reduce((n, v) => n + (v >= 128 ? 1 : 0), 0);

/** Leaves out what lies around the uppermost, lowest, leftmost or rightmost px: a head, a heel, the end of a shadow. */
function leaveOut(matte: Uint8Array, width: number, turn: number): boolean {
  const own: number[] = [];
  matte.forEach((v, i) => v >= 128 && own.push(i));
  if (own.length < LEAST_PX) return false;
  const along = [(i: number) => i, (i: number) => -i, (i: number) => i % width, (i: number) => -(i % width)][turn % 4];
  const tip = own.reduce((a, b) => (along(b) < along(a) ? b : a));
  const away = (i: number): number =>
    ((i % width) - (tip % width)) ** 2 + (Math.floor(i / width) - Math.floor(tip / width)) ** 2;
  own.sort((a, b) => away(a) - away(b));
  const edge = away(own[Math.floor(LEFT_OUT * own.length)]);
  for (let i = 0; i < matte.length; i++) if (matte[i] > 0 && away(i) <= edge) matte[i] = 0;
  return true;
}
