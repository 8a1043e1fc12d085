import { marksOf } from '../../contract/document.ts';
import { mkdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { AppError } from '../../core/errors.ts';
import { frameBytes } from '../../core/image/format.ts';
import { cutClip } from '../../media/cutClip.ts';
import { encodeFrames } from '../../media/encode.ts';
import { alphaFormat, fillFrame } from '../../media/fillFrame.ts';
import { handAt, LayeredFrames } from '../../media/layeredFrames.ts';
import { storedFormat, type StoredFormat } from '../../media/pixelFormat.ts';
import { writePngZip } from '../../media/pngZip.ts';
import type { ClipInfo } from '../../media/probe.ts';
import { RawStore } from '../../media/rawStore.ts';
import { PatchFiles } from '../../media/takeFiles.ts';
import { workRange } from '../../contract/shots.ts';
import { trimsOf } from '../../contract/trim.ts';
import { storedOf, type StoredClip } from '../services/frameStores.ts';
import { layersOf, layerTrim, mattesOf, picksInOrder, picksOf, storedClip, takesById } from '../services/layers.ts';
import { safeName } from '../services/exports.ts';
import { Clip } from '../store/clip.ts';
import { Export } from '../store/export.ts';
import { Shot, shotView } from '../store/shot.ts';
import type { Take } from '../store/take.ts';
import { runWork, type JobContext, type Weights, type Work } from './runWork.ts';

const WEIGHTS: Weights = { decode: 3, write: 7 };

/** Writes the file of an export. */
export async function runExport(id: string, context: JobContext): Promise<void> {
  const row = await Export.findByPk(id);
  if (!row) return;
  const changed = (): Promise<void> => context.tell({ kind: 'export', id, shotId: row.shotId });
  await runWork(row, context, WEIGHTS, changed, async (work) => {
    const folder = context.files.exportFolder(id);
    await mkdir(folder, { recursive: true });
    const output = join(folder, row.fileName);
    await write(row, output, context, work);
    return { size: (await stat(output)).size };
  });
}

/** What an export is written from: the frames from in to out, and what lies on them. */
interface Source {
  shot: Shot;
  clip: StoredClip;
  /** The part of the clip from in to out. */
  cut: ClipInfo;
  stored: StoredFormat;
  /** Frames with handles, and where the shot's first frame is in them. */
  store: RawStore;
  begin: number;
}

async function write(row: Export, output: string, context: JobContext, work: Work): Promise<void> {
  const source = await open(row, context, work);
  try {
    if (row.kind === 'matte' || row.kind === 'matte_png') await writeMatte(row, output, source, context, work);
    else if (row.kind === 'fill') await writeFill(row, output, source, context, work);
    else await writeClean(row, output, source, context, work);
  } finally {
    source.store.close();
  }
}

async function open(row: Export, { files, stores }: JobContext, work: Work): Promise<Source> {
  const shot = (await Shot.findByPk(row.shotId, { paranoid: false }))!;
  const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, files);
  const range = workRange(shotView(shot), clip.info.frames);
  work.report('decode', 0);
  const { path, format } = await stores.full({ clip, ...range }, work.signal);
  const cut = cutClip(clip.info, shot.first, shot.last - shot.first + 1);
  return {
    shot,
    clip,
    cut,
    stored: storedOf(clip),
    store: new RawStore(path, format),
    begin: shot.first - range.first,
  };
}

async function writeClean(row: Export, output: string, source: Source, context: JobContext, work: Work): Promise<void> {
  const { shot, clip, cut, stored, store, begin } = source;
  const takes = picksInOrder(shot.document, await picksOf(shot.id));
  const trims = trimsOf(shot.document);
  const frames = new LayeredFrames(store, layersOf(takes, trims, clip, context.files, shot.first - begin));
  const next = counted(work, cut.frames, (t) => frames.frame(begin + t));
  if (row.kind === 'png') {
    const name = safeName(shot.name);
    await writePngZip({ output, name, first: shot.first, clip: cut, stored, signal: work.signal }, next);
    return;
  }
  const whole = cut.frames === clip.info.frames;
  const sound = whole ? undefined : { start: cut.start, duration: cut.duration };
  await encodeFrames({ output, clip: cut, stored, original: clip.path, sound, signal: work.signal }, next);
}

async function writeFill(row: Export, output: string, source: Source, context: JobContext, work: Work): Promise<void> {
  const { shot, clip, cut, stored, store, begin } = source;
  const take = await pickOf(row);
  const trims = trimsOf(shot.document);
  const beneath = layersOf(await takesById(take.beneath), trims, clip, context.files, shot.first - begin);
  const trim = layerTrim(take, trims, clip);
  const frames = new LayeredFrames(store, beneath);
  const patches = new PatchFiles(context.files.take(take.id));
  const mattes = mattesOf(clip, context.files, take.removalId, take.marks, take.first, take.count);
  const target = alphaFormat(stored);
  const next = counted(work, cut.frames, (t) => {
    const own = shot.first + t - take.first;
    const patch = own < 0 ? undefined : patches.get(own);
    const hand = handAt(trim, own);
    const input = { frame: frames.frame(begin + t), format: stored.format, patch, mattes, draft: take.draft, hand };
    return fillFrame(input, target.format);
  });
  await encodeFrames({ output, clip: cut, stored: target, signal: work.signal }, next);
}

async function pickOf({ shotId, removalId }: Export): Promise<Take> {
  const take = (await picksOf(shotId)).get(removalId ?? '');
  if (!take) throw new AppError('no_pick', 'The take that was to be exported is gone. Pick another and export again.');
  return take;
}

async function writeMatte(row: Export, output: string, source: Source, context: JobContext, work: Work): Promise<void> {
  const { shot, clip, cut } = source;
  const marks = marksOf(shot.document, row.removalId!);
  if (!marks) throw new AppError('not_found', 'The removal whose matte was to be exported is gone.');
  const mattes = mattesOf(clip, context.files, row.removalId!, marks, shot.first, cut.frames);
  const grey = storedFormat('gray', cut.width, cut.height);
  const next = counted(work, cut.frames, (t) => {
    const frame = new Uint8Array(frameBytes(grey.format));
    mattes.readRows(t, 0, 0, cut.height, frame);
    return frame;
  });
  // A matte has no colour: tags of the footage would make a player stretch its greys.
  const plain = { ...cut, colour: {} };
  if (row.kind === 'matte_png') {
    const name = safeName(`${shot.name}_${marks.name}`);
    const options = { output, name, first: shot.first, clip: plain, stored: grey, grey: true, signal: work.signal };
    return writePngZip(options, next);
  }
  await encodeFrames({ output, clip: plain, stored: grey, signal: work.signal }, next);
}

function counted(work: Work, count: number, frame: (t: number) => Uint8Array): (t: number) => Uint8Array {
  return (t) => {
    work.report('write', t / count);
    return frame(t);
  };
}
