#!/usr/bin/env node
import { parseArgs } from 'node:util';
import { AppError } from '../core/errors.ts';
import { LIMITS } from '../contract/document.ts';
import { FILL_DEFAULTS, SOURCE_KINDS, type Donor, type SourceKind } from '../core/fill/settings.ts';
import { partsUpTo, quadArea, TRACK_PARTS, type Quad, type TrackPart } from '../core/tracking/regionModel.ts';
import { coverageCommand } from './coverage.ts';
import { fillCommand } from './fill.ts';
import { moversCommand } from './movers.ts';
import { outlineCommand } from './outline.ts';
import { plateCommand } from './plate.ts';
import { probeCommand } from './probe.ts';
import { revealCommand } from './reveal.ts';
import { Terminal } from './terminal.ts';
import { trackCommand } from './track.ts';

const HELP = `mnestra: removes what should not be in a shot

  mnestra fill --input FILE --matte FILE --output FILE [options]
      --reach N         frames each way that are searched for the background (${FILL_DEFAULTS.reach})
      --light 0..100    how far the fill follows changes of light, percent (${FILL_DEFAULTS.light})
      --no-grain        no grain on the fill
      --sources LIST    where the fill comes from, in this order, of: ${SOURCE_KINDS.join(', ')} (${FILL_DEFAULTS.sources.join(',')})
      --donor N,DX,DY   the donor: an area of the same frame, DX and DY px away at frame N, moving with the background
      --fit-donor       moves the donor by up to 32 px, to where it goes on from what surrounds the hole at its frame
      --trim FILE       brighter, warmer, moved …, by frame, as JSON (docs/formats.md)
      --plate FILE,N    a picture of the background (PNG or TIFF, as large as a frame) that lies at frame N and moves with it
      --draft           small and quick
      --holdout FILE    what passes in front and stays: a grey video like the matte
      --grow PX         moves the matte's edge outward; below 0 inward (0)
      --feather PX      how far the edge fades outward (0)
      --begins N        frame at which the matte's first one lies; it may then be shorter or longer than the footage
      --threads N       worker threads (all cores; fewer for little work)
      --seed N          varies what is invented (${FILL_DEFAULTS.seed})
      --report FILE     what was found and done, as JSON
  mnestra reveal --input FILE --matte FILE [--json FILE] [--output FILE] [options]
      how much of each frame's hole the shot shows elsewhere: JSON (default: to the terminal), and a grey video
      (0 no hole, 85 unseen, 170 thin, 255 seen); --reach, --sources, --donor, --plate, --holdout, --grow, --feather,
      --begins and --threads as for fill
  mnestra plate --input FILE --matte FILE --frame N --output FILE.png|.tif [--holdout FILE] [options]
      a picture of the background at frame N, made of what all frames show; transparent where none shows it
      --first N, --last N   frames to make it of (all)
      --median          the median of all instead of the mean of those that agree
  mnestra track --input FILE --frame N --region "x,y x,y x,y x,y" --output FILE.csv|.json [options]
      follows a region over the shot: its corners and a confidence (0..1) for every frame
      --model NAME      richest motion to allow: ${TRACK_PARTS.join(', ')} (perspective)
      --without NAME    a part of that motion to leave out; may be given more than once
      --first N, --last N   frames to follow it over (all)
  mnestra outline --input FILE --frame N --add x,y --output FILE [options]
      outlines the thing at a place (px) of a frame, and follows it over the shot: a grey video (255 on the thing)
      --add x,y         on the thing; may be given more than once
      --remove x,y      not on the thing; may be given more than once
      --box x,y,w,h     drawn around the thing; instead of --add, or with it
      --soft PX         its edge is as soft as the picture shows it, within so many px of the outline
      --first N, --last N   frames to follow it over (all)
      --json FILE       its frames, with a confidence (0..1) for each
      --threads N
  mnestra movers --input FILE --output FILE [--json FILE] [--only N,N] [--without-shadows] [--threads N]
      everything that moves against the background: a grey video (255 on what moves), and a list of it;
      with --only the video holds those with these numbers in the list, counted from 1
  mnestra coverage --input FILE --matte FILE [--json FILE] [--threads N]
      frames in which what the matte removes, or its shadow, sticks out of it, and what would mend it
  mnestra probe FILE
      what a clip is, as JSON

  --quiet says nothing while working. The matte is a grey video with the frames of the input: 0 keeps, 255 removes; or
  as many PNG pictures, in a folder or a zip, in the order of the numbers in their names. So is a holdout.
  The output is FFV1 for .mkv (of a draft HuffYUV, which is written sooner); .mp4 and .mov are H.264, .webm is VP9.
  Exit codes: 0 done; 1 failed; 2 wrong usage; 3 unusable input; 4 out of disk or memory; 130 interrupted.
`;

