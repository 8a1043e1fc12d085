import { parentPort, workerData } from 'node:worker_threads';
import { EngineSession } from '../media/engineSession.ts';
import type { SessionJob } from '../media/engineTasks.ts';
import { loadKernels } from '../media/kernelFile.ts';
import { toSend } from '../media/sentError.ts';
import type { ThreadMessage, ThreadReply } from '../media/threads.ts';

const port = parentPort!;
const session = loadKernels().then((kernels) => new EngineSession(kernels, workerData as SessionJob));

port.on('message', (message: ThreadMessage) => {
  void session.then((s) => {
    try {
      const task = s[message.task] as (this: EngineSession, arg: unknown) => unknown;
      port.postMessage({ id: message.id, result: task.call(s, message.arg) } satisfies ThreadReply);
    } catch (error) {
      port.postMessage({ id: message.id, error: toSend(error) } satisfies ThreadReply);
    }
  });
});
