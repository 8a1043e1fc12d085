import { describe, expect, it } from '@jest/globals';
import { createMatteCells, HOLE } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { donorShows, plateShows, withOwnSources, type ShowsAt } from './ownSources.ts';
import { REVEAL_LEVEL, type RevealMap } from './reveal.ts';

const { none, unseen, thin, seen } = REVEAL_LEVEL;

/** A camera that moves 10 px to the right per frame; frame 5 is of another scene. */
const camera = {
  data: { count: 6 },
  sameScene: (a: number, b: number) => (a === 5) === (b === 5),
  map: (from: number, to: number, points: Float64Array) => {
    for (let i = 0; i < points.length; i += 2) points[i] -= 10 * (to - from);
  },
} as unknown as CameraMotion;

/** 64x16 px in cells of one px; of frame 0 the map's first row is what is given, all else is no hole. */
const cells = createMatteCells(64, 16, 6);
function revealOf(row: readonly number[]): RevealMap {
  const map = new Uint8Array(cells.cols * cells.rows);
  map.set(row);
  const count = (level: number): number => row.filter((v) => v === level).length;
  const hole = row.length - count(none);
  return { frame: 0, map, hole, seen: count(seen), thin: count(thin), unseen: count(unseen) };
}
const all: ShowsAt = (_, places) => new Array<boolean>(places.length / 2).fill(true);

describe('a reveal of own sources', () => {
  it('a source fills what those before it do not show', () => {
    const later = revealOf([none, unseen, thin, seen]);
    withOwnSources(later, cells, ['frames', 'plate'], { plate: all });
    expect([...later.map.subarray(0, 4)]).toEqual([none, seen, thin, seen]);
    expect(later).toMatchObject({ hole: 3, seen: 2, thin: 1, unseen: 0 });
    const first = revealOf([none, unseen, thin, seen]);
    withOwnSources(first, cells, ['plate', 'frames'], { plate: all });
    expect(first).toMatchObject({ hole: 3, seen: 3, thin: 0, unseen: 0 });
  });

  it('without other frames nothing is seen but what the others show; inventing shows nothing', () => {
    const reveal = revealOf([unseen, thin, seen]);
    withOwnSources(reveal, cells, ['texture', 'colours'], { plate: all });
    expect(reveal).toMatchObject({ hole: 3, seen: 0, thin: 0, unseen: 3 });
    const donor: ShowsAt = (_, places) => [...places.filter((_, i) => i % 2 === 0)].map((x) => x < 1.5);
    withOwnSources(reveal, cells, ['donor'], { donor });
    expect([...reveal.map.subarray(0, 3)]).toEqual([seen, seen, unseen]);
  });
});

describe('what shows places of a frame', () => {
  it('is of a plate what it knows, at the frame at which it lies', () => {
    const known = new Uint8Array(20 * 4).fill(1);
    known[3] = 0;
    const shows = plateShows(camera, { frame: 2, rect: { x: 10, y: 0, width: 20, height: 4 }, known });
    // 20 px further left in frame 2: 10, 13, 29, 30 and 9.
    expect(shows(0, Float64Array.of(30, 0, 33, 0, 49, 3, 50, 0, 29, 0))).toEqual([true, false, true, false, false]);
    expect(shows(5, Float64Array.of(15, 0))).toEqual([false]);
  });

  it('is of a donor what lies in view and is free of mattes', () => {
    cells.state.fill(0);
    cells.state[3 * 64 * 16 + 20] = HOLE;
    const shows = donorShows(camera, { frame: 3, dx: 8, dy: 0 }, cells);
    expect(shows(3, Float64Array.of(12.2, 0, 13, 0, 60, 0, 0, 15))).toEqual([false, true, false, true]);
  });

  it('is of a donor what another frame shows of it, but not one of another scene', () => {
    cells.state.fill(0);
    const shows = donorShows(camera, { frame: 3, dx: 8, dy: 0 }, cells);
    // Beyond the right border in frame 0, in view in frame 4; from frame 1 only frame 5 would show it.
    expect(shows(0, Float64Array.of(60, 0, 20, 0))).toEqual([true, true]);
    expect(shows(1, Float64Array.of(60, 0))).toEqual([false]);
    cells.state.fill(HOLE, 4 * 64 * 16, 5 * 64 * 16);
    expect(shows(0, Float64Array.of(60, 0, 20, 0))).toEqual([false, true]);
  });
});