const OPTIONS = {
  input: { type: 'string' },
  matte: { type: 'string' },
  holdout: { type: 'string' },
  grow: { type: 'string' },
  feather: { type: 'string' },
  begins: { type: 'string' },
  only: { type: 'string' },
  output: { type: 'string' },
  json: { type: 'string' },
  reach: { type: 'string' },
  light: { type: 'string' },
  sources: { type: 'string' },
  donor: { type: 'string' },
  'fit-donor': { type: 'boolean' },
  seed: { type: 'string' },
  threads: { type: 'string' },
  trim: { type: 'string' },
  plate: { type: 'string' },
  median: { type: 'boolean' },
  report: { type: 'string' },
  frame: { type: 'string' },
  region: { type: 'string' },
  model: { type: 'string' },
  without: { type: 'string', multiple: true },
  first: { type: 'string' },
  add: { type: 'string', multiple: true },
  remove: { type: 'string', multiple: true },
  box: { type: 'string' },
  soft: { type: 'string' },
  last: { type: 'string' },
  'without-shadows': { type: 'boolean' },
  'no-grain': { type: 'boolean' },
  draft: { type: 'boolean' },
  quiet: { type: 'boolean' },
  help: { type: 'boolean', short: 'h' },
} as const;

type Values = ReturnType<typeof parse>['values'];

function parse() {
  try {
    return parseArgs({ options: OPTIONS, allowPositionals: true });
  } catch (error) {
    throw new AppError('usage', (error as Error).message);
  }
}

async function main(signal: AbortSignal): Promise<void> {
  const { values, positionals } = parse();
  const [command, file] = positionals;
  if (values.help || command === undefined || command === 'help') return void process.stdout.write(HELP);
  const terminal = new Terminal(values.quiet === true);
  try {
    if (command === 'fill') await fillCommand(fillRequest(values), terminal, signal);
    else if (command === 'reveal') await revealCommand(revealRequest(values), terminal, signal);
    else if (command === 'plate') await plateCommand(plateRequest(values), terminal, signal);
    else if (command === 'track') await trackCommand(trackRequest(values), terminal, signal);
    else if (command === 'outline') await outlineCommand(outlineRequest(values), terminal, signal);
    else if (command === 'movers') await moversCommand(moversRequest(values), terminal, signal);
    else if (command === 'coverage') await coverageCommand(coverageRequest(values), terminal, signal);
    else if (command === 'probe') await probeCommand(required(file, 'FILE'));
    else throw new AppError('usage', `There is no command "${command}". mnestra --help lists them.`);
  } finally {
    terminal.end();
  }
}

/** Footage, matte and how that is used: of fill, reveal and coverage. */
function marked(v: Values) {
  return {
    input: required(v.input, '--input'),
    matte: required(v.matte, '--matte'),
    holdout: v.holdout,
    use: {
      grow: size('--grow', v.grow, -LIMITS.grow, LIMITS.grow) ?? 0,
      feather: size('--feather', v.feather, 0, LIMITS.feather) ?? 0,
      begins: whole('--begins', v.begins, -10_000_000, 10_000_000),
    },
  };
}

function fillRequest(v: Values) {
  return {
    ...marked(v),
    output: required(v.output, '--output'),
    settings: {
      reach: whole('--reach', v.reach, 0, 10_000) ?? FILL_DEFAULTS.reach,
      light: whole('--light', v.light, 0, 100) ?? FILL_DEFAULTS.light,
      grain: v['no-grain'] !== true,
      seed: whole('--seed', v.seed, 0, 2 ** 31 - 1) ?? FILL_DEFAULTS.seed,
      ...sourcesOf(v),
    },
    fitDonor: fitsDonor(v),
    draft: v.draft === true,
    plate: v.plate === undefined ? undefined : plateOf(v.plate),
    trim: v.trim,
    threads: whole('--threads', v.threads, 1, 64),
    report: v.report,
  };
}

