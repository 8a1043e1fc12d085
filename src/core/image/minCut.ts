/**
 * Least cut between a source and a sink on a grid of eight neighbours, by augmenting along two search trees that are kept from
 * one path to the next (Boykov & Kolmogorov 2004, "An experimental comparison of min-cut/max-flow algorithms"; marks of distance
 * and time as in their implementation notes).
 */

/** Neighbours of a node, in the order of their slots: slot d of a node and slot 7 − d of its neighbour are the two ways of an edge. */
export const NEIGHBOURS = [
  [-1, -1],
  [0, -1],
  [1, -1],
  [-1, 0],
  [1, 0],
  [-1, 1],
  [0, 1],
  [1, 1],
] as const;
const SLOTS = 8;

/** Tree of a node. */
const FREE = 0;
const SOURCE = 1;
const SINK = 2;
/** Parents that are no slot. */
const TERMINAL = 8;
const ORPHAN = 9;
const NONE = 10;

export interface CutGraph {
  /** 8 per node: index of the neighbour, −1 for none. */
  neighbours: Int32Array;
  /** 8 per node: capacity of the way to that neighbour, ≥ 0; 0 where there is none. Overwritten by what is left of it. */
  capacities: Int32Array;
  /** Per node: capacity from the source (above 0) or to the sink (below 0). Overwritten. */
  terminals: Int32Array;
}

/** @returns 1 per node that stays with the source, 0 for the others. */
export function minCut(graph: CutGraph): Uint8Array {
  return new Search(graph).run();
}

class Search {
  private readonly tree: Uint8Array;
  private readonly parent: Uint8Array;
  /** Distance from the terminal, and when that was last known to hold. */
  private readonly distance: Int32Array;
  private readonly stamp: Int32Array;
  private time = 0;
  private readonly queued: Uint8Array;
  private readonly queue: Int32Array;
  private head = 0;
  private waiting = 0;
  private readonly orphans: number[] = [];
  private readonly neighbours: Int32Array;
  private readonly capacities: Int32Array;
  private readonly terminals: Int32Array;
  private readonly count: number;

  constructor({ neighbours, capacities, terminals }: CutGraph) {
    const n = terminals.length;
    [this.neighbours, this.capacities, this.terminals, this.count] = [neighbours, capacities, terminals, n];
    this.tree = new Uint8Array(n);
    this.parent = new Uint8Array(n).fill(NONE);
    this.distance = new Int32Array(n);
    this.stamp = new Int32Array(n);
    this.queued = new Uint8Array(n);
    this.queue = new Int32Array(n);
  }

  run(): Uint8Array {
    const { terminals, tree, parent, distance } = this;
    for (let i = 0; i < this.count; i++) {
      if (terminals[i] === 0) continue;
      tree[i] = terminals[i] > 0 ? SOURCE : SINK;
      parent[i] = TERMINAL;
      distance[i] = 1;
      this.activate(i);
    }
    while (this.waiting > 0) {
      const node = this.queue[this.head];
      const slot = tree[node] === FREE ? NONE : this.growFrom(node);
      if (slot === NONE) {
        this.head = this.head + 1 === this.count ? 0 : this.head + 1;
        this.waiting--;
        this.queued[node] = 0;
        continue;
      }
      // The node stays at the head of the queue: it may reach other ends yet.
      this.time++;
      this.augment(node, slot);
      this.adoptAll();
    }
    return tree.map((t) => (t === SOURCE ? 1 : 0));
  }

  private activate(node: number): void {
    if (this.queued[node]) return;
    this.queued[node] = 1;
    const end = this.head + this.waiting++;
    this.queue[end >= this.count ? end - this.count : end] = node;
  }

  /** Takes free neighbours into the tree. @returns The slot of a neighbour in the other tree, or NONE. */
  private growFrom(node: number): number {
    const { neighbours, capacities, tree, parent, distance, stamp } = this;
    const own = tree[node];
    for (let d = 0; d < SLOTS; d++) {
      const next = neighbours[node * SLOTS + d];
      if (next < 0) continue;
      const open = own === SOURCE ? capacities[node * SLOTS + d] : capacities[next * SLOTS + 7 - d];
      if (open === 0) continue;
      if (tree[next] === FREE) {
        tree[next] = own;
        parent[next] = 7 - d;
        distance[next] = distance[node] + 1;
        stamp[next] = stamp[node];
        this.activate(next);
      } else if (tree[next] !== own) {
        return d;
      } else if (stamp[next] <= stamp[node] && distance[next] > distance[node]) {
        // A shorter way to the terminal.
        parent[next] = 7 - d;
        stamp[next] = stamp[node];
        distance[next] = distance[node] + 1;
      }
    }
    return NONE;
  }

