import { solveField, type FieldShape, type Residuals } from './field.ts';

/** Nodes of the residual mesh, across and down. */
export const MESH_COLS = 17;
export const MESH_ROWS = 11;
const NODES = MESH_COLS * MESH_ROWS;

/** Price of bending, and of any displacement at all, against one match's squared error. */
const BENDING = 30;
const SIZE = 0.02;
/** A frame's mesh resembles its neighbours': lens errors stay, a rolling shutter's change. */
const TEMPORAL = 4;
const ROUNDS = 2;
/** Scales of an honest match's error up to which it counts. */
const HONEST = 3;

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

/** Adds what a mesh says of a place in unit space, as {@link meshCell} weighs its nodes. @param frame - Its number. */
export function addMesh(
  mesh: Float32Array,
  frame: number,
  x: number,
  y: number,
  aspect: number,
  out: { x: number; y: number },
): void {
  const gx = Math.min(MESH_COLS - 1.001, Math.max(0, ((x + 1) / 2) * (MESH_COLS - 1)));
  const gy = Math.min(MESH_ROWS - 1.001, Math.max(0, ((y / aspect + 1) / 2) * (MESH_ROWS - 1)));
  const ix = Math.floor(gx);
  const iy = Math.floor(gy);
  const u = gx - ix;
  const v = gy - iy;
  const a = 2 * (frame * NODES + iy * MESH_COLS + ix);
  const b = a + 2 * MESH_COLS;
  const [p, q, r, s] = [(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v];
  out.x += p * mesh[a] + q * mesh[a + 2] + r * mesh[b] + s * mesh[b + 2];
  out.y += p * mesh[a + 1] + q * mesh[a + 3] + r * mesh[b + 1] + s * mesh[b + 3];
}

/**
 * Smooth per-frame displacements that explain what homographies leave over: lens distortion, rolling shutter, a little
 * parallax (Wahba 1990, thin-plate regression, on a grid).
 *
 * @param sigma - Scale of an honest match's error, unit space.
 * @returns count·MESH_ROWS·MESH_COLS·2 displacements, unit space.
 */
export function solveMesh(count: number, seen: Residuals, sigma: number, aspect: number): Float32Array {
  const shape: FieldShape = {
    nodes: NODES,
    around: 4,
    locate: (x, y, index, weight) => meshCell(x, y, aspect, index, weight),
    price,
    stiffness: SIZE + 20 * BENDING + 2 * TEMPORAL,
  };
  return Float32Array.from(solveField(shape, count, seen, new Array<number>(ROUNDS).fill(HONEST * sigma)));
}

function price(v: Float64Array, count: number, out: Float64Array): void {
  for (let i = 0; i < v.length; i++) out[i] = SIZE * v[i];
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
