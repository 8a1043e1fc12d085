import { randomUUID } from 'node:crypto';
import { existsSync, readFileSync, renameSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { deserialize, serialize } from 'node:v8';
import { writeWhole } from './writeWhole.ts';
import { isRunning } from './alive.ts';

/** A part of a work. It depends on what it is given alone, so that it does not matter who computes it. */
export interface Part<T> {
  /** Unlike that of every other part of the work. */
  name: string;
  compute(): Promise<T>;
}

/** Who computes the parts of a work. */
export interface Parts {
  /** @returns Results in the order of the parts. */
  all<T>(parts: readonly Part<T>[], onDone?: () => void): Promise<T[]>;
}

/** All of it is computed here, and nothing is kept. */
export const partsAlone: Parts = {
  all: (parts, onDone) =>
    Promise.all(
      parts.map(async ({ compute }) => {
        const result = await compute();
        onDone?.();
        return result;
      }),
    ),
};

/** How often a claim is touched, and after how long without it its holder counts as dead, ms. */
const BEAT_MS = 2000;
const DEAD_AFTER_MS = 30_000;
/** How often it is looked whether what others compute is there, ms. */
const LOOK_MS = 100;

/** Those of this process that hold a claim: after a restart another process may have its number. */
const holders = new Set<string>();

/**
 * Parts of a work whose results are files of one folder (`NAME.bin`, written whole): what is there is not computed again, and
 * any number of processes on any hosts that share the folder compute them together. Whoever takes a part claims it first
 * (`NAME.claim`, which only one can make) and touches the claim while it lives. A claim of the dead is taken away; should two
 * compute the same part after all, both write the same bits.
 */
export class SharedParts implements Parts {
  private readonly me = `${hostname()} ${process.pid} ${randomUUID()}`;
  private readonly held = new Set<string>();
  private readonly watched = new Map<string, { beat: number; since: number }>();
  private heart: NodeJS.Timeout | undefined;

  /**
   * @param atOnce - Parts that are claimed at a time: as many as can be computed, and one that waits.
   * @param deadAfter - ms
   */
  constructor(
    private readonly folder: string,
    private readonly atOnce: number,
    private readonly signal?: AbortSignal,
    private readonly deadAfter = DEAD_AFTER_MS,
  ) {}

  async all<T>(parts: readonly Part<T>[], onDone?: () => void): Promise<T[]> {
    const results: T[] = new Array<T>(parts.length);
    const open = new Set(parts.keys());
    let failed = false;
    const settle = (index: number, result: T): void => {
      results[index] = result;
      onDone?.();
    };
    const work = async (): Promise<void> => {
      while (open.size > 0 && !failed) {
        this.signal?.throwIfAborted();
        const found = this.next(parts, open);
        if (!found) {
          await delay(LOOK_MS, undefined, { signal: this.signal });
          continue;
        }
        open.delete(found.index);
        settle(found.index, found.done ? this.read(parts[found.index].name) : await this.compute(parts[found.index]));
      }
    };
    const careful = (): Promise<void> =>
      work().catch((error: unknown) => {
        failed = true;
        throw error;
      });
    await Promise.all(Array.from({ length: Math.min(this.atOnce, parts.length) }, careful));
    return results;
  }

  /** A part that is done, or that is ours to compute from now on; nothing if all that is open is with others. */
  private next<T>(parts: readonly Part<T>[], open: Set<number>): { index: number; done: boolean } | undefined {
    for (const index of open) {
      const { name } = parts[index];
      if (this.isDone(name)) return { index, done: true };
      if (!this.claim(name)) continue;
      // Whoever had claimed it may have finished it between the two looks.
      if (!this.isDone(name)) return { index, done: false };
      this.release(name);
      return { index, done: true };
    }
    return undefined;
  }

  private async compute<T>({ name, compute }: Part<T>): Promise<T> {
    try {
      const result = await compute();
      writeWhole(this.path(name, 'bin'), serialize(result));
      return result;
    } finally {
      this.release(name);
    }
  }

  private path(name: string, kind: 'bin' | 'claim'): string {
    return join(this.folder, `${name}.${kind}`);
  }

  private isDone(name: string): boolean {
    return existsSync(this.path(name, 'bin'));
  }

  private read<T>(name: string): T {
    return deserialize(readFileSync(this.path(name, 'bin'))) as T;
  }

  private claim(name: string): boolean {
    const path = this.path(name, 'claim');
    try {
      writeFileSync(path, this.me, { flag: 'wx' });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      if (this.isOfTheDead(path)) takeAway(path);
      return false;
    }
    this.held.add(path);
    holders.add(this.me);
    this.heart ??= setInterval(() => this.beat(), BEAT_MS).unref();
    return true;
  }

  private release(name: string): void {
    const path = this.path(name, 'claim');
    this.held.delete(path);
    this.watched.delete(path);
    rmSync(path, { force: true });
    if (this.held.size > 0) return;
    holders.delete(this.me);
    clearInterval(this.heart);
    this.heart = undefined;
  }

  private beat(): void {
    for (const path of this.held) {
      try {
        utimesSync(path, new Date(), new Date());
      } catch {
        // Taken away from us: the part is computed twice, which does no harm.
      }
    }
  }

  /** Whether who holds a claim is gone. Clocks of hosts differ: it is dead if its beat stands still while ours goes on. */
  private isOfTheDead(path: string): boolean {
    let holder: string, beat: number;
    try {
      holder = readFileSync(path, 'utf8');
      beat = statSync(path).mtimeMs;
    } catch {
      return false;
    }
    const [host, pid] = holder.split(' ');
    if (host === hostname() && !isAlive(holder, Number(pid))) return true;
    const seen = this.watched.get(path);
    if (seen?.beat === beat) return performance.now() - seen.since > this.deadAfter;
    this.watched.set(path, { beat, since: performance.now() });
    return false;
  }
}

/** Renamed first, which only one of several can do. */
function takeAway(path: string): void {
  const gone = `${path}.${randomUUID()}`;
  try {
    renameSync(path, gone);
  } catch {
    return;
  }
  rmSync(gone, { force: true });
}

const isAlive = (holder: string, pid: number): boolean => (pid === process.pid ? holders.has(holder) : isRunning(pid));