  /** Sends as much as fits along the path through the edge at `slot` of `node`. */
  private augment(node: number, slot: number): void {
    const { neighbours, capacities, tree } = this;
    const other = neighbours[node * SLOTS + slot];
    const [from, to] = tree[node] === SOURCE ? [node, other] : [other, node];
    const middle = tree[node] === SOURCE ? from * SLOTS + slot : from * SLOTS + 7 - slot;
    const back = tree[node] === SOURCE ? to * SLOTS + 7 - slot : to * SLOTS + slot;
    const flow = Math.min(capacities[middle], this.leastToRoot(from, true), this.leastToRoot(to, false));
    capacities[middle] -= flow;
    capacities[back] += flow;
    this.pushToRoot(from, flow, true);
    this.pushToRoot(to, flow, false);
  }

  private leastToRoot(start: number, source: boolean): number {
    const { neighbours, capacities, terminals, parent } = this;
    let least = Infinity;
    let node = start;
    for (; parent[node] !== TERMINAL;) {
      const d = parent[node];
      const up = neighbours[node * SLOTS + d];
      const open = source ? capacities[up * SLOTS + 7 - d] : capacities[node * SLOTS + d];
      if (open < least) least = open;
      node = up;
    }
    return Math.min(least, source ? terminals[node] : -terminals[node]);
  }

  private pushToRoot(start: number, flow: number, source: boolean): void {
    const { neighbours, capacities, terminals, parent } = this;
    let node = start;
    for (; parent[node] !== TERMINAL;) {
      const d = parent[node];
      const up = neighbours[node * SLOTS + d];
      const [down, upward] = [up * SLOTS + 7 - d, node * SLOTS + d];
      const [with_, against] = source ? [down, upward] : [upward, down];
      capacities[with_] -= flow;
      capacities[against] += flow;
      if (capacities[with_] === 0) this.orphan(node);
      node = up;
    }
    terminals[node] += source ? -flow : flow;
    if (terminals[node] === 0) this.orphan(node);
  }

  private orphan(node: number): void {
    this.parent[node] = ORPHAN;
    this.orphans.push(node);
  }

  private adoptAll(): void {
    for (let node = this.orphans.pop(); node !== undefined; node = this.orphans.pop()) this.adopt(node);
  }

  /** Finds the nearest new parent for a node, or sets it free. */
  private adopt(node: number): void {
    const { neighbours, capacities, tree, parent, distance, stamp } = this;
    const own = tree[node];
    let [best, nearest] = [NONE, Infinity];
    for (let d = 0; d < SLOTS; d++) {
      const next = neighbours[node * SLOTS + d];
      if (next < 0 || tree[next] !== own) continue;
      const open = own === SOURCE ? capacities[next * SLOTS + 7 - d] : capacities[node * SLOTS + d];
      if (open === 0) continue;
      const away = this.distanceToRoot(next);
      if (away < nearest) [best, nearest] = [d, away];
    }
    if (best !== NONE) {
      parent[node] = best;
      distance[node] = nearest + 1;
      stamp[node] = this.time;
      return;
    }
    for (let d = 0; d < SLOTS; d++) {
      const next = neighbours[node * SLOTS + d];
      if (next < 0 || tree[next] !== own) continue;
      const open = own === SOURCE ? capacities[next * SLOTS + 7 - d] : capacities[node * SLOTS + d];
      if (open > 0) this.activate(next);
      if (parent[next] === 7 - d) this.orphan(next);
    }
    tree[node] = FREE;
    parent[node] = NONE;
  }

  /** Steps from a node to its terminal, Infinity if its tree was cut off from it. */
  private distanceToRoot(start: number): number {
    const { neighbours, parent, distance, stamp, time } = this;
    let steps = 0;
    let node = start;
    for (;;) {
      if (stamp[node] === time) {
        steps += distance[node];
        break;
      }
      const d = parent[node];
      steps++;
      if (d === TERMINAL) {
        stamp[node] = time;
        distance[node] = 1;
        break;
      }
      if (d >= ORPHAN) return Infinity;
      node = neighbours[node * SLOTS + d];
    }
    // What was learnt on the way is kept.
    let left = steps;
    for (node = start; stamp[node] !== time; node = neighbours[node * SLOTS + parent[node]]) {
      stamp[node] = time;
      distance[node] = left--;
    }
    return steps;
  }
}
