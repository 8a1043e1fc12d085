// A process that computes one take for the command line, and ends with it: see `computeApart`.
import { toSend } from '../media/sentError.ts';
import { TakeWork } from '../media/take.ts';
import type { ApartOptions, FromProcess, ToProcess } from './computeApart.ts';

const stop = new AbortController();
const say = (message: FromProcess, then = (): void => undefined): void => void process.send!(message, then);

// A key that interrupts goes to all processes of a terminal: the one that is waited for decides.
process.on('SIGINT', () => undefined);
// Nobody waits any more.
process.on('disconnect', () => process.exit(1));

process.on('message', (message: ToProcess) => {
  if (message === 'stop') stop.abort();
  else void compute(message.options);
});

async function compute(options: ApartOptions): Promise<void> {
  say(await answerTo(options), () => process.exit(0));
}

async function answerTo(options: ApartOptions): Promise<FromProcess> {
  try {
    const work = new TakeWork({ ...options, signal: stop.signal, onProgress: (progress) => say({ progress }) });
    return { result: await work.fill().finally(() => work.close()) };
  } catch (error) {
    return { error: toSend(error) };
  }
}
