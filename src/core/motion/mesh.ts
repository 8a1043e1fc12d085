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

interface Observation {
  from: number;
  to: number;
  ia: Int32Array;
  wa: Float64Array;
  ib: Int32Array;
  wb: Float64Array;
  /** Local turn from → to. */
  turn: Float64Array;
  ex: number;
  ey: number;
  weight: number;
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
    for (const o of seen) scatter(o, -o.weight * o.ex, -o.weight * o.ey, right, diagonal);
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

function observe(links: readonly Link[], poses: Matrix3[], sigma: number, aspect: number): Observation[] {
  const out: Observation[] = [];
  for (const link of links) {
    const { error, turn } = linkResiduals(link, poses);
    const stride = Math.max(1, Math.floor(link.matches.length / 4 / MATCHES_PER_LINK));
    for (let k = 0; k < link.matches.length / 4; k += stride) {
      const [x, y, u, v] = link.matches.subarray(4 * k, 4 * k + 4);
      const o: Observation = {
        from: link.from,
        to: link.to,
        weight: 1,
        ia: new Int32Array(4),
        wa: new Float64Array(4),
        ib: new Int32Array(4),
        wb: new Float64Array(4),
        turn: turn.subarray(4 * k, 4 * k + 4),
        ex: error[2 * k],
        ey: error[2 * k + 1],
      };
      meshCell(x, y, aspect, o.ia, o.wa);
      meshCell(u, v, aspect, o.ib, o.wb);
      o.weight = gemanMcClure(o.ex ** 2 + o.ey ** 2, 9 * sigma * sigma);
      out.push(o);
    }
  }
  return out;
}

/** What the mesh adds to an observation's error: turn·mesh_from(x) − mesh_to(u). */
function effect(o: Observation, mesh: Float64Array): [number, number] {
  let [ax, ay, bx, by] = [0, 0, 0, 0];
  for (let k = 0; k < 4; k++) {
    const a = 2 * (o.from * NODES + o.ia[k]);
    const b = 2 * (o.to * NODES + o.ib[k]);
    ax += o.wa[k] * mesh[a];
    ay += o.wa[k] * mesh[a + 1];
    bx += o.wb[k] * mesh[b];
    by += o.wb[k] * mesh[b + 1];
  }
  return [o.turn[0] * ax + o.turn[1] * ay - bx, o.turn[2] * ax + o.turn[3] * ay - by];
}

function reweigh(seen: Observation[], mesh: Float64Array, sigma: number): void {
  for (const o of seen) {
    const [dx, dy] = effect(o, mesh);
    o.weight = gemanMcClure((o.ex + dx) ** 2 + (o.ey + dy) ** 2, 9 * sigma * sigma);
  }
}

/** Adds the transpose of {@link effect} applied to (x, y); with `diagonal`, also the squares of its entries. */
function scatter(o: Observation, x: number, y: number, out: Float64Array, diagonal?: Float64Array): void {
  const ax = o.turn[0] * x + o.turn[2] * y;
  const ay = o.turn[1] * x + o.turn[3] * y;
  for (let k = 0; k < 4; k++) {
    const a = 2 * (o.from * NODES + o.ia[k]);
    const b = 2 * (o.to * NODES + o.ib[k]);
    out[a] += o.wa[k] * ax;
    out[a + 1] += o.wa[k] * ay;
    out[b] -= o.wb[k] * x;
    out[b + 1] -= o.wb[k] * y;
    if (diagonal) {
      for (const c of [0, 1]) {
        diagonal[a + c] += o.weight * o.wa[k] ** 2;
        diagonal[b + c] += o.weight * o.wb[k] ** 2;
      }
    }
  }
}

function applyMesh(seen: Observation[], count: number, v: Float64Array, out: Float64Array): void {
  for (let i = 0; i < v.length; i++) out[i] = SIZE * v[i];
  for (const o of seen) {
    const [x, y] = effect(o, v);
    scatter(o, o.weight * x, o.weight * y, out);
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
