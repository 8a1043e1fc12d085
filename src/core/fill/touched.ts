import { median } from '../geometry/linear.ts';
import { components } from '../image/components.ts';
import type { FrameFormat } from '../image/format.ts';
import type { Gathered } from './gathered.ts';
import { offsetGrid } from './offsetGrid.ts';
import { cellDifferences } from './smoothField.ts';
import { bytesOf } from '../image/mapped.ts';

/** A cell shows something else than the background beyond so many times what is usual, and so many 8-bit levels. */
const TIMES = 5;
const LEVELS = 10;
/** Px that tell of a cell, and cells side by side that make somebody. */
const LEAST_PX = 16;
const LEAST_CELLS = 8;
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;

/**
 * Whether something is seen beside the hole that other frames do not show: somebody passes behind it, or before it.
 * @param rim - 1 for the luma px on which both are known.
 */
export function isTouched(gathered: Gathered, rim: Uint8Array, format: FrameFormat): boolean {
  const { region, own, planes } = gathered;
  const { cols, rows } = offsetGrid(region);
  const unlike = new Float32Array(cols * rows);
  let known: number[] = [];
  planes.forEach((behind, p) => {
    const { sum, weight } = cellDifferences(region, format, p, own[p], behind, rim);
    if (p === 0) known = [...weight.keys()].filter((i) => weight[i] >= LEAST_PX);
    const times = p === 0 || format.rgb ? 1 : CHROMA_TIMES;
    for (const i of known) if (weight[i] > 0) unlike[i] += times * Math.abs(sum[i] / weight[i]);
  });
  if (known.length === 0) return false;
  const usual = median(known.map((i) => unlike[i]));
  const least = Math.max(TIMES * usual, LEVELS * 2 ** (format.depth - 8));
  const strange = bytesOf(unlike, (v) => (v > least ? 1 : 0));
  const parts = components(strange, cols, rows);
  return parts.some((cells) => cells.length >= LEAST_CELLS);
}
