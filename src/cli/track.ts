import { mkdir, writeFile } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { AppError } from '../core/errors.ts';
import type { Quad, TrackPart } from '../core/tracking/regionModel.ts';
import type { TrackedFrame } from '../core/tracking/followRegion.ts';
import { trackRegion } from '../core/tracking/trackRegion.ts';
import { trackCsv, trackJson } from '../core/tracking/trackTable.ts';
import { loadKernels } from '../media/kernelFile.ts';
import { decodeLuma, type LumaFrames } from '../media/lumaStore.ts';
import { probeClip } from '../media/probe.ts';
import { inScratch } from './scratch.ts';
import type { Terminal } from './terminal.ts';

export interface TrackCommand {
  input: string;
  frame: number;
  region: Quad;
  parts: TrackPart[];
  output: string;
  first?: number;
  last?: number;
}

/** `mnestra track`. */
export async function trackCommand(request: TrackCommand, terminal: Terminal, signal: AbortSignal): Promise<void> {
  const clip = await probeClip(request.input);
  const range = { first: request.first ?? 0, last: Math.min(request.last ?? clip.frames - 1, clip.frames - 1) };
  if (request.frame < range.first || request.frame > range.last) {
    throw new AppError(
      'usage',
      `--frame must lie within the frames that are followed, ${range.first} to ${range.last}.`,
    );
  }
  await mkdir(dirname(resolve(request.output)), { recursive: true });
  const bytes = 2.2 * clip.width * clip.height * (range.last - range.first + 1);
  await inScratch(bytes, 'The track', async (folder) => {
    terminal.stage('decode');
    const luma = await decodeLuma(request.input, clip, join(folder, 'luma.raw'), range, signal);
    const rows = await follow(luma, request, range, terminal, signal).finally(() => luma.close());
    const json = request.output.endsWith('.json');
    await writeFile(request.output, json ? trackJson(rows) : trackCsv(rows));
  });
}

async function follow(
  luma: LumaFrames,
  { frame, region, parts }: TrackCommand,
  range: { first: number; last: number },
  terminal: Terminal,
  signal: AbortSignal,
): Promise<TrackedFrame[]> {
  const kernels = await loadKernels();
  const found = new Map<number, TrackedFrame>();
  const count = range.last - range.first + 1;
  for (const f of trackRegion(kernels, luma, { anchors: [{ frame, quad: region }], parts, ...range })) {
    found.set(f.frame, f);
    terminal.progress('track', found.size / count);
    // An interruption is heard between frames.
    await setImmediate();
    signal.throwIfAborted();
  }
  return [...found.values()].sort((a, b) => a.frame - b.frame);
}
