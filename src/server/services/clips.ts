import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { extname, join } from 'node:path';
import { MAX_NAME, type ClipView } from '../../contract/clips.ts';
import { AppError } from '../../core/errors.ts';
import type { Files } from '../files.ts';
import { Clip, clipView } from '../store/clip.ts';

/** What the service tells the rest of the program. */
export interface ClipEvents {
  changed(id: string): Promise<void>;
  /** Puts the import of a clip in the queue. */
  importClip(id: string): Promise<void>;
}

/** Clips as the API knows them. */
export class ClipService {
  constructor(
    private readonly files: Files,
    private readonly events: ClipEvents,
  ) {}

  async list(): Promise<ClipView[]> {
    const clips = await Clip.findAll({ order: [['createdAt', 'DESC']], attributes: { exclude: ['times'] } });
    return clips.map(clipView);
  }

  async get(id: string): Promise<ClipView> {
    return clipView(await this.find(id));
  }

  /** A whole upload becomes a clip whose import is queued. */
  async accept(uploadId: string, name: string, size: number): Promise<void> {
    const extension = extname(name).toLowerCase();
    const clip = await Clip.create({
      id: randomUUID(),
      name: cleanName(name),
      size,
      state: 'importing',
      stage: 'waiting',
      extension: /^\.[a-z0-9]{1,8}$/.test(extension) ? extension : '.bin',
      upload: uploadId,
    });
    await this.events.importClip(clip.id);
    await this.events.changed(clip.id);
  }

  async rename(id: string, name: string): Promise<ClipView> {
    const clip = await this.find(id);
    await clip.update({ name });
    await this.events.changed(id);
    return clipView(clip);
  }

  /** Takes a clip out of sight; its files stay until they are purged, so that this can be undone. */
  async remove(id: string): Promise<void> {
    const clip = await this.find(id);
    await clip.destroy();
    if (clip.state !== 'ready' && clip.upload) await this.dropUpload(clip.upload);
    await this.events.changed(id);
  }

  async restore(id: string): Promise<ClipView> {
    const clip = await Clip.findByPk(id, { paranoid: false });
    if (!clip?.deletedAt) throw notFound(id);
    const twin = clip.hash ? await Clip.findOne({ where: { hash: clip.hash } }) : null;
    if (twin) return clipView(twin);
    await clip.restore();
    await this.events.changed(id);
    return clipView(clip);
  }

  /** Path of a derived file of a clip. @throws AppError `not_ready` while it is being made. */
  async derived(id: string, kind: 'proxy' | 'strip'): Promise<string> {
    const clip = await this.find(id);
    if (clip.state !== 'ready' || !clip.hash) {
      throw new AppError('not_ready', 'This clip is still being read. Wait until it is ready.');
    }
    return kind === 'proxy' ? this.files.proxy(clip.hash) : this.files.strip(clip.hash);
  }

  private async find(id: string): Promise<Clip> {
    const clip = await Clip.findByPk(id);
    if (!clip) throw notFound(id);
    return clip;
  }

  private async dropUpload(upload: string): Promise<void> {
    for (const name of [upload, `${upload}.json`]) await rm(join(this.files.incoming, name), { force: true });
  }
}

const notFound = (id: string): AppError =>
  new AppError('not_found', `There is no clip ${id}. It may have been deleted.`);

/** A name to show: no path, no control characters, not too long. */
export function cleanName(name: string): string {
  const base = name.split(/[\\/]/).pop() ?? '';
  // eslint-disable-next-line no-control-regex
  const clean = base.replace(/[\u0000-\u001f\u007f]/g, '').trim();
  return clean.slice(0, MAX_NAME) || 'clip';
}
