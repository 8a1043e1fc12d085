import type { Stays } from '../core/fixed/stays.ts';
import type { CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { Parts } from './parts.ts';
import { leaveBarsAlone, settleStays, type BarredFilm } from './staysWork.ts';
import { inStretches, type EngineThreads } from './threads.ts';

/** Reads the mattes of a work into the tables that its threads share. */
export class MattesWork {
  /** What of the film is left alone. */
  stays: Stays = {};

  constructor(
    private readonly threads: EngineThreads,
    private readonly parts: Parts,
    private readonly film: BarredFilm & { onProgress: (done: number) => void },
  ) {}

  async read(): Promise<void> {
    this.stays = { bars: await leaveBarsAlone(this.threads, this.parts, this.film) };
    await this.fillTables();
  }

  /** Looks again what is left alone, once it is known how the camera moves. */
  async settle(camera: CameraMotionData): Promise<void> {
    const { bars } = this.stays;
    this.stays = await settleStays(this.threads, this.parts, camera, bars);
    if (this.stays.fixed || this.stays.bars !== bars) await this.fillTables();
  }

  private async fillTables(): Promise<void> {
    const { count, onProgress } = this.film;
    const read = (range: { first: number; last: number }): Promise<[]> =>
      this.threads.run('readMattes', range).then(() => []);
    await inStretches(count, Math.ceil(count / (this.threads.count * 2)), read, onProgress);
  }
}
