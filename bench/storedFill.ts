import { readFile } from 'node:fs/promises';
import { FILL_DEFAULTS } from '../src/core/fill/settings.ts';
import { TakeWork, type WorkOptions } from '../src/media/take.ts';

/** Frames and mattes that are stored already, and where the take goes. */
export type StoredWork = Pick<WorkOptions, 'frames' | 'mattes' | 'count' | 'folder'>;

// usage: node dist/bench/storedFill.js JOB.json
// Computes a full take of stored frames, as a process of its own so that its time can be told.
const work = new TakeWork({
  ...(JSON.parse(await readFile(process.argv[2], 'utf8')) as StoredWork),
  settings: FILL_DEFAULTS,
});
await work.fill().finally(() => work.close());
