import type { Matrix3 } from '../geometry/homography.ts';
import { conjugateGradients } from '../geometry/linear.ts';
import { gemanMcClure } from './fitMotion.ts';
import type { Link } from './links.ts';
import { linkResiduals } from './solve.ts';

/** Nodes of the residual mesh, across and down. */
export const MESH_COLS = 17;
export const MESH_ROWS = 11;
const NODES = MESH_COLS * MESH_ROWS;

/** Price of bending, and of any displacement at all, against one match's squared error. */
const BENDING = 30;
const SIZE = 0.02;
/** A frame's mesh resembles its neighbours': lens errors stay, a rolling shutter's change. */
const TEMPORAL = 4;
const ITERATIONS = 25;
const ROUNDS = 2;
/** Matches of a link that are used at most. */
const MATCHES_PER_LINK = 80;

/** Weights of the four nodes around a place in unit space (|y| ≤ `aspect`). */
export function meshCell(x: number, y: number, aspect: number, index: Int32Array, weight: Float64Array): void {
  const gx = Math.min(MESH_COLS - 1.001, Math.max(0, ((x + 1) / 2) * (MESH_COLS - 1)));
  const gy = Math.min(MESH_ROWS - 1.001, Math.max(0, ((y / aspect + 1) / 2) * (MESH_ROWS - 1)));
  const ix = Math.floor(gx);
  const iy = Math.floor(gy);
  const [u, v] = [gx - ix, gy - iy];
  index[0] = iy * MESH_COLS + ix;
  index[1] = index[0] + 1;
  index[2] = index[0] + MESH_COLS;
  index[3] = index[2] + 1;
  weight[0] = (1 - u) * (1 - v);
  weight[1] = u * (1 - v);
  weight[2] = (1 - u) * v;
  weight[3] = u * v;
}

/** Matches of links, one after the other in plain arrays: a long shot has half a million of them. */
interface Observations {
  n: number;
  /** Eight per match: where the displacements of the nodes around it lie in a mesh, four of the one frame, four of the other. */
  nodes: Int32Array;
  /** The weights of these. */
  shares: Float64Array;
  /** Local turn from the one frame to the other, four per match. */
  turn: Float64Array;
  /** What the poses leave over, two per match. */
  error: Float64Array;
  weight: Float64Array;
}

/**
 * Smooth per-frame displacements that explain what homographies leave over: lens distortion, rolling shutter, a little
 * parallax. Robust least squares over all links with a bending price (Wahba 1990, thin-plate regression, on a grid).
 * A place x of frame t is to be corrected to x + mesh_t(x) before its pose is applied.
 *
 * @param sigma - Scale of an honest match's error, unit space.
 * @returns count·MESH_ROWS·MESH_COLS·2 displacements, unit space.
 */
export function solveMesh(
  count: number,
  links: readonly Link[],
  poses: Matrix3[],
  sigma: number,
  aspect: number,
): Float32Array {
  const seen = observe(links, poses, sigma, aspect);
  let mesh = new Float64Array(count * NODES * 2);
  for (let round = 0; round < ROUNDS; round++) {
    reweigh(seen, mesh, sigma);
    const right = new Float64Array(mesh.length);
    const diagonal = new Float64Array(mesh.length).fill(SIZE + 20 * BENDING + 2 * TEMPORAL);
    const { error, weight } = seen;
    for (let i = 0; i < seen.n; i++) {
      scatter(seen, i, -weight[i] * error[2 * i], -weight[i] * error[2 * i + 1], right);
      addSquares(seen, i, diagonal);
    }
    mesh = conjugateGradients(
      (v, out) => applyMesh(seen, count, v, out),
      (v, out) => {
        for (let i = 0; i < v.length; i++) out[i] = v[i] / diagonal[i];
      },
      right,
      ITERATIONS,
      1e-4,
    ) as Float64Array<ArrayBuffer>;
  }
  return Float32Array.from(mesh);
}

function observe(links: readonly Link[], poses: Matrix3[], sigma: number, aspect: number): Observations {
  const strides = links.map(({ matches }) => Math.max(1, Math.floor(matches.length / 4 / MATCHES_PER_LINK)));
  const n = links.reduce((sum, { matches }, l) => sum + Math.ceil(matches.length / 4 / strides[l]), 0);
  const out: Observations = {
    n,
    nodes: new Int32Array(8 * n),
    shares: new Float64Array(8 * n),
    turn: new Float64Array(4 * n),
    error: new Float64Array(2 * n),
    weight: new Float64Array(n),
  };
  const [index, share] = [new Int32Array(4), new Float64Array(4)];
  const place = (at: number, frame: number, x: number, y: number): void => {
    meshCell(x, y, aspect, index, share);
    for (let k = 0; k < 4; k++) out.nodes[at + k] = 2 * (frame * NODES + index[k]);
    out.shares.set(share, at);
  };
  let i = 0;
  links.forEach((link, l) => {
    const { error, turn } = linkResiduals(link, poses);
    for (let k = 0; k < link.matches.length / 4; k += strides[l], i++) {
      place(8 * i, link.from, link.matches[4 * k], link.matches[4 * k + 1]);
      place(8 * i + 4, link.to, link.matches[4 * k + 2], link.matches[4 * k + 3]);
      out.turn.set(turn.subarray(4 * k, 4 * k + 4), 4 * i);
      const [ex, ey] = [error[2 * k], error[2 * k + 1]];
      out.error.set([ex, ey], 2 * i);
      out.weight[i] = gemanMcClure(ex ** 2 + ey ** 2, 9 * sigma * sigma);
    }
  });
  return out;
}

