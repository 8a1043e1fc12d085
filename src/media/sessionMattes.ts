import { type Bars } from '../core/image/bars.ts';
import type { FrameReader } from '../core/image/format.ts';
import type { BlockedAt } from '../core/motion/links.ts';
import { BarredMattes } from './barredMattes.ts';
import type { SessionJob } from './engineTasks.ts';
import { RawStore } from './rawStore.ts';

/** The mattes of a job, if it has any, and the bars along the sides of its film. */
export class SessionMattes {
  private store?: RawStore;
  /** Px of the mattes. */
  bars?: Bars;
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
    return this.bars ? new BarredMattes(this.store, this.bars) : this.store;
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
