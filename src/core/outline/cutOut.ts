import { CHANNELS } from './colourModel.ts';
import { minCut, NEIGHBOURS } from './minCut.ts';
import type { PictureCut } from './pictureCut.ts';

/** What is settled about a px. */
export const OPEN = 0;
export const THING = 1;
export const OTHER = 2;

/** Whole numbers per unit of cost: the cut is computed on those. */
const UNITS = 1000;
/** Most that colours and movement may say about one px. */
const MOST = 1000;

/**
 * Parts a picture into a thing and what is around it: px by px what is dearer costs, and edges in the picture are where a border
 * is cheap (Boykov & Jolly 2001).
 *
 * @param lean - Per px: cost of belonging to the thing less that of not belonging to it.
 * @param settled - Per px: OPEN, THING or OTHER; settled px keep what they are, and pull on their neighbours.
 * @param smooth - Cost of a border between two like px.
 * @returns 1 per px of the thing.
 */
export function cutOut(cut: PictureCut, lean: Float32Array, settled: Uint8Array, smooth: number): Uint8Array {
  const { width: w, height: h } = cut;
  const nodes = new Int32Array(w * h).fill(-1);
  const open: number[] = [];
  for (let i = 0; i < nodes.length; i++) if (settled[i] === OPEN) nodes[i] = open.push(i) - 1;
  const neighbours = new Int32Array(open.length * 8).fill(-1);
  const capacities = new Int32Array(open.length * 8);
  const terminals = new Int32Array(open.length);
  const border = borderCosts(cut, smooth);
  open.forEach((i, n) => {
    const [x, y] = [i % w, Math.floor(i / w)];
    let pull = -UNITS * Math.max(-MOST, Math.min(MOST, lean[i]));
    for (let d = 0; d < 8; d++) {
      const [u, v] = [x + NEIGHBOURS[d][0], y + NEIGHBOURS[d][1]];
      if (u < 0 || v < 0 || u >= w || v >= h) continue;
      const j = v * w + u;
      const cost = UNITS * border(i, j, d);
      if (nodes[j] < 0) {
        pull += settled[j] === THING ? cost : -cost;
      } else {
        neighbours[n * 8 + d] = nodes[j];
        capacities[n * 8 + d] = Math.round(cost);
      }
    }
    terminals[n] = Math.round(pull);
  });
  const side = minCut({ neighbours, capacities, terminals });
  return Uint8Array.from(settled, (s, i) => (s === OPEN ? side[nodes[i]] : s === THING ? 1 : 0));
}

/** Cost of a border between two neighbours, by their difference against the usual one of the picture. */
function borderCosts({ width: w, height: h, colours }: PictureCut, smooth: number) {
  let [sum, n] = [0, 0];
  for (let y = 0; y + 1 < h; y += 2) {
    for (let x = 0; x + 1 < w; x += 2) {
      const i = y * w + x;
      sum += difference(colours, i, i + 1) + difference(colours, i, i + w);
      n += 2;
    }
  }
  const sharpness = (n * 0.5) / Math.max(sum, n);
  return (i: number, j: number, slot: number): number =>
    (smooth * Math.exp(-sharpness * difference(colours, i, j))) /
    (NEIGHBOURS[slot][0] && NEIGHBOURS[slot][1] ? Math.SQRT2 : 1);
}

function difference(colours: Float32Array, i: number, j: number): number {
  const [p, q] = [i * CHANNELS, j * CHANNELS];
  return (
    (colours[p] - colours[q]) ** 2 + (colours[p + 1] - colours[q + 1]) ** 2 + (colours[p + 2] - colours[q + 2]) ** 2
  );
}
