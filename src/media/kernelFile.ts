import { readFile } from 'node:fs/promises';
import { Kernels } from '../kernels/index.ts';

/** Compiled kernels, found beside the built program. */
const WASM = new URL(
  import.meta.url.includes('/dist/') ? '../kernels/kernels.wasm' : '../../dist/src/kernels/kernels.wasm',
  import.meta.url,
);

export async function loadKernels(bytes?: number): Promise<Kernels> {
  return Kernels.create(await readFile(WASM), bytes);
}