/** Sources in their order; a plate or a donor that is given but not named comes first. */
function sourcesOf(v: Values): { sources: readonly SourceKind[]; donor?: Donor } {
  const named = v.sources?.split(',').map((name) => {
    const kind = SOURCE_KINDS.find((k) => k === name.trim());
    if (!kind) throw new AppError('usage', `--sources: “${name}” is none of ${SOURCE_KINDS.join(', ')}.`);
    return kind;
  });
  const given = (['plate', 'donor'] as const).filter((kind) => v[kind] !== undefined);
  const sources = named ?? [...given, ...FILL_DEFAULTS.sources];
  if (new Set(sources).size < sources.length) throw new AppError('usage', '--sources names one more than once.');
  for (const kind of ['plate', 'donor'] as const) {
    if (sources.includes(kind) === given.includes(kind)) continue;
    const wants = kind === 'plate' ? '--plate FILE,N' : '--donor N,DX,DY';
    throw new AppError('usage', `A ${kind} among the --sources wants ${wants}, and the other way round.`);
  }
  return { sources, donor: v.donor === undefined ? undefined : donorOf(v.donor) };
}

function donorOf(text: string): Donor {
  const [frame, dx, dy, ...more] = text.split(',').map(Number);
  if (!Number.isInteger(frame) || frame < 0 || !Number.isFinite(dx) || !Number.isFinite(dy) || more.length > 0) {
    throw new AppError('usage', '--donor wants three numbers: the frame, and how far away it lies, x and y in px.');
  }
  return { frame, dx, dy };
}

function fitsDonor(v: Values): boolean {
  if (v['fit-donor'] && v.donor === undefined) throw new AppError('usage', '--fit-donor wants --donor N,DX,DY.');
  return v['fit-donor'] === true;
}

function plateOf(text: string): { file: string; frame: number } {
  const [, file, frame] = /^(.+),(\d+)$/.exec(text) ?? [];
  if (file === undefined) throw new AppError('usage', '--plate wants a file and the frame at which it lies: FILE,N.');
  return { file, frame: Number(frame) };
}

function plateRequest(v: Values) {
  return {
    ...marked(v),
    frame: whole('--frame', required(v.frame, '--frame'), 0, 10_000_000)!,
    first: whole('--first', v.first, 0, 10_000_000),
    last: whole('--last', v.last, 0, 10_000_000),
    statistic: v.median === true ? ('median' as const) : ('mean' as const),
    output: required(v.output, '--output'),
    threads: whole('--threads', v.threads, 1, 64),
  };
}

function revealRequest(v: Values) {
  return {
    ...marked(v),
    from: sourcesOf(v),
    plate: v.plate === undefined ? undefined : plateOf(v.plate),
    json: v.json,
    output: v.output,
    reach: whole('--reach', v.reach, 0, 10_000) ?? FILL_DEFAULTS.reach,
    threads: whole('--threads', v.threads, 1, 64),
  };
}

function trackRequest(v: Values) {
  const without = (v.without ?? []).map((name) => part('--without', name));
  return {
    input: required(v.input, '--input'),
    frame: whole('--frame', required(v.frame, '--frame'), 0, 10_000_000)!,
    region: region(required(v.region, '--region')),
    parts: partsUpTo(part('--model', v.model ?? 'perspective')).filter((p) => !without.includes(p)),
    output: required(v.output, '--output'),
    first: whole('--first', v.first, 0, 10_000_000),
    last: whole('--last', v.last, 0, 10_000_000),
  };
}

function outlineRequest(v: Values) {
  const [add, remove] = [v.add, v.remove].map((list, k) =>
    (list ?? []).map((text) => {
      const [x, y] = numbers(k === 0 ? '--add' : '--remove', text, 2, 'x,y');
      return { x, y };
    }),
  );
  const box = v.box === undefined ? undefined : numbers('--box', v.box, 4, 'x,y,width,height');
  if (add.length === 0 && !box) throw new AppError('usage', '--add or --box is missing: where is the thing?');
  if (box && (box[2] < 1 || box[3] < 1)) throw new AppError('usage', `--box has no size: "${v.box}".`);
  return {
    input: required(v.input, '--input'),
    frame: whole('--frame', required(v.frame, '--frame'), 0, 10_000_000)!,
    add,
    remove,
    box: box && { x: box[0], y: box[1], width: box[2], height: box[3] },
    output: required(v.output, '--output'),
    json: v.json,
    soft: size('--soft', v.soft, 2, 60),
    first: whole('--first', v.first, 0, 10_000_000),
    last: whole('--last', v.last, 0, 10_000_000),
    threads: whole('--threads', v.threads, 1, 64),
  };
}

