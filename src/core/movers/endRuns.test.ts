import { describe, expect, it } from '@jest/globals';
import { endRuns } from './endRuns.ts';

const oneScene = { tripod: false, sameScene: () => true };
const numbers = (from: number, to: number): number[] =>
  Array.from({ length: Math.abs(to - from) + 1 }, (_, k) => from + Math.sign(to - from) * k);

describe('endRuns', () => {
  it('go from within the film to its ends: from frames that have three others to be compared with on each side', () => {
    expect(endRuns(oneScene, 130)).toEqual([numbers(30, 0), numbers(99, 129)]);
  });

  it('are one where the two ends are compared with one another, and look at what is nearest to an end last', () => {
    const [run, ...others] = endRuns(oneScene, 80);
    expect(others).toEqual([]);
    expect(run).toHaveLength(62);
    expect([run.slice(0, 4), run.slice(-2)]).toEqual([
      [30, 49, 29, 50],
      [0, 79],
    ]);
  });

  it('begin in the middle of a film that is short', () => {
    const [run, ...others] = endRuns(oneScene, 21);
    expect(others).toEqual([]);
    expect(run.slice(0, 5)).toEqual([10, 9, 11, 8, 12]);
    expect(run.slice(-2)).toEqual([0, 20]);
  });

  it('end with a scene: what lies beyond a cut is not compared', () => {
    const cut = { tripod: false, sameScene: (a: number, b: number) => a < 130 === b < 130 };
    expect(endRuns(cut, 260)).toEqual([numbers(30, 0), numbers(99, 129), numbers(160, 130), numbers(229, 259)]);
  });

  it('are none before a camera that rests: there frames from far around are compared', () => {
    expect(endRuns({ ...oneScene, tripod: true }, 100)).toEqual([]);
  });
});
