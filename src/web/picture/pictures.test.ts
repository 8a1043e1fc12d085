import { describe, expect, it } from '@jest/globals';
import type { ClipView } from '../../contract/clips.ts';
import type { TakeView } from '../../contract/takes.ts';
import { isFinished, pictureOf, proxyScale } from './pictures.ts';

const clip = { id: 'c', info: { rate: { num: 50, den: 2 }, frames: 100, width: 1920, height: 1080 } } as ClipView;
const take = (some: Partial<TakeView>): TakeView =>
  ({ id: 't', trims: '', playable: false, first: 5, count: 40, finished: [[10, 19]], ...some }) as TakeView;

describe('where a frame is to be had', () => {
  it('is the footage’s proxy for the footage', () => {
    expect(pictureOf(clip, undefined, 12)).toEqual({
      frame: 12,
      sources: [{ kind: 'proxy', url: '/api/clips/c/proxy', rate: 25, first: 0, count: 100 }],
      sharp: '/api/clips/c/frames/12',
    });
  });

  it('is the take’s frame, one by one, while it is at work', () => {
    const { sources, sharp } = pictureOf(clip, take({}), 12);
    expect(sources.map(({ kind, url }) => `${kind} ${url}`)).toEqual([
      'still /api/takes/t/frames/12',
      'proxy /api/clips/c/proxy',
    ]);
    expect(sharp).toBe('/api/takes/t/frames/12');
  });

  it('is the take’s proxy once it can be played, and its frames if that fails', () => {
    const { sources } = pictureOf(clip, take({ playable: true }), 12);
    expect(sources.map(({ kind }) => kind)).toEqual(['proxy', 'still', 'proxy']);
    expect(sources[0]).toMatchObject({ url: '/api/takes/t/proxy', first: 5, count: 40 });
  });

  it('is the footage where the take has nothing yet', () => {
    expect(pictureOf(clip, take({ playable: true }), 30)).toEqual(pictureOf(clip, undefined, 30));
  });
});

describe('a take', () => {
  it('has the frames of its finished ranges, their ends included', () => {
    const finished: [number, number][] = [
      [3, 5],
      [9, 9],
    ];
    const has = [2, 3, 5, 6, 8, 9, 10].filter((frame) => isFinished(take({ finished }), frame));
    expect(has).toEqual([3, 5, 9]);
  });
});

describe('the proxy', () => {
  it('is at most 960 px long, and never larger than the clip', () => {
    expect(proxyScale(clip)).toBe(0.5);
    const small = { ...clip, info: { ...clip.info!, width: 320, height: 640 } } as ClipView;
    expect(proxyScale(small)).toBe(1);
  });
});
