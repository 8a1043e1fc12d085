import { spawn, type ChildProcess } from 'node:child_process';
import { AppError } from '../core/errors.ts';

/** ffmpeg and ffprobe may read files and pipes and nothing else: footage must not make them open addresses. */
export const QUIET = ['-nostdin', '-hide_banner', '-loglevel', 'error'];
export const FILES_ONLY = ['-protocol_whitelist', 'file,pipe'];

/** Frames are given back to the system one by one: kept in pieces those of a large picture would take 80 MiB more (malloc(3)). */
const WHOLE_FRAMES = { MALLOC_MMAP_THRESHOLD_: String(1 << 20) };

const LOG_TAIL = 4000;
const PIPE_TIMEOUT_MS = 60_000;

/** A running program: its process, and a promise that fails with what it printed if it does not end well. */
export interface Running {
  process: ChildProcess;
  done: Promise<void>;
}

interface StartOptions {
  /** Whether something is written to its standard input. */
  input?: boolean;
  signal?: AbortSignal;
  /** Told the number of frames written, if the arguments hold `-progress pipe:1`. */
  progress?: (frame: number) => void;
}

/** Starts ffmpeg. */
export function startFfmpeg(args: string[], options: StartOptions = {}): Running {
  const child = spawn('ffmpeg', [...QUIET.slice(options.input ? 1 : 0), '-y', ...args], {
    stdio: [options.input ? 'pipe' : 'ignore', options.progress ? 'pipe' : 'ignore', 'pipe'],
    signal: options.signal,
    killSignal: 'SIGKILL',
    env: { ...process.env, ...WHOLE_FRAMES },
  });
  if (options.progress) {
    child.stdout!.on('data', (chunk: Buffer) => {
      // Several reports can come at once: the last one counts.
      const frame = [...chunk.toString().matchAll(/frame=\s*(\d+)/g)].at(-1);
      if (frame) options.progress!(Number(frame[1]));
    });
  }
  return { process: child, done: ended(child, 'ffmpeg') };
}

function ended(child: ChildProcess, name: string): Promise<void> {
  let log = '';
  child.stderr?.on('data', (chunk: Buffer) => {
    log = (log + chunk.toString()).slice(-LOG_TAIL);
  });
  const done = new Promise<void>((resolve, reject) => {
    child.once('error', (error: NodeJS.ErrnoException) => {
      reject(error.code === 'ENOENT' ? new AppError('program_missing', `${name} is not installed.`) : error);
    });
    child.once('close', (code, signal) => {
      if (code === 0) resolve();
      // Nothing is wrong with the file, as far as anybody knows: that must not be said of it.
      else if (signal) reject(stopped(name, signal, log));
      else reject(new AppError('media_failed', firstLine(log) || `${name} ended with ${code}`, { log }));
    });
  });
  // Whoever awaits `done` hears of a failure; before that it must not count as unhandled.
  done.catch(() => undefined);
  return done;
}

/** Runs ffmpeg on bytes given to its standard input, and returns what it writes to its standard output. */
export async function pipeThroughFfmpeg(
  args: string[],
  input: Uint8Array | undefined,
  signal?: AbortSignal,
): Promise<Buffer> {
  const child = spawn('ffmpeg', [...QUIET.slice(input ? 1 : 0), ...args], {
    stdio: [input ? 'pipe' : 'ignore', 'pipe', 'pipe'],
    signal,
    timeout: PIPE_TIMEOUT_MS,
    killSignal: 'SIGKILL',
  });
  const chunks: Buffer[] = [];
  child.stdout!.on('data', (chunk: Buffer) => chunks.push(chunk));
  // A broken pipe is reported by the program's own end.
  child.stdin?.on('error', () => undefined).end(input);
  await ended(child, 'ffmpeg');
  return Buffer.concat(chunks);
}

const stopped = (name: string, signal: NodeJS.Signals, log: string): AppError =>
  new AppError(
    'program_stopped',
    `${name} was stopped before its end (${signal}): memory is short, or it took too long. Close what is not needed and try again.`,
    { log },
  );

const firstLine = (log: string): string => log.trim().split('\n')[0] ?? '';

/** Runs ffprobe and returns what it prints. */
export async function ffprobe(args: string[], timeoutMs = 60_000): Promise<string> {
  const child = spawn('ffprobe', ['-hide_banner', '-loglevel', 'error', ...FILES_ONLY, ...args], {
    stdio: ['ignore', 'pipe', 'pipe'],
    timeout: timeoutMs,
    killSignal: 'SIGKILL',
  });
  const chunks: Buffer[] = [];
  child.stdout.on('data', (chunk: Buffer) => chunks.push(chunk));
  await ended(child, 'ffprobe');
  return Buffer.concat(chunks).toString();
}
