import { describe, expect, it } from '@jest/globals';
import { looksAt, stands } from './standing.ts';

const look = (unlikeness: number, deep = 0, corners = 0): Parameters<typeof stands>[0][number] => ({
  unlikeness,
  deep,
  corners,
});

describe('looks at movers', () => {
  it('are spread over the frames in which one is there, off its ends', () => {
    expect([...looksAt([{ first: 0, last: 99 }]).keys()]).toEqual([12, 36, 60]);
  });

  it('are shared by those that are there at the same time', () => {
    const looks = looksAt([
      { first: 0, last: 99 },
      { first: 40, last: 99 },
      { first: 45, last: 90 },
    ]);
    expect(looks.get(54)).toEqual([0, 1, 2]);
    const count = (i: number): number => [...looks.values()].filter((who) => who.includes(i)).length;
    expect([count(0), count(1), count(2)]).toEqual([3, 3, 3]);
    expect(looks.size).toBe(4);
  });

  it('are at least one at something that is soon gone', () => {
    expect([...looksAt([{ first: 7, last: 12 }]).values()]).toEqual([[0]]);
  });
});

describe('something stands', () => {
  it('if it is found at some depth in most looks', () => {
    expect(stands([look(0.3), look(0.9), look(0.4)])).toBe(true);
    expect(stands([look(0.3), look(0.9), look(0.8)])).toBe(false);
  });

  it('not if its corners go their own ways, however like it is', () => {
    expect(stands([look(0.3, 1, 4), look(0.3, 2, 5)])).toBe(false);
    expect(stands([look(0.3, 1, 4)])).toBe(true);
  });

  it('rather if all its corners go as a rigid world does', () => {
    expect(stands([look(0.65, 9, 9)])).toBe(true);
    expect(stands([look(0.65, 8, 10)])).toBe(false);
    expect(stands([look(0.75, 9, 9)])).toBe(false);
  });

  it('not where most looks tell nothing', () => {
    expect(stands([undefined, undefined, look(0.1)])).toBe(false);
    expect(stands([])).toBe(false);
  });
});
