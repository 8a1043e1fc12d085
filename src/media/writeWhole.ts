import { randomUUID } from 'node:crypto';
import { closeSync, fsyncSync, openSync, renameSync, writeSync } from 'node:fs';

/** Writes under a temporary name of its own, flushes and renames: a file that is there is whole, whoever else writes it. */
export function writeWhole(path: string, data: Uint8Array): void {
  const temporary = `${path}.${randomUUID()}.part`;
  const fd = openSync(temporary, 'w');
  try {
    for (let done = 0; done < data.length;) done += writeSync(fd, data, done);
    fsyncSync(fd);
  } finally {
    closeSync(fd);
  }
  renameSync(temporary, path);
}
