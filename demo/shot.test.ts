import { beforeAll, describe, expect, it } from '@jest/globals';
import { Renderer } from './renderer.ts';
import { frameTime, scaled, Truth, type Shot } from './shot.ts';
import { BLOCK_ROW, blockAt, CAMERA_SPEED, PX_PER_METRE, yard } from './testing/yard.ts';

const truthOf = async (shot: Shot): Promise<Truth> => {
  const renderer = await Renderer.create(shot.lens);
  return new Truth(renderer, shot, shot.build(renderer));
};

describe('what is true of a shot', () => {
  const shot = yard();
  let truth: Truth;
  beforeAll(async () => {
    truth = await truthOf(shot);
  });

  it('follows a place of the still world as the camera goes', () => {
    const point = truth.surface(0, 100, 60)!;
    expect(point.layer).toBe(0);
    const there = truth.place(10, point)!;
    expect(there.x).toBeCloseTo(100 - CAMERA_SPEED * PX_PER_METRE, 6);
    expect(there.y).toBeCloseTo(60, 6);
    expect(truth.follow(0, 0, 100, 60, 10)).toEqual(there);
  });

  it('says nothing of a place that has left the picture', () => {
    const point = truth.surface(0, 3, 60)!;
    expect(truth.place(2, point)).toBeDefined();
    expect(truth.place(13, point)).toBeUndefined();
    expect(truth.inView({ x: 191, y: 111 })).toBe(true);
    expect(truth.inView({ x: 191.5, y: 111 })).toBe(false);
  });

  it('tells what goes from what moves and stays', () => {
    for (const frame of [0, 7]) {
      expect(truth.gone(frame)(blockAt(frame), BLOCK_ROW)).toBe(true);
      expect(truth.gone(frame)(blockAt(frame) + 12, BLOCK_ROW)).toBe(false);
      expect(truth.movers(frame)(blockAt(frame), BLOCK_ROW)).toBe(false);
    }
    const other = (frame: number): number => 95.5 + PX_PER_METRE * (3.5 - 0.35 * frame);
    expect(truth.movers(7)(other(7), 55.5 + 30)).toBe(true);
    expect(truth.movers(7)(other(7) - 12, 55.5 + 30)).toBe(false);
  });

  it('lists what moves by itself, each part with its number', () => {
    const parts = truth.moving(5);
    expect(parts.map((p) => p.part)).toEqual([0, 1]);
    expect(parts.map((p) => p.covers(blockAt(5), BLOCK_ROW))).toEqual([true, false]);
  });

  it('knows bodies by their names', () => {
    const bodies = truth.bodies(4);
    expect([...bodies.keys()]).toEqual(['block', 'other']);
    expect(bodies.get('block')!(blockAt(4), BLOCK_ROW)).toBe(true);
    expect(bodies.get('other')!(blockAt(4), BLOCK_ROW)).toBe(false);
  });
});

describe('a rolling shutter', () => {
  it('reads each row at its own time', async () => {
    const still = yard();
    const shot = yard({ lens: { ...still.lens, readout: 0.1 } });
    const truth = await truthOf(shot);
    const seen = (y: number): number => truth.place(5, truth.surface(0, 100, y)!)!.x;
    // Between two frames every row has waited as long: it moves alike.
    expect(seen(10)).toBeCloseTo(100 - 0.5 * CAMERA_SPEED * PX_PER_METRE, 5);
    expect(seen(100)).toBeCloseTo(seen(10), 5);
    // Within a frame the lower rows see the camera farther on.
    const [above, below] = [truth.surface(0, 100, 0)!, truth.surface(0, 100, 112)!].map(({ u }) => 12 * u);
    expect(below - above).toBeCloseTo(0.1 * CAMERA_SPEED, 5);
  });
});

describe('a shot made smaller', () => {
  it('shows the same at its own size, and no more frames than there are', () => {
    const half = scaled(yard({ times: [0, 0.1, 0.3] }), 0.5, 2);
    expect(half.lens).toMatchObject({ width: 96, height: 56, focal: 100 });
    expect(half.frames).toBe(2);
    expect([0, 1].map((n) => frameTime(half, n))).toEqual([0, 0.1]);
    expect(scaled(yard(), 0.5, 600).frames).toBe(14);
    expect(frameTime(yard(), 7)).toBeCloseTo(0.7, 12);
  });
});
