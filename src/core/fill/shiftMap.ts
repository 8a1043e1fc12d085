import { minCut, NEIGHBOURS, type CutGraph } from '../image/minCut.ts';
import { colourDifference, knownAround, PATCH_REACH, shifted, type Incomplete, type PatchSets } from './patches.ts';

/** What a place costs that would be taken from where nothing is known. */
const FORBIDDEN = 1 << 22;
/** How much what is known around a place counts, against a seam. */
const BORDER_TIMES = 2;
/** Neighbours that a node has a seam with; two of them are to the right and below. */
const FOUR = [1, 3, 4, 6];
const [RIGHT, BELOW] = [4, 6];

/**
 * Completes a picture with parts of itself that are shifted, by few shifts, so that the seams are seen least: labels of a
 * grid (Pritch et al. 2009, "Shift-map image editing"), by cuts that let one shift at a time take what it is better at
 * (expansion moves, Boykov, Veksler & Zabih 2001).
 *
 * @param shifts - dx0 dy0 dx1 dy1 …, px: from what is missing to where it is taken from.
 * @returns For each patch that touches something missing the number of its shift; −1 where none leads to a known patch.
 */
export function shiftMap(picture: Incomplete, sets: PatchSets, shifts: readonly number[]): Int32Array {
  return new ShiftMap(picture, sets, shifts).run();
}

/**
 * How badly a shift fits what is known in the patch around a pixel: the sum of squared differences.
 *
 * @param known - The known pixels of that patch.
 */
export function fitCost(
  picture: Incomplete,
  { source }: PatchSets,
  pixel: number,
  known: readonly number[],
  dx: number,
  dy: number,
): number {
  if (shifted(picture, source, pixel, dx, dy) < 0) return FORBIDDEN;
  const step = dy * picture.width + dx;
  let sum = 0;
  for (const i of known) sum += colourDifference(picture.colour, i, i + step);
  return ((BORDER_TIMES * sum) / (2 * PATCH_REACH + 1)) | 0;
}

/** How much a seam is seen between two neighbouring pixels that are taken from two steps away. */
export function seamCost(colour: Float32Array, p: number, q: number, s: number, t: number): number {
  // None (NaN | 0) where a step leads out of the picture: what that costs the pixel is more than any seam.
  return (colourDifference(colour, p + s, p + t) + colourDifference(colour, q + s, q + t)) | 0;
}

class ShiftMap {
  private readonly w: number;
  private readonly colour: Float32Array;
  /** Pixel of each node, and node of each pixel (−1 = none). */
  private readonly pixels: Int32Array;
  private readonly nodes: Int32Array;
  /** Shifts, as steps in the picture; and what each node pays for each: node · count + label. */
  private readonly count: number;
  private readonly steps: Int32Array;
  private readonly costs: Int32Array;
  /** The shift of each node. */
  private readonly labels: Int32Array;
  /** Of each node, while a shift is tried, its number among those that may take it; −1 = none. */
  private readonly place: Int32Array;

  constructor(
    private readonly picture: Incomplete,
    private readonly sets: PatchSets,
    private readonly shifts: readonly number[],
  ) {
    const { width, height, colour } = picture;
    [this.w, this.colour, this.count] = [width, colour, shifts.length / 2];
    this.nodes = new Int32Array(width * height).fill(-1);
    const pixels: number[] = [];
    sets.target.forEach((wanted, i) => {
      if (wanted === 1) this.nodes[i] = pixels.push(i) - 1;
    });
    this.pixels = Int32Array.from(pixels);
    this.steps = Int32Array.from({ length: this.count }, (_, k) => shifts[2 * k + 1] * width + shifts[2 * k]);
    this.costs = this.costsOf();
    this.labels = Int32Array.from(pixels, (_, n) => this.cheapest(n));
    this.place = new Int32Array(pixels.length).fill(-1);
  }

  run(): Int32Array {
    for (let label = 0; label < this.count; label++) this.expand(label);
    // Once more, those that were of use: what they lost to others by then may be theirs after all.
    for (const label of [...new Set(this.labels)].sort((a, b) => a - b)) this.expand(label);
    const out = new Int32Array(this.nodes.length).fill(-1);
    this.pixels.forEach((pixel, n) => {
      if (this.may(n, this.labels[n])) out[pixel] = this.labels[n];
    });
    return out;
  }

  /** Whether something is known where a shift leads a node. */
  private may(n: number, label: number): boolean {
    return this.costs[n * this.count + label] < FORBIDDEN;
  }

  private costsOf(): Int32Array {
    const { count, pixels, shifts, sets } = this;
    const out = new Int32Array(pixels.length * count);
    for (let n = 0; n < pixels.length; n++) {
      const known = knownAround(this.picture, pixels[n]);
      for (let k = 0; k < count; k++) {
        out[n * count + k] = fitCost(this.picture, sets, pixels[n], known, shifts[2 * k], shifts[2 * k + 1]);
      }
    }
    return out;
  }

  private cheapest(n: number): number {
    const { costs, count } = this;
    let best = 0;
    for (let k = 1; k < count; k++) if (costs[n * count + k] < costs[n * count + best]) best = k;
    return best;
  }

  /** How much a seam is seen between two neighbouring pixels that are taken by two shifts. */
  private seam(p: number, q: number, a: number, b: number): number {
    if (a === b) return 0;
    const [s, t] = [this.steps[a], this.steps[b]];
    return seamCost(this.colour, p, q, s, t);
  }

  /** Lets one shift take all nodes at which that is better. */
  private expand(label: number): void {
    const { pixels, labels } = this;
    const movable: number[] = [];
    for (let n = 0; n < pixels.length; n++) if (labels[n] !== label && this.may(n, label)) movable.push(n);
    const takes = minCut(this.graphOf(label, movable));
    for (let k = 0; k < movable.length; k++) if (takes[k] === 1) labels[movable[k]] = label;
  }

  /** Nodes that end with the source take the shift. */
  private graphOf(label: number, movable: readonly number[]): CutGraph {
    const { pixels, nodes, labels, costs, place, count, w } = this;
    const graph: CutGraph = {
      neighbours: new Int32Array(movable.length * 8).fill(-1),
      capacities: new Int32Array(movable.length * 8),
      terminals: new Int32Array(movable.length),
    };
    const { neighbours, capacities, terminals } = graph;
    for (let k = 0; k < movable.length; k++) place[movable[k]] = k;
    for (let k = 0; k < movable.length; k++) {
      const n = movable[k];
      const p = pixels[n];
      terminals[k] += costs[n * count + labels[n]] - costs[n * count + label];
      for (const slot of FOUR) {
        // Targets keep off the border: no neighbour lies in another row.
        const q = p + NEIGHBOURS[slot][1] * w + NEIGHBOURS[slot][0];
        const m = nodes[q];
        if (m < 0) continue;
        const j = place[m];
        // A neighbour that cannot take the shift stays as it is; of two that can, the first sees to both.
        if (j >= 0 && slot !== RIGHT && slot !== BELOW) continue;
        const both = this.seam(p, q, labels[n], labels[m]);
        const mine = this.seam(p, q, label, labels[m]);
        terminals[k] += both - mine;
        if (j < 0) continue;
        const other = this.seam(p, q, labels[n], label);
        terminals[j] += mine;
        neighbours[k * 8 + slot] = j;
        neighbours[j * 8 + 7 - slot] = k;
        capacities[j * 8 + 7 - slot] = other + mine > both ? other + mine - both : 0;
      }
    }
    for (const n of movable) place[n] = -1;
    return graph;
  }
}
