import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import type { ClipView } from '../../contract/clips.ts';
import type { TakeView } from '../../contract/takes.ts';
import { FrameSources, isFinished } from './frameSources.ts';

const clip = { id: 'c', info: { rate: { num: 25, den: 1 }, frames: 100, width: 1920, height: 1080 } } as ClipView;
const take = { id: 't', trims: '', playable: false, first: 0, count: 100, finished: [[10, 19]] } as unknown as TakeView;

/** Pictures that were made and are not closed yet, by address. */
const open = new Set<string>();
const asked: string[] = [];
let broken = false;

beforeEach(() => {
  open.clear();
  asked.length = 0;
  broken = false;
  globalThis.fetch = jest.fn((input: unknown) => {
    asked.push(String(input));
    return Promise.resolve(new Response(String(input), { status: broken ? 500 : 200 }));
  }) as typeof fetch;
  globalThis.createImageBitmap = (async (blob: Blob) => {
    const url = await blob.text();
    open.add(url);
    return { url, close: () => open.delete(url) };
  }) as unknown as typeof createImageBitmap;
});

const sources = (): FrameSources => new FrameSources(clip, (id) => (id === 't' ? take : undefined));
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 5));

describe('full-size pictures', () => {
  it('are a take’s where it has the frame, and the footage’s elsewhere', async () => {
    const s = sources();
    for (const [subject, frame] of [
      ['original', 12],
      ['t', 12],
      ['t', 30],
      ['gone', 12],
    ] as const)
      await s.getSharp(subject, frame);
    expect(asked).toEqual(['/api/clips/c/frames/12', '/api/takes/t/frames/12', '/api/clips/c/frames/30']);
  });

  it('are fetched once, and the oldest are closed when there are many', async () => {
    const s = sources();
    for (let frame = 0; frame < 14; frame++) await s.getSharp('original', frame);
    await s.getSharp('original', 13);
    await settle();
    expect(asked).toHaveLength(14);
    expect([open.size, open.has('/api/clips/c/frames/0'), open.has('/api/clips/c/frames/13')]).toEqual([
      12,
      false,
      true,
    ]);
  });

  it('are asked for again where there was none', async () => {
    const s = sources();
    broken = true;
    expect(await s.getSharp('original', 3)).toBeUndefined();
    await settle();
    broken = false;
    expect(await s.getSharp('original', 3)).toBeDefined();
    expect(asked).toHaveLength(2);
  });

  it('stand for the frames of a take that cannot be played yet', async () => {
    const layer = await sources().get('t', 15);
    expect(layer).toMatchObject({ kind: 'bitmap', bitmap: { url: '/api/takes/t/frames/15' } });
  });
});

describe('a take', () => {
  it('has the frames of its finished ranges, their ends included', () => {
    const parts = {
      finished: [
        [3, 5],
        [9, 9],
      ],
    } as unknown as TakeView;
    expect([2, 3, 5, 6, 8, 9, 10].map((frame) => isFinished(parts, frame))).toEqual([
      false,
      true,
      true,
      false,
      false,
      true,
      false,
    ]);
  });
});

describe('the proxy', () => {
  it('is at most 960 px long, and never larger than the clip', () => {
    expect(sources().proxyScale).toBe(0.5);
    const small = { ...clip, info: { ...clip.info!, width: 320, height: 640 } } as ClipView;
    expect(new FrameSources(small, () => undefined).proxyScale).toBe(1);
  });
});
