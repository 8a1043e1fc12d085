import { rm, writeFile } from 'node:fs/promises';
import { coverageOf, mendOf } from '../core/coverage/coverage.ts';
import { smallMasks } from '../media/matteFile.ts';
import { findMovers } from '../media/moversWork.ts';
import { RawStore } from '../media/rawStore.ts';
import { prepare, type Marked } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface CoverageCommand extends Marked {
  json?: string;
  threads?: number;
}

/** `mnestra coverage`. */
export async function coverageCommand(
  { json, threads, ...marked }: CoverageCommand,
  terminal: Terminal,
  signal: AbortSignal,
): Promise<void> {
  const prepared = await prepare(marked, { full: false, small: true }, terminal, signal);
  const small = prepared.small!;
  const mattes = new RawStore(prepared.mattes.path, prepared.mattes.format);
  try {
    const { frames, factor } = small;
    const count = prepared.clip.frames;
    const onProgress = (stage: string, done: number): void => terminal.progress(stage, done);
    const { movers } = await findMovers({ frames, count, threads, signal, onProgress });
    const masks = await smallMasks(mattes, frames.format, factor, signal);
    const flagged = coverageOf(movers, (frame) => masks[frame]);
    const area = factor * factor;
    const mend = mendOf(flagged);
    const table = {
      frames: count,
      mend: mend && { ...mend, growth: Number.isFinite(mend.growth) ? mend.growth * factor : null },
      flagged: flagged.map(({ frame, out, share, mask: m }) => ({
        frame,
        out: out * area,
        share,
        box: [m.x * factor, m.y * factor, m.width * factor, m.height * factor],
      })),
    };
    const text = `${JSON.stringify(table, null, 1)}\n`;
    if (json) await writeFile(json, text);
    else process.stdout.write(text);
  } finally {
    mattes.close();
    await rm(prepared.folder, { recursive: true, force: true });
  }
}
