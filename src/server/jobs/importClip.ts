import { createHash } from 'node:crypto';
import { createReadStream, existsSync } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { ClipFacts } from '../../contract/clips.ts';
import { AppError } from '../../core/errors.ts';
import { storedFormat } from '../../media/pixelFormat.ts';
import { probeClip, shownSize, type ClipInfo } from '../../media/probe.ts';
import { requireRoom } from '../../media/room.ts';
import { stripPictures, writeProxy, writeStrip } from '../../media/proxy.ts';
import { Clip } from '../store/clip.ts';
import { isForTheNext, type JobContext } from './runWork.ts';

/** Room that proxies need at most, as a share of the footage's own size; a little is always needed. */
const PROXY_SHARE = 0.6;
const LEAST_ROOM = 64 << 20;
/** Progress is written at most this often, ms. */
const REPORT_EVERY = 300;

/**
 * Reads an uploaded file: what it is, its hash, its proxy and filmstrip. Safe to run again after a kill at any point:
 * every step finds what the one before left. A file that cannot be used leaves nothing behind but the reason.
 */
export async function importClip(id: string, context: JobContext): Promise<void> {
  const clip = await Clip.findByPk(id);
  if (clip?.state !== 'importing') return;
  try {
    await run(clip, context);
  } catch (error) {
    if (isForTheNext(error, context)) throw error;
    await fail(clip, context, error);
  }
  await changed(context, id);
}

async function run(clip: Clip, context: JobContext): Promise<void> {
  const { files, signal } = context;
  const upload = join(files.incoming, clip.upload ?? '');
  await report(clip, context, 'reading', 0);
  const place = clip.hash ? files.clip(clip.hash, clip.extension) : upload;
  const info = await probeClip(existsSync(upload) ? upload : place);
  storedFormat(info.pixelFormat, info.width, info.height);
  const hash = clip.hash ?? (await hashOf(upload));
  if (await alreadyHere(clip, hash, upload, context)) return;
  await requireRoom(
    files.scratch,
    Math.max(LEAST_ROOM, clip.size * PROXY_SHARE),
    'The proxy of this clip',
    'Make room and add it again.',
  );
  const path = files.clip(hash, clip.extension);
  await clip.update({ hash });
  if (existsSync(upload)) await rename(upload, path);
  await rm(`${upload}.json`, { force: true });
  if (!existsSync(files.strip(hash))) await writeStrip(path, info, files.strip(hash), signal);
  if (!existsSync(files.proxy(hash))) {
    let last = 0;
    const onProgress = (done: number): void => {
      if (Date.now() - last < REPORT_EVERY) return;
      last = Date.now();
      void report(clip, context, 'proxy', done).catch(() => undefined);
    };
    await writeProxy(path, info, files.proxy(hash), onProgress, signal);
  }
  await clip.update({ state: 'ready', stage: '', progress: 1, info: factsOf(info), times: info.times });
}

const changed = (context: JobContext, id: string): Promise<void> => context.tell({ kind: 'clip', id });

async function report(clip: Clip, context: JobContext, stage: string, progress: number): Promise<void> {
  await clip.update({ stage, progress });
  await changed(context, clip.id);
}

/** The same bytes are kept once: the new row goes, the old one stays. */
async function alreadyHere(clip: Clip, hash: string, upload: string, context: JobContext): Promise<boolean> {
  const twin = await Clip.findOne({ where: { hash } });
  if (!twin || twin.id === clip.id) return false;
  await rm(upload, { force: true });
  await rm(`${upload}.json`, { force: true });
  await clip.destroy({ force: true });
  await changed(context, twin.id);
  return true;
}

async function fail(clip: Clip, context: JobContext, error: unknown): Promise<void> {
  const { files } = context;
  const { code, message } = explain(error);
  if (clip.upload)
    for (const name of [clip.upload, `${clip.upload}.json`]) await rm(join(files.incoming, name), { force: true });
  if (clip.hash) {
    for (const path of [files.clip(clip.hash, clip.extension), files.proxy(clip.hash), files.strip(clip.hash)]) {
      await rm(path, { force: true });
    }
  }
  await clip.update({ state: 'failed', stage: '', error: { code, message }, hash: null, upload: null });
}

function explain(error: unknown): { code: string; message: string } {
  if (error instanceof AppError && error.code === 'media_failed') {
    return {
      code: 'damaged',
      message: `The footage cannot be decoded to its end (${error.message}). Copy it again from the camera or card.`,
    };
  }
  if (error instanceof AppError) return error;
  if ((error as NodeJS.ErrnoException).code === 'ENOSPC') {
    return { code: 'disk_full', message: 'The disk is full. Make room and add the clip again.' };
  }
  return { code: 'import_failed', message: `The clip could not be read: ${(error as Error).message}. Try again.` };
}

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

function factsOf(info: ClipInfo): ClipFacts {
  const { times: _, ...rest } = info;
  return { ...rest, ...shownSize(info), stripPictures: stripPictures(info) };
}
