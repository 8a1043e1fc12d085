import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { mkdir, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { filterArguments, setRotation } from '../src/media/encode.ts';
import { startFfmpeg, type Running } from '../src/media/processes.ts';
import { LOG_CODES, logCube } from './logCurve.ts';
import { Renderer } from './renderer.ts';
import { frameTime, type Scene, type Shot, type Thing } from './shot.ts';

/** Files of a rendered shot. */
export interface RenderedShot {
  /** As filmed. */
  clip: string;
  /** Without what goes away, before grain; lossless. */
  truth: string;
  /** Grey, lossless: 255 where the film and its truth differ. */
  matte: string;
  /** The truth with grain of its own, through the same camera codec: as good as a fill can honestly be. */
  limit: string;
  /** Lens and pose of each frame. */
  camera: string;
}

export function shotFiles(folder: string, shot: Shot): RenderedShot {
  const file = (suffix: string): string => join(folder, `${shot.name}${suffix}`);
  return {
    clip: file(`.${shot.file}`),
    truth: file('.truth.mkv'),
    matte: file('.matte.mkv'),
    limit: file('.limit.mkv'),
    camera: file('.camera.json'),
  };
}

/** Difference of display levels from which a pixel belongs to the matte wholly, and below which not at all. */
const MATTE_FROM = 0.4;
const MATTE_FULL = 1.6;
/** The matte is widened by this, px: what lies under its edge has been touched by the codec. */
const MATTE_WIDER = 2;

/** Whether a shot lies rendered in a folder; its grain limit is there only if it was asked for. */
export function isRendered(folder: string, shot: Shot, limit: boolean): boolean {
  const files = shotFiles(folder, shot);
  return existsSync(files.camera) && (!limit || existsSync(files.limit));
}

/**
 * Renders a shot as filmed and as it should be, with its true matte and camera.
 * @param limit - Also render the grain limit, which only the bench looks at.
 */
export async function renderShot(
  shot: Shot,
  folder: string,
  limit: boolean,
  onFrame?: (done: number) => void,
): Promise<RenderedShot> {
  await mkdir(folder, { recursive: true });
  const files = shotFiles(folder, shot);
  const renderer = await Renderer.create(shot.lens);
  const scene = shot.build(renderer);
  const writers = await openWriters(shot, files, limit);
  const pictures = {
    work: renderer.picture(),
    common: renderer.picture(),
    filmed: renderer.picture(),
    truth: renderer.picture(),
  };
  for (let n = 0; n < shot.frames; n++) {
    expose(renderer, shot, scene, frameTime(shot, n), pictures);
    const develop = (picture: number, seed?: number): Uint8Array => {
      const bytes = developed(renderer, shot, scene, picture, seed);
      shot.laidOver?.(bytes, shot.lens, n);
      return bytes;
    };
    const filmed = develop(pictures.filmed, 1000 + n);
    const truth = develop(pictures.truth);
    const matte = matteOf(renderer, shot, pictures.filmed, pictures.truth);
    const writing = [writers.clip.write(filmed), writers.truth.write(truth), writers.matte.write(matte)];
    if (writers.limit) writing.push(writers.limit.write(develop(pictures.truth, 500_000 + n)));
    await Promise.all(writing);
    onFrame?.((n + 1) / shot.frames);
  }
  await Promise.all(Object.values(writers).map((w) => w.close()));
  for (const path of [files.clip, files.matte]) await rm(`${path}.times`, { force: true });
  if (shot.log) await writeFile(join(folder, `${shot.name}.cube`), logCube());
  if (shot.rotation) await flagRotation(files.clip, shot.rotation);
  await writeFile(`${files.camera}.part`, JSON.stringify(cameraOf(shot, scene)));
  // The camera file comes last: where it is, the shot is whole.
  await rename(`${files.camera}.part`, files.camera);
  return files;
}

async function flagRotation(path: string, clockwise: number): Promise<void> {
  await setRotation(path, partName(path), clockwise);
  await rename(partName(path), path);
}

/** RGB of a picture as the camera hands it to its codec. @param seed - Of its grain; none without it. */
function developed(
  renderer: Renderer,
  shot: Shot,
  scene: Scene,
  picture: number,
  seed: number | undefined,
): Uint8Array {
  const bytes = renderer.develop(picture, scene.sensor, seed, shot.log);
  if (!shot.log) return bytes;
  const codes = new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.length / 2);
  for (let i = 0; i < codes.length; i++) codes[i] = LOG_CODES[codes[i]];
  return bytes;
}

interface Pictures {
  work: number;
  common: number;
  filmed: number;
  truth: number;
}

