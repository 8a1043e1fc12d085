import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { existsSync } from 'node:fs';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { AppError } from '../core/errors.ts';
import { ffprobe, pipeThroughFfmpeg, startFfmpeg } from './processes.ts';

let folder: string;
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'mnestra-processes-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

const failure = (promise: Promise<unknown>): Promise<AppError> =>
  promise.then(
    () => {
      throw new Error('it went well');
    },
    (error: AppError) => error,
  );
/** A film of some seconds, made as slowly as it plays. */
const SLOW = ['-re', '-f', 'lavfi', '-i', 'testsrc2=s=64x48:r=25:d=30'];

describe('ffmpeg', () => {
  it('says how far it is, and ends', async () => {
    const frames: number[] = [];
    const out = join(folder, 'ten.mkv');
    const args = ['-progress', 'pipe:1', '-f', 'lavfi', '-i', 'testsrc2=s=64x48:r=25:d=0.4', '-c:v', 'ffv1', out];
    await startFfmpeg(args, { progress: (frame) => frames.push(frame) }).done;
    expect(frames.at(-1)).toBe(10);
    expect(existsSync(out)).toBe(true);
  });

  it('fails with the first line of what it printed, and the whole of it in the log', async () => {
    const error = await failure(startFfmpeg(['-i', join(folder, 'nothing.mp4'), '-f', 'null', '-']).done);
    expect(error).toMatchObject({ code: 'media_failed' });
    expect(error.message).toMatch(/nothing\.mp4/);
    expect(error.message).not.toContain('\n');
  });

  it('is killed when it is no longer wanted', async () => {
    const controller = new AbortController();
    const { process: child, done } = startFfmpeg([...SLOW, '-f', 'null', '-'], { signal: controller.signal });
    const ended = failure(done);
    controller.abort();
    expect((await ended).name).toBe('AbortError');
    expect(
      child.signalCode ?? (await new Promise((resolve) => child.once('close', (_, signal) => resolve(signal)))),
    ).toBe('SIGKILL');
  });

  it('that nobody waits for does not bring the program down', async () => {
    const { process: child } = startFfmpeg(['-i', join(folder, 'nothing.mp4'), '-f', 'null', '-']);
    await new Promise((resolve) => child.once('close', resolve));
    // A turn for the rejection to arrive in.
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(child.exitCode).not.toBe(0);
  });
});

describe('bytes through ffmpeg', () => {
  const grey = (width: number, height: number): string[] => [
    '-f',
    'rawvideo',
    '-pix_fmt',
    'gray',
    '-s',
    `${width}x${height}`,
  ];

  it('come out as they are asked for', async () => {
    const args = [...grey(4, 2), '-i', 'pipe:0', '-vf', 'hflip', '-f', 'rawvideo', 'pipe:1'];
    const out = await pipeThroughFfmpeg(args, Uint8Array.of(1, 2, 3, 4, 5, 6, 7, 8));
    expect([...out]).toEqual([4, 3, 2, 1, 8, 7, 6, 5]);
  });

  it('may be more than it wants to read', async () => {
    const much = new Uint8Array(8_000_000);
    const args = [...grey(4, 2), '-i', 'pipe:0', '-frames:v', '1', '-f', 'rawvideo', 'pipe:1'];
    expect(await pipeThroughFfmpeg(args, much)).toHaveLength(8);
  });

  it('that are no picture are refused', async () => {
    const error = await failure(
      pipeThroughFfmpeg(['-f', 'png_pipe', '-i', 'pipe:0', '-f', 'null', '-'], Buffer.from('hello')),
    );
    expect(error).toMatchObject({ code: 'media_failed' });
  });
});

describe('ffprobe', () => {
  it('prints what it is asked for', async () => {
    const file = join(folder, 'probe.mkv');
    await startFfmpeg(['-f', 'lavfi', '-i', 'testsrc2=s=64x48:r=25:d=0.2', '-c:v', 'ffv1', file]).done;
    expect((await ffprobe(['-show_entries', 'stream=width,height', '-of', 'csv=p=0', file])).trim()).toBe('64,48');
  });

  it('opens files and nothing else', async () => {
    expect((await failure(ffprobe(['http://127.0.0.1:9/film.mp4']))).message).toMatch(/whitelist/i);
    const list = join(folder, 'list.m3u8');
    await writeFile(list, '#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:9/part.ts\n#EXT-X-ENDLIST\n');
    expect(await failure(ffprobe(['-show_streams', list]))).toMatchObject({ code: 'media_failed' });
  });

  it('is given up after its time', async () => {
    const began = Date.now();
    const error = await failure(ffprobe(['-f', 'lavfi', '-show_frames', 'testsrc2=s=640x480:r=25:d=100000'], 300));
    expect(error).toMatchObject({ code: 'program_stopped' });
    expect(error.message).toMatch(/SIGKILL/);
    expect(Date.now() - began).toBeLessThan(30_000);
  });
});
