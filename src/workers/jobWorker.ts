import { readConfig } from '../server/config.ts';
import { Files } from '../server/files.ts';
import { purge } from '../server/jobs/purge.ts';
import { runWorker } from '../server/jobs/queue.ts';
import { FrameStores } from '../server/services/frameStores.ts';
import { openDatabase } from '../server/store/database.ts';

/** How often what was deleted long enough ago is removed for good, ms. */
const PURGE_EVERY_MS = 60_000;

const config = readConfig();
const files = new Files(config.data);
await files.prepare();
const database = openDatabase(config.databaseUrl);
const worker = await runWorker(config.databaseUrl, {
  files,
  stores: new FrameStores(files.stores, config.storeBudget),
});
const tidy = (): void =>
  void purge(files, config.keepDeleted).catch((error: unknown) => process.stderr.write(`purge: ${String(error)}\n`));
const purging = setInterval(tidy, PURGE_EVERY_MS);
process.send?.('ready');

let stopping = false;
// A queue that lost the database with a job in its hands ends, and does not come back by itself: the host starts another worker,
// which takes up what this one did.
void worker.ended.then(giveUp, giveUp);
process.on('unhandledRejection', giveUp);

function giveUp(reason: unknown): void {
  if (stopping) return;
  process.stderr.write(
    `worker: ${reason instanceof Error ? reason.message : 'the queue has ended'}; it starts again\n`,
  );
  process.exit(1);
}

async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  clearInterval(purging);
  await worker.stop();
  await database.close();
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