/** What the mesh adds to the error of a match: turn·mesh_from(x) − mesh_to(u). @param out - Gets the two values. */
function effect({ nodes, shares, turn }: Observations, i: number, mesh: Float64Array, out: Float64Array): void {
  let [ax, ay, bx, by] = [0, 0, 0, 0];
  for (let k = 8 * i; k < 8 * i + 4; k++) {
    const a = nodes[k];
    const b = nodes[k + 4];
    ax += shares[k] * mesh[a];
    ay += shares[k] * mesh[a + 1];
    bx += shares[k + 4] * mesh[b];
    by += shares[k + 4] * mesh[b + 1];
  }
  const t = 4 * i;
  out[0] = turn[t] * ax + turn[t + 1] * ay - bx;
  out[1] = turn[t + 2] * ax + turn[t + 3] * ay - by;
}

function reweigh(seen: Observations, mesh: Float64Array, sigma: number): void {
  const { error, weight } = seen;
  const more = new Float64Array(2);
  for (let i = 0; i < seen.n; i++) {
    effect(seen, i, mesh, more);
    const off = (error[2 * i] + more[0]) ** 2 + (error[2 * i + 1] + more[1]) ** 2;
    weight[i] = gemanMcClure(off, 9 * sigma * sigma);
  }
}

/** Adds the transpose of {@link effect} applied to (x, y). */
function scatter({ nodes, shares, turn }: Observations, i: number, x: number, y: number, out: Float64Array): void {
  const t = 4 * i;
  const ax = turn[t] * x + turn[t + 2] * y;
  const ay = turn[t + 1] * x + turn[t + 3] * y;
  for (let k = 8 * i; k < 8 * i + 4; k++) {
    const a = nodes[k];
    const b = nodes[k + 4];
    out[a] += shares[k] * ax;
    out[a + 1] += shares[k] * ay;
    out[b] -= shares[k + 4] * x;
    out[b + 1] -= shares[k + 4] * y;
  }
}

/** Adds the squares of the entries of {@link scatter}, without the turn. */
function addSquares({ nodes, shares, weight }: Observations, i: number, diagonal: Float64Array): void {
  for (let k = 8 * i; k < 8 * i + 8; k++) {
    for (const c of [0, 1]) diagonal[nodes[k] + c] += weight[i] * shares[k] ** 2;
  }
}

function applyMesh(seen: Observations, count: number, v: Float64Array, out: Float64Array): void {
  for (let i = 0; i < v.length; i++) out[i] = SIZE * v[i];
  const error = new Float64Array(2);
  for (let i = 0; i < seen.n; i++) {
    effect(seen, i, v, error);
    scatter(seen, i, seen.weight[i] * error[0], seen.weight[i] * error[1], out);
  }
  for (let t = 0; t < count; t++) {
    const base = t * NODES * 2;
    for (let c = 0; c < 2; c++) addBending(v, out, base + c);
    if (t + 1 === count) continue;
    for (let i = base; i < base + NODES * 2; i++) {
      const d = TEMPORAL * (v[i] - v[i + NODES * 2]);
      out[i] += d;
      out[i + NODES * 2] -= d;
    }
  }
}

/** Gradient of the sum of squared second differences, across, down and mixed. */
function addBending(v: Float64Array, out: Float64Array, base: number): void {
  const row = 2 * MESH_COLS;
  const line = (at: number, step: number): void => {
    const d = BENDING * (v[at - step] - 2 * v[at] + v[at + step]);
    out[at - step] += d;
    out[at] -= 2 * d;
    out[at + step] += d;
  };
  for (let y = 0; y < MESH_ROWS; y++) {
    for (let x = 0; x < MESH_COLS; x++) {
      const at = base + y * row + 2 * x;
      if (x > 0 && x + 1 < MESH_COLS) line(at, 2);
      if (y > 0 && y + 1 < MESH_ROWS) line(at, row);
      if (x + 1 < MESH_COLS && y + 1 < MESH_ROWS) {
        const d = 2 * BENDING * (v[at] - v[at + 2] - v[at + row] + v[at + row + 2]);
        out[at] += d;
        out[at + 2] -= d;
        out[at + row] -= d;
        out[at + row + 2] += d;
      }
    }
  }
}
