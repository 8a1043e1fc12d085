import { readFile } from 'node:fs/promises';
import { trimKeys } from '../contract/trim.ts';
import { trimFile } from '../contract/documentSchema.ts';
import { AppError } from '../core/errors.ts';
import type { TrimKey } from '../core/fill/trim.ts';

/**
 * Hand trims of a fill from a file, see docs/formats.md; px of the frames as stored.
 * @throws AppError `no_file`, `bad_trim`.
 */
export async function readTrim(path: string): Promise<TrimKey[]> {
  const text = await readFile(path, 'utf8').catch(() => {
    throw new AppError('no_file', `There is no file ${path} that can be read.`);
  });
  const { value, error } = trimFile.validate(parsed(text));
  if (error) throw new AppError('bad_trim', `${path}: ${error.message}. docs/formats.md says what a trim is.`);
  return trimKeys(value);
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
