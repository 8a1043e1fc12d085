import { rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { shotFiles } from '../demo/render.ts';
import type { Shot } from '../demo/shot.ts';
import { prepare } from '../src/cli/prepare.ts';
import { Terminal } from '../src/cli/terminal.ts';
import type { StoredWork } from './storedFill.ts';
import { floorOf, measureProcess, mnestraOn, type Usage } from './measureProcess.ts';

/** What is run, by name; the first is what the others are measured against. */
export type Times = Record<'floor' | 'reveal' | 'draft' | 'full' | 'stored' | 'alone', Usage>;

const STORED = new URL('./storedFill.js', import.meta.url).pathname;

/**
 * Times of whole commands on one shot, in one run: those of the command line, a take of frames that are stored already (as
 * a second one on the page is), and a full take with one thread.
 */
export async function benchTimes(shot: Shot, folder: string, scratch: string): Promise<Times> {
  const files = shotFiles(folder, shot);
  const out = (name: string): string => join(scratch, `${shot.name}.${name}`);
  const run = mnestraOn(files);
  const times = {
    floor: await floorOf(files.clip, out('floor.mkv')),
    reveal: await run('reveal', '--json', out('reveal.json')),
    draft: await run('fill', '--draft', '--output', out('draft.mkv')),
    full: await run('fill', '--output', out('full.mkv')),
    stored: await storedFill(files.clip, files.matte, out('work.json')),
    alone: await run('fill', '--threads', '1', '--output', out('alone.mkv')),
  };
  for (const name of ['floor.mkv', 'reveal.json', 'draft.mkv', 'full.mkv', 'work.json', 'alone.mkv'])
    await rm(out(name), { force: true });
  return times;
}

/** Decoding is not measured: its frames are there already. */
async function storedFill(input: string, matte: string, job: string): Promise<Usage> {
  const marked = { input, matte, use: { grow: 0, feather: 0 } };
  const never = new AbortController().signal;
  const { folder, frames, mattes, clip } = await prepare(
    marked,
    { full: true, small: false },
    new Terminal(true),
    never,
  );
  try {
    const work: StoredWork = { frames, mattes, count: clip.frames, folder: join(folder, 'take') };
    await writeFile(job, JSON.stringify(work));
    return await measureProcess('node', [STORED, job]);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
