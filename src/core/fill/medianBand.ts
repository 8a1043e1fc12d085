import type { Kernels } from '../../kernels/index.ts';
import type { BandBuffers } from './bandBuffers.ts';

/** Medians of a band instead of its means: of all sources that see a px, in the light that they were brought to. */

/** Luma; the sources' values have their light already. */
export function medianOfLuma(kernels: Kernels, band: BandBuffers, sources: number): void {
  const n = band.lumaSamples;
  const values = kernels.f32(band.values[0], n * sources);
  const usable = kernels.u8(band.usable, n * sources);
  const out = kernels.f32(band.mean, n);
  const seen = new Float32Array(sources);
  for (let i = 0; i < n; i++) {
    let count = 0;
    for (let k = 0; k < sources; k++) if (usable[k * n + i]) seen[count++] = values[k * n + i];
    if (count > 0) out[i] = medianOf(seen, count);
  }
}

/** A chroma plane. @param params - Gain, offset and weight per source. */
export function medianOfChroma(
  kernels: Kernels,
  band: BandBuffers,
  sources: number,
  plane: number,
  params: readonly number[],
  width: number,
  stepX: number,
  stepY: number,
): void {
  const [n, luma] = [band.samples[plane], band.lumaSamples];
  const values = kernels.f32(band.values[plane], n * sources);
  const usable = kernels.u8(band.usable, luma * sources);
  const out = kernels.f32(band.mean, n);
  const seen = new Float32Array(sources);
  for (let i = 0; i < n; i++) {
    const x = i % width;
    const at = ((i - x) / width) * stepY * width * stepX + x * stepX;
    let count = 0;
    for (let k = 0; k < sources; k++) {
      if (usable[k * luma + at]) seen[count++] = params[3 * k] * values[k * n + i] + params[3 * k + 1];
    }
    if (count > 0) out[i] = medianOf(seen, count);
  }
}

function medianOf(values: Float32Array, count: number): number {
  const sorted = values.subarray(0, count).sort();
  const middle = count >> 1;
  return count % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}
