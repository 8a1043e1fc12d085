import { parentPort } from 'node:worker_threads';
import { loadKernels } from '../media/kernelFile.ts';
import { PointSession, type PointRequest } from '../media/pointWork.ts';
import type { PointReply } from '../server/services/pointThread.ts';

const port = parentPort!;
const session = new PointSession(loadKernels);
// One answer after the other: what they share is kept for one shot at a time.
let last = Promise.resolve();

port.on('message', ({ id, request }: { id: number; request: PointRequest }) => {
  last = last.then(async () => {
    const reply: PointReply = await session.answer(request).then(
      (outline) => ({ id, outline }),
      (error: unknown) => ({ id, error: String(error instanceof Error ? (error.stack ?? error) : error) }),
    );
    port.postMessage(reply);
  });
});
