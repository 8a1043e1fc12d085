import { smallerMask, staysMask, type Stays } from '../core/fixed/stays.ts';
import type { FrameReader } from '../core/image/format.ts';
import type { BlockedAt } from '../core/motion/links.ts';
import type { SessionJob } from './engineTasks.ts';
import { RawStore } from './rawStore.ts';
import { StayingMattes } from './stayingMattes.ts';

/** The mattes of a job, if it has any, and what of its film stays as it is. */
export class SessionMattes {
  private store?: RawStore;
  /** Per px of the mattes, of `staysMask`. */
  private stays?: Uint8Array;
  /** Where they hide the frames of the job. */
  readonly blocked: BlockedAt;

  constructor(private readonly job: SessionJob) {
    this.blocked = blockedIn(job);
  }

  /** @throws Error if the job has none. */
  get reader(): FrameReader {
    const { path, format } = this.job.mattes;
    if (path === undefined) throw new Error('This work was given no mattes.');
    this.store ??= new RawStore(path, format);
    return this.stays ? new StayingMattes(this.store, this.stays) : this.store;
  }

  setStays(stays: Stays): void {
    this.stays = stays.bars || stays.fixed ? staysMask(stays, this.job.mattes.format) : undefined;
  }

  /** What stays, in px of smaller frames. @returns undefined if nothing does. */
  staysIn({ width }: { width: number }): Uint8Array | undefined {
    const { format } = this.job.mattes;
    return this.stays && smallerMask(this.stays, format, Math.ceil(format.width / width));
  }

  close(): void {
    this.store?.close();
  }
}

/** Motion may be measured on smaller frames than the mattes': it is kept in unit space. */
function blockedIn({ cells: { cell, cols, rows, state }, mattes, frames }: SessionJob): BlockedAt {
  const perCell = cell / (mattes.format.width / frames.format.width);
  return (t, x, y) => {
    const c = Math.min(cols - 1, Math.max(0, Math.floor(x / perCell)));
    const r = Math.min(rows - 1, Math.max(0, Math.floor(y / perCell)));
    return state[t * cols * rows + r * cols + c] !== 0;
  };
}
