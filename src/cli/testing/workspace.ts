import { spawn, spawnSync, type ChildProcess, type SpawnSyncReturns } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const MNESTRA = new URL('../../../bin/mnestra.js', import.meta.url).pathname;

/** A folder of a test's own, in which the command line, as it is built, and ffmpeg are run. */
export class Workspace {
  readonly folder = mkdtempSync(join(tmpdir(), 'mnestra-cli-'));

  /** @returns The path of a file in the folder; a whole path is left as it is. */
  at(name: string): string {
    return name.startsWith('/') ? name : join(this.folder, name);
  }

  /** Runs the command line to its end, however that is. */
  mnestra(...args: string[]): SpawnSyncReturns<Buffer> {
    return spawnSync('node', [MNESTRA, ...args], { env: this.#surroundings() });
  }

  /** Begins to run the command line. */
  start(...args: string[]): ChildProcess {
    return spawn('node', [MNESTRA, ...args], { env: this.#surroundings() });
  }

  /** Runs the command line. @throws Error with what it said when it does not succeed. */
  run(...args: string[]): void {
    const { status, stderr } = this.mnestra(...args);
    if (status !== 0) throw new Error(String(stderr));
  }

  /** Runs ffmpeg. @returns What it writes to its standard output. @throws Error with what it said when it does not succeed. */
  ffmpeg(...args: string[]): Buffer {
    return this.#ffmpeg(args);
  }

  /** @returns The samples of all frames of a video, one after the other, as ffmpeg's pixel format `pix` orders them. */
  samples(name: string, pix: string, filter = 'null'): Buffer {
    return this.ffmpeg('-i', this.at(name), '-vf', filter, '-f', 'rawvideo', '-pix_fmt', pix, '-');
  }

  /** Writes frames of such samples as a video without loss, 25 frames per second. */
  write(name: string, samples: Uint8Array, [width, height]: [number, number], pix: string, ...codec: string[]): void {
    const raw = ['-f', 'rawvideo', '-pix_fmt', pix, '-s', `${width}x${height}`, '-r', '25', '-i', 'pipe:0'];
    this.#ffmpeg([...raw, ...codec, '-c:v', 'ffv1', this.at(name)], samples);
  }

  /** Writes a grey video whose samples are given by frame and place. */
  writeGrey(
    name: string,
    [width, height]: [number, number],
    frames: number,
    sample: (t: number, x: number, y: number) => number,
  ): void {
    const film = new Uint8Array(width * height * frames);
    for (let t = 0, i = 0; t < frames; t++) {
      for (let y = 0; y < height; y++) for (let x = 0; x < width; x++, i++) film[i] = sample(t, x, y);
    }
    this.write(name, film, [width, height], 'gray');
  }

  /** @returns The names of the working folders that the command line has here at the moment. */
  scratch(): string[] {
    return readdirSync(this.folder).filter((name) => name.startsWith('mnestra-'));
  }

  remove(): void {
    rmSync(this.folder, { recursive: true, force: true });
  }

  #surroundings(): NodeJS.ProcessEnv {
    return { ...process.env, MNESTRA_SCRATCH: this.folder };
  }

  #ffmpeg(args: string[], input?: Uint8Array): Buffer {
    const { status, stdout, stderr } = spawnSync(
      'ffmpeg',
      [...(input ? [] : ['-nostdin']), '-loglevel', 'error', '-y', ...args],
      { input, maxBuffer: 1 << 28 },
    );
    if (status !== 0) throw new Error(String(stderr));
    return stdout;
  }
}
