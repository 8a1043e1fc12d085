import { releaseProxy, transfer, wrap, type Remote } from 'comlink';
import type { Painter } from './painter.ts';

export interface PainterLink {
  painter: Remote<Painter>;
  /** Ends the thread and all that it holds. */
  close(): void;
}

/** Starts the thread that draws. */
export function openPainter(): PainterLink {
  const thread = new Worker(new URL('./painterThread.ts', import.meta.url), { type: 'module' });
  const painter = wrap<Painter>(thread);
  return {
    painter,
    close() {
      painter[releaseProxy]();
      thread.terminate();
    },
  };
}

/** Hands a canvas over to the thread: from then on only it draws there. @throws Error if it cannot. */
export async function handOver(painter: Remote<Painter>, canvas: HTMLCanvasElement): Promise<void> {
  if (!('transferControlToOffscreen' in canvas)) {
    throw new Error('This browser cannot draw the picture: it is too old to do so in a thread of its own.');
  }
  const offscreen = canvas.transferControlToOffscreen();
  await painter.start(transfer(offscreen, [offscreen]));
}
