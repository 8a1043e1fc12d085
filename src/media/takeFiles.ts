import { existsSync, readFileSync } from 'node:fs';
import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { deserialize } from 'node:v8';
import type { Patch } from '../core/fill/finish.ts';

/** Frames per chunk: the unit that is resumed, handed to threads and looked at for a cancel. */
export const CHUNK = 8;

/** Finished patches of a folder, read chunk by chunk; of a take at work, those that are there. */
export class PatchFiles {
  private held: { index: number; patches: Map<number, Patch> } | undefined;

  constructor(private readonly folder: string) {}

  /** The patch of a frame; undefined if it has no hole or is not finished. */
  get(frame: number): Patch | undefined {
    const index = Math.floor(frame / CHUNK);
    if (this.held?.index !== index) {
      const path = join(this.folder, `finish-${index}.bin`);
      const patches = existsSync(path) ? (deserialize(readFileSync(path)) as Patch[]) : [];
      this.held = { index, patches: new Map(patches.map((p) => [p.frame, p])) };
    }
    return this.held.patches.get(frame);
  }
}

/** Stretches of frames, inclusive, whose chunks are finished, among `count` frames. */
export function finishedStretches(folder: string, count: number): [number, number][] {
  const out: [number, number][] = [];
  for (let first = 0; first < count; first += CHUNK) {
    if (!existsSync(join(folder, `finish-${first / CHUNK}.bin`))) continue;
    const last = Math.min(first + CHUNK, count) - 1;
    const before = out.at(-1);
    if (before?.[1] === first - 1) before[1] = last;
    else out.push([first, last]);
  }
  return out;
}

/** Removes what only the computing needed; the patches stay, and what is named. */
export async function tidyTake(folder: string, keep: readonly string[]): Promise<void> {
  for (const name of await readdir(folder)) {
    if (!/^finish-\d+\.bin$/.test(name) && !keep.includes(name)) await rm(join(folder, name), { force: true });
  }
}
