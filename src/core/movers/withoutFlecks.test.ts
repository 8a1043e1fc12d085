import { describe, expect, it } from '@jest/globals';
import { box, still } from '../testing/movingFilm.ts';
import type { Matrix3 } from '../geometry/homography.ts';
import type { Mover } from './movers.ts';
import { withoutFlecks } from './withoutFlecks.ts';

const FRAME = 480 * 270;

/** Something square that goes evenly for ten frames. @param speed - Px per frame, down. */
function going(side: number, speed: number, left = 50): Omit<Mover, 'best'> {
  const masks = Array.from({ length: 11 }, (_, k) => box(left, 10 + Math.round(speed * k), side, side));
  const path = masks.map(({ x, y, width, height }) => ({ x: x + (width - 1) / 2, y: y + (height - 1) / 2 }));
  return { first: 5, last: 15, masks, path };
}

describe('flecks among movers', () => {
  const walker = going(40, 3);
  const snow = Array.from({ length: 6 }, (_, k) => going(6, 7, 20 * k));

  it('are left out where there are many', () => {
    expect(withoutFlecks([walker, ...snow], FRAME, still)).toEqual([walker]);
  });

  it('are listed where there are few: birds', () => {
    const few = [walker, ...snow.slice(0, 3)];
    expect(withoutFlecks(few, FRAME, still)).toEqual(few);
  });

  it('are not people far away, however many, and not what is large and fast', () => {
    const people = Array.from({ length: 8 }, (_, k) => going(7, 1, 20 * k));
    const cars = Array.from({ length: 8 }, (_, k) => going(30, 20, 40 * k));
    expect(withoutFlecks([...people, ...cars], FRAME, still)).toEqual([...people, ...cars]);
  });

  it('go by themselves, and not with the camera', () => {
    const swept = (from: number, to: number): Matrix3 => Float64Array.of(1, 0, 0, 0, 1, 7 * (to - from), 0, 0, 1);
    expect(withoutFlecks(snow, FRAME, swept)).toEqual(snow);
  });
});
