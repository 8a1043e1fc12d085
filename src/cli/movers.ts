import { mkdir, writeFile } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import { AppError } from '../core/errors.ts';
import { enlarge } from '../core/movers/enlarge.ts';
import type { Mover } from '../core/movers/movers.ts';
import { moversJson } from '../core/movers/moverTable.ts';
import { encodeFrames } from '../media/encode.ts';
import { findMovers } from '../media/moversWork.ts';
import { storedFormat } from '../media/pixelFormat.ts';
import { probeClip } from '../media/probe.ts';
import { decodeSmall } from '../media/smallFrames.ts';
import { inScratch } from './scratch.ts';
import type { Terminal } from './terminal.ts';

export interface MoversCommand {
  input: string;
  output: string;
  json?: string;
  /** Numbers in the list, from 1 and on through what stands, of those that the matte holds; without it all that moves. */
  only?: number[];
  /** Leave the shadows of movers alone. */
  withoutShadows: boolean;
  threads?: number;
}

/** `mnestra movers`. */
export async function moversCommand(request: MoversCommand, terminal: Terminal, signal: AbortSignal): Promise<void> {
  const { input, output, json, only, withoutShadows, threads } = request;
  const clip = await probeClip(input);
  await mkdir(dirname(resolve(output)), { recursive: true });
  await inScratch(clip.frames * 480 * 480 * 3, 'The search', async (folder) => {
    terminal.stage('decode');
    const small = await decodeSmall(input, clip, join(folder, 'small.raw'), signal);
    const onProgress = (stage: string, done: number): void => terminal.progress(stage, done);
    const wanted = { frames: small, count: small.count, shades: withoutShadows, threads, signal, onProgress };
    const found = await findMovers(wanted);
    const [{ length }, all] = [found.movers, [...found.movers, ...found.standing]];
    const listed = all.map((m, i): Mover => ({ ...m, masks: found.bodies?.[i] ?? m.masks }));
    const [movers, standing] = [listed.slice(0, length), listed.slice(length)];
    terminal.stage('write');
    const stored = storedFormat('gray', clip.width, clip.height);
    const missing = only?.find((n) => n > listed.length);
    if (missing !== undefined) {
      throw new AppError('no_mover', `There is no mover ${missing}: ${listed.length} were found.`);
    }
    const chosen = only ? listed.filter((_, i) => only.includes(i + 1)) : movers;
    await encodeFrames({ output, clip, stored, signal }, (t) => matteOf(chosen, t, small.factor, clip));
    if (json) await writeFile(json, moversJson(movers, standing, small.factor));
  });
}

/** 255 wherever something moves in a frame. */
function matteOf(
  movers: readonly Mover[],
  t: number,
  factor: number,
  { width, height }: { width: number; height: number },
): Uint8Array {
  const out = new Uint8Array(width * height);
  for (const { first, last, masks } of movers) {
    if (t >= first && t <= last) enlarge(masks[t - first], factor, width, height, out);
  }
  return out;
}
