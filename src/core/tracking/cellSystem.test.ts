import { beforeEach, describe, expect, it } from '@jest/globals';
import { RECORD } from './cells.ts';
import { CellSystem, type Expectation } from './cellSystem.ts';

/** Gradient energy of a cell along each axis, its area in px, and the variance that even a perfect match keeps. */
const ENERGY = 1e6;
const AREA = 64;
const NOISE = 24 ** 2;
const still = (): Float64Array => new Float64Array(8);
/** Nothing is expected. */
const FREE: Expectation = { motion: still(), deviation: still().fill(1e6) };
const SHIFT = [0, 1];
let system: CellSystem;

interface Cell {
  /** Where the cell by itself says that it is to go, px. */
  shift: [number, number];
  likeness?: number;
  strict?: boolean;
  trust?: number;
  /** Energies along x and y. */
  energy?: [number, number];
}

/** Adds a cell whose shift is that of the region. */
function add({ shift, likeness = 1, strict = true, trust = 1, energy = [ENERGY, ENERGY] }: Cell): number {
  const record = new Float32Array(RECORD);
  record.set([energy[0] * shift[0], energy[1] * shift[1]], 6);
  record.set([energy[0], 0, energy[1], 0, AREA, likeness], 10);
  const cell = system.add(record, 0, { x: 5, y: 7 }, 0, trust, strict);
  system.derive(cell, 0, 1, 0);
  system.derive(cell, 1, 0, 1);
  return cell;
}
const solve = (expected = FREE, motion = still()): number[] => [...system.solve(1, expected, motion)!];

beforeEach(() => {
  system = new CellSystem(8, SHIFT);
});

describe('the cells of a region', () => {
  it('that agree are what the region does', () => {
    for (let i = 0; i < 3; i++) add({ shift: [1, -2] });
    const step = solve();
    expect(step[0]).toBeCloseTo(1, 5);
    expect(step[1]).toBeCloseTo(-2, 5);
    expect(system.moveOf(Float64Array.from(step))).toBeCloseTo(Math.sqrt(5), 4);
    expect(system.scatter()).toBeCloseTo(0, 5);
  });

  it('that go elsewhere do not pull', () => {
    for (let i = 0; i < 5; i++) add({ shift: [1, -2] });
    add({ shift: [9, 4] });
    const step = solve();
    expect(Math.hypot(step[0] - 1, step[1] + 2)).toBeLessThan(0.05);
    const weights = system.readings().map((r) => r.weight);
    expect(weights[0]).toBeGreaterThan(0.95);
    expect(weights[5]).toBeLessThan(0.05);
  });

  it('count by how alike they look: a poor match not at all once it is strict', () => {
    add({ shift: [0, 0], likeness: 0.3, strict: true });
    add({ shift: [0, 0], likeness: 0.3, strict: false });
    add({ shift: [0, 0], likeness: 0.6, strict: true });
    add({ shift: [0, 0], likeness: 1, trust: 0.5 });
    solve();
    const weights = system.readings().map((r) => r.weight);
    [0, 0.6, 0.5, 0.5].forEach((w, i) => expect(weights[i]).toBeCloseTo(w, 5));
  });

  it('say where they are, and how large', () => {
    add({ shift: [0, 0], likeness: 0.9 });
    solve();
    const [reading] = system.readings();
    expect(reading).toMatchObject({ x: 5, y: 7, area: AREA });
    expect(reading.likeness).toBeCloseTo(0.9, 6);
    system.clear();
    expect(system.readings()).toEqual([]);
  });

  it('tell a change of size from their places', () => {
    system = new CellSystem(4, [2]);
    for (const x of [-20, -10, 10, 20]) {
      const record = new Float32Array(RECORD);
      record.set([ENERGY * 0.05 * x, 0], 6);
      record.set([ENERGY, 0, ENERGY, 0, AREA, 1], 10);
      system.derive(system.add(record, 0, { x, y: 0 }, 0, 1, true), 0, x, 0);
    }
    expect(solve()[0]).toBeCloseTo(0.05, 6);
  });
});

describe('what is expected', () => {
  it('holds where the cells tell nothing: along an edge', () => {
    // A horizontal edge: nothing is known along it.
    for (let i = 0; i < 3; i++) add({ shift: [0, 2], energy: [0, ENERGY] });
    const motion = still();
    motion.set([7, 0]);
    const expected = { motion: Float64Array.of(4, 0, 0, 0, 0, 0, 0, 0), deviation: still().fill(0.5) };
    const step = solve(expected, motion);
    // Three too far on along the edge, as was expected; two across, as is seen.
    expect(step[0]).toBeCloseTo(3, 5);
    expect(step[1]).toBeCloseTo(2, 1);
  });

  it('gives way to what many cells see, and wins over what is hardly seen', () => {
    const near = (deviation: number): Expectation => ({ motion: still(), deviation: still().fill(deviation) });
    for (let i = 0; i < 8; i++) add({ shift: [1, 0] });
    expect(solve(near(1))[0]).toBeCloseTo(1, 2);
    expect(solve(near(1e-4))[0]).toBeLessThan(0.01);
  });

  it('is all there is of a region without cells', () => {
    const motion = still();
    motion.set([2, 3]);
    expect(solve({ motion: still(), deviation: still().fill(1) }, motion)).toEqual([2, 3]);
    expect(system.moveOf(Float64Array.of(2, 3))).toBe(Infinity);
  });
});

describe('how sure the answer is', () => {
  it('grows with the number of cells, less what grain alone would look like', () => {
    for (let i = 0; i < 4; i++) add({ shift: [0, 0] });
    solve();
    const covariance = system.covariance()!;
    const variance = NOISE / (4 * (ENERGY - (AREA * NOISE) / 4));
    expect(covariance[0]).toBeCloseTo(variance, 8);
    expect(covariance[3]).toBeCloseTo(variance, 8);
    expect(covariance[1]).toBeCloseTo(0, 12);
  });

  it('is nothing where no cell tells more than grain would', () => {
    add({ shift: [0, 0], energy: [ENERGY, (AREA * NOISE) / 5] });
    solve();
    expect(system.covariance()).toBeUndefined();
  });

  it('is judged by what the step leaves, in units of the noise', () => {
    const off = Math.sqrt(NOISE / ENERGY);
    for (const side of [-1, 1, -1, 1]) add({ shift: [side * off, 0] });
    const step = Float64Array.from(solve());
    expect(step[0]).toBeCloseTo(0, 6);
    // Four errors of one deviation each; of eight readings two are the parameters’.
    expect(system.misfit(step)).toBeCloseTo(4 / 6, 2);
  });
});
