import { Worker } from 'node:worker_threads';
import { AppError } from '../../core/errors.ts';
import type { PointRequest } from '../../media/pointWork.ts';

export interface PointReply {
  id: number;
  outline?: number[];
  error?: string;
}

const ENTRY = new URL('../../workers/pointThread.js', import.meta.url);

interface Waiting {
  resolve(outline: number[]): void;
  reject(error: Error): void;
}

/** A thread that answers what is pointed at, so that the server goes on answering everything else. Begun when first asked. */
export class PointThread {
  private worker: Worker | undefined;
  private readonly waiting = new Map<number, Waiting>();
  private next = 0;

  /** @throws AppError `outline_failed`. */
  ask(request: PointRequest): Promise<number[]> {
    const worker = (this.worker ??= this.begin());
    return new Promise((resolve, reject) => {
      const id = this.next++;
      this.waiting.set(id, { resolve, reject });
      worker.postMessage({ id, request });
    });
  }

  private begin(): Worker {
    const worker = new Worker(ENTRY);
    // It must not keep the server alive.
    worker.unref();
    worker.on('message', ({ id, outline, error }: PointReply) => {
      const asked = this.waiting.get(id);
      this.waiting.delete(id);
      if (outline) asked?.resolve(outline);
      else asked?.reject(failure(error));
    });
    worker.on('error', (error) => {
      this.worker = undefined;
      for (const { reject } of this.waiting.values()) reject(failure(String(error)));
      this.waiting.clear();
    });
    return worker;
  }
}

const failure = (reason: string | undefined): AppError =>
  new AppError('outline_failed', 'The outline could not be computed. Point again, or draw it.', { reason });