/** Sums the sub-frames of one exposure, with and without what goes away. */
function expose(renderer: Renderer, shot: Shot, scene: Scene, time: number, p: Pictures): void {
  renderer.clear(p.filmed);
  renderer.clear(p.truth);
  const pose = (t: number) => scene.pose(t);
  for (let k = 0; k < shot.subframes; k++) {
    const at = time + shot.lens.shutter * ((k + 0.5) / shot.subframes - 0.5);
    const things = scene.things(at);
    const first = things.findIndex((t) => t.kind === 'gone');
    const draw = (list: Thing[], to: number): void => list.forEach((t) => renderer.draw(t.layer, pose, at, to));
    renderer.clear(p.common);
    draw(things.slice(0, first), p.common);
    renderer.copy(p.common, p.work);
    draw(things.slice(first), p.work);
    renderer.add(p.filmed, p.work, 1 / shot.subframes);
    draw(
      things.slice(first).filter((t) => t.kind !== 'gone'),
      p.common,
    );
    renderer.add(p.truth, p.common, 1 / shot.subframes);
  }
  const sigma = scene.defocus?.(time) ?? 0;
  for (const picture of [p.filmed, p.truth]) renderer.blur(picture, p.work, sigma);
}

function matteOf(renderer: Renderer, shot: Shot, filmed: number, truth: number): Uint8Array {
  const { width: w, height: h } = shot.lens;
  const a = renderer.f32(filmed, w * h * 4);
  const b = renderer.f32(truth, w * h * 4);
  const out = new Uint8Array(w * h);
  for (let i = 0; i < out.length; i++) {
    const k = 4 * i;
    const d = 255 * Math.max(Math.abs(a[k] - b[k]), Math.abs(a[k + 1] - b[k + 1]), Math.abs(a[k + 2] - b[k + 2]));
    if (d > MATTE_FROM) out[i] = Math.min(255, Math.round((255 * (d - MATTE_FROM)) / (MATTE_FULL - MATTE_FROM)));
  }
  return widen(widen(out, w, h, 1), w, h, w);
}

/** Running maximum along one direction. */
function widen(values: Uint8Array, w: number, h: number, step: number): Uint8Array {
  const out = values.slice();
  for (let i = 0; i < w * h; i++) {
    if (values[i] === 0) continue;
    for (let k = -MATTE_WIDER; k <= MATTE_WIDER; k++) {
      const j = i + k * step;
      const sameRow = step !== 1 || Math.floor(j / w) === Math.floor(i / w);
      if (j >= 0 && j < out.length && sameRow && out[j] < values[i]) out[j] = values[i];
    }
  }
  return out;
}

class Writer {
  private readonly part: string;
  constructor(
    private readonly running: Running,
    private readonly path: string,
  ) {
    this.part = partName(path);
    running.process.stdin!.on('error', () => undefined);
  }

  async write(data: Uint8Array): Promise<void> {
    const pipe = this.running.process.stdin!;
    if (!pipe.write(data)) await Promise.race([once(pipe, 'drain'), this.running.done]);
  }

  async close(): Promise<void> {
    this.running.process.stdin!.end();
    await this.running.done;
    await rename(this.part, this.path);
  }
}

const partName = (path: string): string => path.replace(/(\.\w+)$/, '.part$1');

async function openWriters(
  shot: Shot,
  files: RenderedShot,
  limit: boolean,
): Promise<Record<'clip' | 'truth' | 'matte', Writer> & { limit?: Writer }> {
  const { width, height } = shot.lens;
  const toYuv = ['scale=out_color_matrix=bt709:out_range=tv'];
  const colour = await filterArguments(toYuv, shot.times, `${files.clip}.times`);
  const grey = await filterArguments([], shot.times, `${files.matte}.times`);
  const open = (path: string, pixels: string, output: string[]): Writer =>
    new Writer(
      startFfmpeg(
        [
          '-f',
          'rawvideo',
          '-pix_fmt',
          pixels,
          '-s',
          `${width}x${height}`,
          '-framerate',
          String(shot.rate),
          '-i',
          'pipe:0',
          ...output,
          partName(path),
        ],
        { input: true },
      ),
      path,
    );
  const rgb = shot.log ? 'rgb48le' : 'rgb24';
  // Log is no display's curve: it goes without a tag for one.
  const curve = shot.log ? [] : ['-color_trc', 'bt709'];
  const bt709 = ['-colorspace', 'bt709', '-color_primaries', 'bt709', ...curve, '-color_range', 'tv'];
  const lossless = ['-c:v', 'ffv1', '-level', '3', '-g', '1'];
  return {
    clip: open(files.clip, rgb, [...colour, ...shot.codec, ...bt709, '-movflags', '+faststart']),
    truth: open(files.truth, rgb, [...colour, ...lossless, '-pix_fmt', shot.log ? 'yuv420p10le' : 'yuv420p', ...bt709]),
    ...(limit && { limit: open(files.limit, rgb, [...colour, ...shot.codec, ...bt709]) }),
    matte: open(files.matte, 'gray', [...grey, ...lossless, '-pix_fmt', 'gray']),
  };
}

function cameraOf(shot: Shot, scene: Scene): unknown {
  return {
    lens: shot.lens,
    rate: shot.rate,
    rotation: shot.rotation ?? 0,
    frames: Array.from({ length: shot.frames }, (_, n) => ({
      time: frameTime(shot, n),
      ...scene.pose(frameTime(shot, n)),
    })),
  };
}
