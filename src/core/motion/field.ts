import type { Matrix3 } from '../geometry/homography.ts';
import { conjugateGradients } from '../geometry/linear.ts';
import { gemanMcClure } from './fitMotion.ts';
import type { Link } from './links.ts';
import { linkResiduals } from './solve.ts';

const ITERATIONS = 25;
/** Matches of a link that are used at most. */
const MATCHES_PER_LINK = 80;

/** Displacements of a frame, given at nodes. */
export interface FieldShape {
  /** Nodes of a frame. */
  nodes: number;
  /** Nodes around a place. */
  around: number;
  /** Numbers and weights of the nodes around a place in unit space. */
  locate(x: number, y: number, index: Int32Array, weight: Float64Array): void;
  /** Sets `out` to the gradient of the field's own price, over all frames. @param v - count·nodes·2 displacements. */
  price(v: Float64Array, count: number, out: Float64Array): void;
  /** What the price adds to a displacement's own square, about. */
  stiffness: number;
}

/** What poses leave over of the matches of links, one after the other in plain arrays: a long shot has half a million of them. */
export interface Residuals {
  n: number;
  frames: { from: Int32Array; to: Int32Array };
  /** x y u v per match, unit space. */
  places: Float64Array;
  /** Local turn from the one frame to the other, four per match. */
  turn: Float64Array;
  /** Two per match, unit space. */
  error: Float64Array;
}

export function residualsOf(links: readonly Link[], poses: Matrix3[]): Residuals {
  const strides = links.map(({ matches }) => Math.max(1, Math.floor(matches.length / 4 / MATCHES_PER_LINK)));
  const n = links.reduce((sum, { matches }, l) => sum + Math.ceil(matches.length / 4 / strides[l]), 0);
  const out: Residuals = {
    n,
    frames: { from: new Int32Array(n), to: new Int32Array(n) },
    places: new Float64Array(4 * n),
    turn: new Float64Array(4 * n),
    error: new Float64Array(2 * n),
  };
  let i = 0;
  links.forEach((link, l) => {
    const { error, turn } = linkResiduals(link, poses);
    for (let k = 0; k < link.matches.length / 4; k += strides[l], i++) {
      out.frames.from[i] = link.from;
      out.frames.to[i] = link.to;
      out.places.set(link.matches.subarray(4 * k, 4 * k + 4), 4 * i);
      out.turn.set(turn.subarray(4 * k, 4 * k + 4), 4 * i);
      out.error.set(error.subarray(2 * k, 2 * k + 2), 2 * i);
    }
  });
  return out;
}

/** Some of the matches. @param isWanted - By their number. */
export function residualsWhere(seen: Residuals, isWanted: (i: number) => boolean): Residuals {
  const kept = Array.from({ length: seen.n }, (_, i) => i).filter(isWanted);
  const some = <A extends Int32Array | Float64Array>(values: A, per: number, out: A): A => {
    kept.forEach((i, k) => out.set(values.subarray(per * i, per * i + per), per * k));
    return out;
  };
  const n = kept.length;
  return {
    n,
    frames: { from: some(seen.frames.from, 1, new Int32Array(n)), to: some(seen.frames.to, 1, new Int32Array(n)) },
    places: some(seen.places, 4, new Float64Array(4 * n)),
    turn: some(seen.turn, 4, new Float64Array(4 * n)),
    error: some(seen.error, 2, new Float64Array(2 * n)),
  };
}

/**
 * The field that explains what poses leave over: robust least squares with the field's price (Wahba 1990, regression with a penalty). A
 * place x of frame t is to be corrected to x + field_t(x) before its pose is applied.
 *
 * @param scales - Errors that still are honest, unit space: of one round after the other.
 * @returns count·nodes·2 displacements, unit space.
 */
export function solveField(shape: FieldShape, count: number, seen: Residuals, scales: readonly number[]): Float64Array {
  const matches = new Matches(shape, seen);
  let field = new Float64Array(count * shape.nodes * 2);
  for (const scale of scales) {
    matches.reweigh(field, scale);
    const right = new Float64Array(field.length);
    const diagonal = new Float64Array(field.length).fill(shape.stiffness);
    matches.begin(right, diagonal);
    field = conjugateGradients(
      (v, out) => {
        shape.price(v, count, out);
        matches.addSquares(v, out);
      },
      (v, out) => {
        for (let i = 0; i < v.length; i++) out[i] = v[i] / diagonal[i];
      },
      right,
      ITERATIONS,
      1e-4,
    ) as Float64Array<ArrayBuffer>;
  }
  return field;
}

