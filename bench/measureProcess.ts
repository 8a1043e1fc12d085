import { spawn } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';

/** What a command and all that it started used. */
export interface Usage {
  cpuSeconds: number;
  wallSeconds: number;
  /** Largest sum of resident memory of all its processes, MiB (sampled). */
  peakMiB: number;
  /**
   * How many times as fast as one its threads are where each has a core of its own, by CPU time: that of the first thread and
   * of as many of the busiest others as there are cores, over that of the first and the busiest one. What the runtime
   * does beside them (compiling, collecting garbage) is left out, and so is what the command started.
   */
  threadsWorth: number;
}

/** The command line. */
export const MNESTRA = new URL('../src/cli/main.js', import.meta.url).pathname;

const TICKS_PER_SECOND = 100;
const SAMPLE_MS = 40;

/** Runs a command to its end. @throws if it fails. */
export async function measureProcess(command: string, args: string[]): Promise<Usage> {
  const before = childTicks();
  const started = process.hrtime.bigint();
  const child = spawn(command, args, { stdio: ['ignore', 'ignore', 'pipe'] });
  let log = '';
  child.stderr.on('data', (chunk: Buffer) => (log += chunk.toString()));
  let peak = 0;
  const threads = new Map<string, number>();
  const timer = setInterval(() => {
    peak = Math.max(peak, treeKiB(child.pid!));
    noteThreads(child.pid!, threads);
  }, SAMPLE_MS);
  const code = await new Promise<number | null>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', resolve);
  }).finally(() => clearInterval(timer));
  if (code !== 0) throw new Error(`${command} ${args.join(' ')} ended with ${code}: ${log}`);
  return {
    cpuSeconds: (childTicks() - before) / TICKS_PER_SECOND,
    wallSeconds: Number(process.hrtime.bigint() - started) / 1e9,
    peakMiB: peak / 1024,
    threadsWorth: worthOf(threads, String(child.pid)),
  };
}

function worthOf(threads: ReadonlyMap<string, number>, main: string): number {
  const own = threads.get(main) ?? 0;
  const others = [...threads].flatMap(([id, ticks]) => (id === main ? [] : [ticks])).sort((a, b) => b - a);
  const all = others.slice(0, availableParallelism()).reduce((sum, ticks) => sum + ticks, own);
  return all / Math.max(1, own + (others[0] ?? 0));
}

/** Runs commands of the command line on one clip and its matte. */
export const mnestraOn =
  ({ clip, matte }: { clip: string; matte: string }) =>
  (...args: string[]): Promise<Usage> =>
    measureProcess('node', [MNESTRA, ...args, '--quiet', '--input', clip, '--matte', matte]);

/** The least that any fill must do: ffmpeg decodes the clip and encodes it as FFV1. */
export const floorOf = (clip: string, output: string): Promise<Usage> =>
  measureProcess('ffmpeg', [
    ...['-nostdin', '-loglevel', 'error', '-y', '-i', clip, '-map', '0:v'],
    ...['-c:v', 'ffv1', '-level', '3', output],
  ]);

/** CPU time of all ended children of this process and of theirs (proc(5): cutime, cstime). */
function childTicks(): number {
  const fields = afterName(readFileSync('/proc/self/stat', 'utf8'));
  return Number(fields[13]) + Number(fields[14]);
}

/** Fields of a stat line from the third on. */
const afterName = (stat: string): string[] => stat.slice(stat.lastIndexOf(')') + 2).split(' ');

/** Notes the CPU time of a process' threads; those that have ended keep what they had. */
function noteThreads(pid: number, ticks: Map<string, number>): void {
  try {
    for (const id of readdirSync(`/proc/${pid}/task`)) {
      const fields = afterName(readFileSync(`/proc/${pid}/task/${id}/stat`, 'utf8'));
      ticks.set(id, Number(fields[11]) + Number(fields[12]));
    }
  } catch {
    // It, or the thread, ended between the listing and the reading.
  }
}

function treeKiB(root: number): number {
  const parents = new Map<number, number>();
  for (const name of readdirSync('/proc')) {
    if (!/^\d+$/.test(name)) continue;
    try {
      parents.set(Number(name), Number(afterName(readFileSync(`/proc/${name}/stat`, 'utf8'))[1]));
    } catch {
      // It ended between the listing and the reading.
    }
  }
  const inTree = (pid: number): boolean => pid === root || (parents.has(pid) && pid > 1 && inTree(parents.get(pid)!));
  let sum = 0;
  for (const pid of parents.keys()) {
    if (!inTree(pid)) continue;
    try {
      sum += Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0);
    } catch {
      // As above.
    }
  }
  return sum;
}
