import type { Bars } from '../core/image/bars.ts';
import { leaveBarsAlone, type BarredFilm } from './barsWork.ts';
import type { Parts } from './parts.ts';
import { inStretches, type EngineThreads } from './threads.ts';

/** Reads the mattes of a work into the tables that its threads share. */
export class MattesWork {
  /** Along the sides of the film, which are left alone; px of the mattes. */
  bars?: Bars;

  constructor(
    private readonly threads: EngineThreads,
    private readonly parts: Parts,
    private readonly film: BarredFilm & { onProgress: (done: number) => void },
  ) {}

  async read(): Promise<void> {
    this.bars = await leaveBarsAlone(this.threads, this.parts, this.film);
    await this.fillTables();
  }

  /** Before a camera that rests bars are like any background: a black sky above a straight roof is not to be taken for one. */
  async forgetBars(): Promise<void> {
    if (!this.bars) return;
    this.bars = undefined;
    await this.threads.all('setBars', undefined);
    await this.fillTables();
  }

  private async fillTables(): Promise<void> {
    const { count, onProgress } = this.film;
    const read = (range: { first: number; last: number }): Promise<[]> =>
      this.threads.run('readMattes', range).then(() => []);
    await inStretches(count, Math.ceil(count / (this.threads.count * 2)), read, onProgress);
  }
}