/** What is left over once a field has been applied. */
export function withField(shape: FieldShape, seen: Residuals, field: Float64Array): Residuals {
  const matches = new Matches(shape, seen);
  const error = seen.error.slice();
  const more = new Float64Array(2);
  for (let i = 0; i < seen.n; i++) {
    matches.effect(i, field, more);
    error[2 * i] += more[0];
    error[2 * i + 1] += more[1];
  }
  return { ...seen, error };
}

/** The matches with the nodes around them. */
class Matches {
  /** Where the displacements of the nodes around each match lie in a field: those of the one frame, and those of the other. */
  private readonly nodes: Int32Array;
  private readonly shares: Float64Array;
  private readonly weight: Float64Array;
  private readonly around: number;

  constructor(
    shape: FieldShape,
    private readonly seen: Residuals,
  ) {
    const { n, frames, places } = seen;
    const { around, nodes } = shape;
    this.around = around;
    this.nodes = new Int32Array(2 * around * n);
    this.shares = new Float64Array(2 * around * n);
    this.weight = new Float64Array(n);
    const [index, share] = [new Int32Array(around), new Float64Array(around)];
    for (let i = 0; i < n; i++) {
      for (const [side, frame] of [frames.from[i], frames.to[i]].entries()) {
        const at = (2 * i + side) * around;
        shape.locate(places[4 * i + 2 * side], places[4 * i + 2 * side + 1], index, share);
        for (let k = 0; k < around; k++) this.nodes[at + k] = 2 * (frame * nodes + index[k]);
        this.shares.set(share, at);
      }
    }
  }

  /** What a field adds to the error of a match: turn·field_from(x) − field_to(u). @param out - Gets the two values. */
  effect(i: number, field: Float64Array, out: Float64Array): void {
    const { nodes, shares, around } = this;
    const { turn } = this.seen;
    let [ax, ay, bx, by] = [0, 0, 0, 0];
    for (let k = 2 * around * i; k < (2 * i + 1) * around; k++) {
      const a = nodes[k];
      const b = nodes[k + around];
      ax += shares[k] * field[a];
      ay += shares[k] * field[a + 1];
      bx += shares[k + around] * field[b];
      by += shares[k + around] * field[b + 1];
    }
    const t = 4 * i;
    out[0] = turn[t] * ax + turn[t + 1] * ay - bx;
    out[1] = turn[t + 2] * ax + turn[t + 3] * ay - by;
  }

  reweigh(field: Float64Array, scale: number): void {
    const { error, n } = this.seen;
    const more = new Float64Array(2);
    for (let i = 0; i < n; i++) {
      this.effect(i, field, more);
      const off = (error[2 * i] + more[0]) ** 2 + (error[2 * i + 1] + more[1]) ** 2;
      this.weight[i] = gemanMcClure(off, scale * scale);
    }
  }

  /** Adds what the matches ask for, and the squares on the diagonal, without the turn. */
  begin(right: Float64Array, diagonal: Float64Array): void {
    const { weight, nodes, shares, around } = this;
    const { error, n } = this.seen;
    for (let i = 0; i < n; i++) {
      this.scatter(i, -weight[i] * error[2 * i], -weight[i] * error[2 * i + 1], right);
      for (let k = 2 * around * i; k < 2 * around * (i + 1); k++) {
        for (const c of [0, 1]) diagonal[nodes[k] + c] += weight[i] * shares[k] ** 2;
      }
    }
  }

  addSquares(v: Float64Array, out: Float64Array): void {
    const { weight } = this;
    const error = new Float64Array(2);
    for (let i = 0; i < this.seen.n; i++) {
      this.effect(i, v, error);
      this.scatter(i, weight[i] * error[0], weight[i] * error[1], out);
    }
  }

  /** Adds the transpose of {@link effect} applied to (x, y). */
  private scatter(i: number, x: number, y: number, out: Float64Array): void {
    const { nodes, shares, around } = this;
    const { turn } = this.seen;
    const t = 4 * i;
    const ax = turn[t] * x + turn[t + 2] * y;
    const ay = turn[t + 1] * x + turn[t + 3] * y;
    for (let k = 2 * around * i; k < (2 * i + 1) * around; k++) {
      const a = nodes[k];
      const b = nodes[k + around];
      out[a] += shares[k] * ax;
      out[a + 1] += shares[k] * ay;
      out[b] -= shares[k + around] * x;
      out[b + 1] -= shares[k + around] * y;
    }
  }
}
