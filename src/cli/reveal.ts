import { rm, writeFile } from 'node:fs/promises';
import { FILL_DEFAULTS, type FillSettings } from '../core/fill/settings.ts';
import { cutsOf } from '../core/motion/scenes.ts';
import type { RevealMap } from '../core/reveal/reveal.ts';
import { pumpFrames } from '../media/encode.ts';
import { startFfmpeg } from '../media/processes.ts';
import { TakeWork } from '../media/take.ts';
import { prepare, type Marked, type Prepared } from './prepare.ts';
import { noticesOf, staysJson } from './notices.ts';
import { preparePlate, type GivenPlate } from './plate.ts';
import type { Terminal } from './terminal.ts';

export interface RevealRequest extends Marked {
  json?: string;
  output?: string;
  reach: number;
  /** Where the fill is to come from. */
  from: Pick<FillSettings, 'sources' | 'donor'>;
  plate?: GivenPlate;
  threads?: number;
}

/** `mnestra reveal`. */
export async function revealCommand(request: RevealRequest, terminal: Terminal, signal: AbortSignal): Promise<void> {
  const prepared = await prepare(request, { full: false, small: true }, terminal, signal);
  try {
    const plate = await preparePlate(request.plate, prepared);
    const work = new TakeWork({
      frames: prepared.small!.frames,
      mattes: prepared.mattes,
      count: prepared.clip.frames,
      settings: { ...FILL_DEFAULTS, reach: request.reach, ...request.from, plate },
      threads: request.threads,
      signal,
      onProgress: ({ stage, done }) => terminal.progress(stage, done),
    });
    const { reveal, motion, carried, stays } = await work.reveal().finally(() => work.close());
    const frames = reveal.map(({ map: _, ...rest }) => rest);
    const cuts = cutsOf(motion.scenes);
    noticesOf(prepared.clip, { stays, motion, carried }).forEach((text) => terminal.say(text));
    const { tripod } = motion;
    const json = JSON.stringify(
      { reach: request.reach, tripod, carried, cuts, ...staysJson(stays), total: total(reveal), frames },
      null,
      1,
    );
    if (request.json) await writeFile(request.json, json);
    else process.stdout.write(`${json}\n`);
    if (request.output) await writePicture(request.output, prepared, reveal, signal);
  } finally {
    await rm(prepared.folder, { recursive: true, force: true });
  }
}

function total(reveal: RevealMap[]): { hole: number; seen: number; thin: number; unseen: number } {
  const sum = { hole: 0, seen: 0, thin: 0, unseen: 0 };
  for (const r of reveal) for (const k of ['hole', 'seen', 'thin', 'unseen'] as const) sum[k] += r[k];
  return sum;
}

/** The reveal as a grey video of the footage's size, lossless. */
async function writePicture(output: string, p: Prepared, reveal: RevealMap[], signal: AbortSignal): Promise<void> {
  const { width, height, rate } = p.clip;
  const cell = Math.round(Math.sqrt((width * height) / reveal[0].map.length));
  const cell2 = 2 ** Math.round(Math.log2(cell));
  const [cols, rows] = [Math.ceil(width / cell2), Math.ceil(height / cell2)];
  const running = startFfmpeg(
    [
      '-f',
      'rawvideo',
      '-pix_fmt',
      'gray',
      '-s',
      `${cols}x${rows}`,
      '-framerate',
      `${rate.num}/${rate.den}`,
      '-i',
      'pipe:0',
      '-vf',
      `scale=${cols * cell2}:${rows * cell2}:flags=neighbor,crop=${width}:${height}:0:0`,
      '-c:v',
      'ffv1',
      '-level',
      '3',
      '-g',
      '1',
      '-pix_fmt',
      'gray',
      output,
    ],
    { input: true, signal },
  );
  await pumpFrames(running, reveal.length, (t) => reveal[t].map, signal);
}
