import type { Rect } from './format.ts';

/** Means of luma px under the samples of a plane. @param stepX, stepY - Luma px per sample, which the size is a multiple of. */
export function shrunkMeans(
  values: Float32Array,
  { width, height }: Pick<Rect, 'width' | 'height'>,
  stepX: number,
  stepY: number,
): Float32Array {
  if (stepX === 1 && stepY === 1) return values;
  const across = width / stepX;
  const out = new Float32Array((across * height) / stepY);
  for (let i = 0; i < out.length; i++) {
    const first = Math.floor(i / across) * stepY * width + (i % across) * stepX;
    let sum = 0;
    for (let v = first; v < first + stepY * width; v += width) for (let u = v; u < v + stepX; u++) sum += values[u];
    out[i] = sum / (stepX * stepY);
  }
  return out;
}