function numbers(name: string, text: string, count: number, form: string): number[] {
  const values = text.split(',').map((v) => (v.trim() === '' ? NaN : Number(v)));
  if (values.length !== count || !values.every(Number.isFinite)) {
    throw new AppError('usage', `${name} takes ${form} in px, not "${text}".`);
  }
  return values;
}

function moversRequest(v: Values) {
  return {
    input: required(v.input, '--input'),
    output: required(v.output, '--output'),
    json: v.json,
    only: v.only === undefined ? undefined : numbersOf('--only', v.only),
    withoutShadows: v['without-shadows'] === true,
    threads: whole('--threads', v.threads, 1, 64),
  };
}

function coverageRequest(v: Values) {
  return {
    ...marked(v),
    json: v.json,
    threads: whole('--threads', v.threads, 1, 64),
  };
}

function part(name: string, text: string): TrackPart {
  if ((TRACK_PARTS as readonly string[]).includes(text)) return text as TrackPart;
  throw new AppError('usage', `${name} takes one of ${TRACK_PARTS.join(', ')}, not "${text}".`);
}

/** Four corners in order around the region. */
function region(text: string): Quad {
  const corners = text
    .trim()
    .split(/\s+/)
    .map((pair) => pair.split(',').map(Number));
  const good = corners.length === 4 && corners.every((c) => c.length === 2 && c.every(Number.isFinite));
  const quad = corners.map(([x, y]) => ({ x, y })) as unknown as Quad;
  if (!good || Math.abs(quadArea(quad)) < 1) {
    throw new AppError('usage', `--region takes four corners in order, as "x,y x,y x,y x,y" in px, not "${text}".`);
  }
  return quad;
}

function required(value: string | undefined, name: string): string {
  if (value === undefined)
    throw new AppError('usage', `${name} is missing. mnestra --help lists what a command needs.`);
  return value;
}

function size(name: string, text: string | undefined, least: number, most: number): number | undefined {
  if (text === undefined) return undefined;
  const value = Number(text);
  if (text.trim() === '' || !(value >= least && value <= most)) {
    throw new AppError('usage', `${name} takes a number of px from ${least} to ${most}, not "${text}".`);
  }
  return value;
}

/** Numbers in a list, from 1. */
function numbersOf(name: string, text: string): number[] {
  const list = text.split(',').map((n) => Number(n.trim() || NaN));
  if (list.every((n) => Number.isInteger(n) && n > 0)) return list;
  throw new AppError('usage', `${name} takes whole numbers from 1, as 1,3, not "${text}".`);
}

function whole(name: string, text: string | undefined, least: number, most: number): number | undefined {
  if (text === undefined) return undefined;
  const value = Number(text);
  if (!Number.isInteger(value) || value < least || value > most) {
    throw new AppError('usage', `${name} takes a whole number from ${least} to ${most}, not "${text}".`);
  }
  return value;
}

/** Exit code per error code; everything else is 1. */
const EXIT: Record<string, number> = {
  usage: 2,
  output_kind: 2,
  no_file: 3,
  bad_trim: 3,
  not_video: 3,
  no_frames: 3,
  too_large: 3,
  too_long: 3,
  cut_off: 3,
  pixel_format: 3,
  matte_size: 3,
  plate_size: 3,
  no_donor: 3,
  not_picture: 3,
  matte_length: 3,
  disk_full: 4,
  ENOSPC: 4,
  kernel_memory: 4,
  out_of_memory: 4,
  program_stopped: 4,
};

const stop = new AbortController();
for (const name of ['SIGINT', 'SIGTERM'] as const) {
  process.on(name, () => stop.abort(new AppError('interrupted', 'Interrupted; nothing was written.')));
}
main(stop.signal).catch((error: NodeJS.ErrnoException) => {
  const failure = stop.signal.aborted ? (stop.signal.reason as AppError) : error;
  process.stderr.write(`mnestra: ${failure.message}\n`);
  if (process.env.MNESTRA_DEBUG)
    process.stderr.write(`${error.stack}\n${JSON.stringify((error as AppError).details)}\n`);
  process.exitCode = stop.signal.aborted ? 130 : (EXIT[failure.code ?? ''] ?? 1);
});
