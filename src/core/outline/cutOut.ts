import { CHANNELS } from './colourModel.ts';
import { minCut, NEIGHBOURS, type CutGraph } from '../image/minCut.ts';
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
  const graph: CutGraph = {
    neighbours: new Int32Array(open.length * 8).fill(-1),
    capacities: new Int32Array(open.length * 8),
    terminals: new Int32Array(open.length),
  };
  const borders = new BorderCosts(cut, smooth * UNITS);
  for (let n = 0; n < open.length; n++) {
    const i = open[n];
    const x = i % w;
    const y = (i - x) / w;
    let pull = -UNITS * Math.max(-MOST, Math.min(MOST, lean[i]));
    for (let d = 0; d < 8; d++) {
      const [u, v] = [x + ACROSS[d], y + DOWN[d]];
      if (u < 0 || v < 0 || u >= w || v >= h) continue;
      const j = v * w + u;
      const cost = borders.between(i, j, d);
      if (nodes[j] < 0) {
        pull += settled[j] === THING ? cost : -cost;
      } else {
        graph.neighbours[n * 8 + d] = nodes[j];
        graph.capacities[n * 8 + d] = cost;
      }
    }
    graph.terminals[n] = Math.round(pull);
  }
  const side = minCut(graph);
  const out = new Uint8Array(w * h);
  for (let i = 0; i < out.length; i++) out[i] = nodes[i] < 0 ? (settled[i] === THING ? 1 : 0) : side[nodes[i]];
  return out;
}

const ACROSS = NEIGHBOURS.map(([dx]) => dx);
const DOWN = NEIGHBOURS.map(([, dy]) => dy);
const ASLANT = NEIGHBOURS.map(([dx, dy]) => dx !== 0 && dy !== 0);

/** Steps of the exponent for which the costs are worked out once, and the largest exponent. */
const STEPS = 64;
const LARGEST = 8;

/** Whole-number cost of a border between two neighbours, by their difference against the usual one of the picture. */
class BorderCosts {
  private readonly straight: Int32Array;
  private readonly aslant: Int32Array;
  private readonly sharpness: number;
  private readonly colours: Float32Array;
  private readonly apart?: Float32Array;

  constructor({ width: w, height: h, colours, difference: apart }: PictureCut, cost: number) {
    this.colours = colours;
    this.apart = apart;
    let [sum, n] = [0, 0];
    for (let y = 0; y + 1 < h; y += 4) {
      for (let x = 0; x + 1 < w; x += 4) {
        const i = y * w + x;
        sum += this.edge(i, i + 1) + this.edge(i, i + w);
        n += 2;
      }
    }
    this.sharpness = (n * 0.5 * STEPS) / Math.max(sum, n);
    this.straight = new Int32Array(STEPS * LARGEST + 1);
    this.aslant = this.straight.map((_, k) => Math.round((cost * Math.exp(-k / STEPS)) / Math.SQRT2));
    this.straight = this.straight.map((_, k) => Math.round(cost * Math.exp(-k / STEPS)));
  }

  between(i: number, j: number, slot: number): number {
    const k = Math.min(STEPS * LARGEST, Math.round(this.sharpness * this.edge(i, j)));
    return ASLANT[slot] ? this.aslant[k] : this.straight[k];
  }

  /** An edge of the background goes on in the picture, but not in what differs from it; the thing's border is in both. */
  private edge(i: number, j: number): number {
    const shown = difference(this.colours, i, j);
    return this.apart ? Math.min(shown, difference(this.apart, i, j)) : shown;
  }
}

function difference(colours: Float32Array, i: number, j: number): number {
  const [p, q] = [i * CHANNELS, j * CHANNELS];
  const a = colours[p] - colours[q];
  const b = colours[p + 1] - colours[q + 1];
  const c = colours[p + 2] - colours[q + 2];
  return a * a + b * b + c * c;
}
