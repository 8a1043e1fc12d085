import { createWriteStream } from 'node:fs';
import { mkdir, readdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import yazl from 'yazl';
import { TURN } from './colour.ts';
import { pumpFrames } from './encode.ts';
import type { StoredFormat } from './pixelFormat.ts';
import { rgbFilter } from './picture.ts';
import type { ClipInfo } from './probe.ts';
import { startFfmpeg } from './processes.ts';

export interface PngZipOptions {
  output: string;
  /** Pictures are numbered from `first`, so that a number is a frame of the clip. */
  name: string;
  first: number;
  clip: ClipInfo;
  stored: StoredFormat;
  /** Grey pictures: of a matte. */
  grey?: boolean;
  signal?: AbortSignal;
}

/**
 * Writes upright frames as PNG (8 bit RGB, 16 bit if the clip has more; 8 bit grey of a matte) into one zip, which appears under its name when
 * it is whole.
 */
export async function writePngZip(options: PngZipOptions, next: (frame: number) => Uint8Array): Promise<void> {
  const { output, name, first, clip, stored, grey, signal } = options;
  const folder = `${output}.frames`;
  const part = `${output}.part`;
  await mkdir(folder, { recursive: true });
  try {
    const rgb = stored.format.depth > 8 ? 'rgb48be' : 'rgb24';
    const colour = grey ? ['format=gray'] : [rgbFilter(clip), `format=${rgb}`];
    const filters = [...TURN[clip.rotation], ...colour].join(',');
    const source = ['-f', 'rawvideo', '-pix_fmt', stored.pixelFormat, '-s', `${clip.width}x${clip.height}`];
    const running = startFfmpeg(
      [...source, '-i', 'pipe:0', '-vf', filters, '-start_number', String(first), join(folder, '%06d.png')],
      { input: true, signal },
    );
    await pumpFrames(running, clip.frames, next, signal);
    await zipFolder(folder, part, name, signal);
    await rename(part, output);
  } finally {
    await rm(folder, { recursive: true, force: true });
    await rm(part, { force: true });
  }
}

async function zipFolder(folder: string, output: string, name: string, signal?: AbortSignal): Promise<void> {
  const zip = new yazl.ZipFile();
  // PNG is compressed already.
  for (const file of (await readdir(folder)).sort()) {
    zip.addFile(join(folder, file), `${name}/${name}_${file}`, { compress: false });
  }
  zip.end();
  await pipeline(zip.outputStream, createWriteStream(output), { signal });
}
