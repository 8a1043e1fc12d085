import { mkdir, rm, writeFile } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import { AppError } from '../core/errors.ts';
import { fitDonor } from '../core/fill/fitDonor.ts';
import type { FillSettings } from '../core/fill/settings.ts';
import type { TrimKey } from '../core/fill/trim.ts';
import { frameBytes } from '../core/image/format.ts';
import { cutsOf } from '../core/motion/scenes.ts';
import { colourModel } from '../media/colour.ts';
import { encodeFrames } from '../media/encode.ts';
import { applyLayer, type Layer } from '../media/layeredFrames.ts';
import { writeSmallMattes } from '../media/matteFile.ts';
import { RawStore } from '../media/rawStore.ts';
import type { TakeResult } from '../media/take.ts';
import { PatchFiles } from '../media/takeFiles.ts';
import { computeApart } from './computeApart.ts';
import { noticesOf, staysJson } from './notices.ts';
import { preparePlate, type GivenPlate } from './plate.ts';
import { prepare, type Marked, type Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';
import { readTrim } from './trimFile.ts';

export interface FillRequest extends Marked {
  output: string;
  settings: FillSettings;
  /** The donor is moved to where it goes on from what surrounds the hole. */
  fitDonor: boolean;
  draft: boolean;
  /** A picture of the background, and the frame at which it lies. */
  plate?: GivenPlate;
  /** Hand trims, as a file. */
  trim?: string;
  threads?: number;
  report?: string;
}

/** `mnestra fill`. */
export async function fillCommand(request: FillRequest, terminal: Terminal, signal: AbortSignal): Promise<void> {
  const trim = request.trim === undefined ? [] : await readTrim(request.trim);
  await mkdir(dirname(resolve(request.output)), { recursive: true });
  const prepared = await prepare(request, { full: true, small: request.draft }, terminal, signal);
  try {
    const started = Date.now();
    if (request.fitDonor) request = { ...request, settings: fittedIn(prepared, request.settings) };
    const result = await compute(prepared, request, terminal, signal);
    const notices = noticesOf(prepared.clip, result);
    notices.forEach((text) => terminal.say(text));
    terminal.stage('write');
    await write(prepared, request, trim, terminal, signal);
    if (request.report)
      await writeFile(
        request.report,
        JSON.stringify({ ...reportOf(prepared, request, result, started), notices }, null, 1),
      );
  } finally {
    await rm(prepared.folder, { recursive: true, force: true });
  }
}

/** Settings whose donor fits in at its frame. @throws AppError `no_donor`. */
function fittedIn(p: Prepared, settings: FillSettings): FillSettings {
  const { donor } = settings;
  if (!donor) return settings;
  const [frames, mattes] = [p.frames, p.mattes].map(({ path, format }) => new RawStore(path, format));
  try {
    const fit = donor.frame < p.clip.frames ? fitDonor(frames, mattes, donor.frame, donor) : undefined;
    if (!fit) {
      const text = `Nothing near the donor at frame ${donor.frame} goes on from what surrounds a hole. Name another place, or leave --fit-donor out.`;
      throw new AppError('no_donor', text);
    }
    return { ...settings, donor: { frame: donor.frame, dx: fit.dx, dy: fit.dy } };
  } finally {
    frames.close();
    mattes.close();
  }
}

async function compute(
  p: Prepared,
  request: FillRequest,
  terminal: Terminal,
  signal: AbortSignal,
): Promise<TakeResult> {
  const { small } = p;
  if (small) {
    const full = new RawStore(p.mattes.path, p.mattes.format);
    await writeSmallMattes(full, small.mattes.path, small.mattes.format, small.factor);
    full.close();
  }
  const plate = await preparePlate(request.plate, p, small);
  return computeApart({
    frames: small?.frames ?? p.frames,
    mattes: small?.mattes ?? p.mattes,
    draft: small && { format: p.stored.format, factor: small.factor },
    count: p.clip.frames,
    folder: join(p.folder, 'take'),
    settings: { ...request.settings, plate },
    threads: request.threads,
    signal,
    onProgress: ({ stage, done }) => terminal.progress(stage, done),
  });
}

async function write(
  p: Prepared,
  request: FillRequest,
  keys: readonly TrimKey[],
  terminal: Terminal,
  signal: AbortSignal,
): Promise<void> {
  const frames = new RawStore(p.frames.path, p.frames.format);
  const mattes = new RawStore(p.mattes.path, p.mattes.format);
  const layer: Layer = {
    patches: new PatchFiles(join(p.folder, 'take')),
    mattes,
    draft: request.draft,
    offset: 0,
    trim: { keys, colour: colourModel(p.clip, p.stored) },
  };
  // One for all: of a large picture a new one per frame would lie about for long.
  const frame = new Uint8Array(frameBytes(p.stored.format));
  try {
    await encodeFrames(
      { output: request.output, clip: p.clip, stored: p.stored, original: request.input, quick: request.draft, signal },
      (t) => {
        frames.readFrame(t, frame);
        applyLayer(frame, p.stored.format, layer, t);
        terminal.progress('write', (t + 1) / p.clip.frames);
        return frame;
      },
    );
  } finally {
    frames.close();
    mattes.close();
  }
}

function reportOf(p: Prepared, request: FillRequest, result: TakeResult, started: number): object {
  const { times: _, ...clip } = p.clip;
  const { tripod, residualPx, scenes } = result.motion;
  return {
    clip,
    settings: request.settings,
    draft: request.draft,
    motion: { tripod, residualPx, carried: result.carried, cuts: cutsOf(scenes) },
    ...staysJson(result.stays),
    reveal: result.reveal,
    fill: result.frames,
    plates: result.plates,
    seconds: (Date.now() - started) / 1000,
  };
}
