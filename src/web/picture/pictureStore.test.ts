import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import type { ProxyFile, Still } from './pictures.ts';
import { PictureStore } from './pictureStore.ts';
import type { Planes, ProxySource } from './proxySource.ts';

/** Pictures that were made and are not closed yet, by address. */
const open = new Set<string>();
const asked: string[] = [];
let broken = false;

/** Proxies by address: which were opened, and what was decoded and closed. */
const opened: string[] = [];
const decoded: string[] = [];
const closed: string[] = [];

beforeEach(() => {
  [open, asked, opened, decoded, closed].forEach((list) => (list instanceof Set ? list.clear() : (list.length = 0)));
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

const planesOf = (url: string): Planes => ({ url, width: 0 }) as unknown as Planes;

/** A store whose proxies have the frames from their first on. */
const store = (): PictureStore =>
  new PictureStore(({ url, first }) => {
    opened.push(url);
    const source: Pick<ProxySource, 'get' | 'close'> = {
      get(frame) {
        decoded.push(`${url} ${frame}`);
        return Promise.resolve(frame >= first ? planesOf(url) : undefined);
      },
      close: () => closed.push(url),
    };
    return source as ProxySource;
  });
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 20));
const proxy = (url: string, first = 0): ProxyFile => ({ kind: 'proxy', url, rate: 25, first, count: 100 });
const still = (url: string): Still => ({ kind: 'still', url });

describe('a picture', () => {
  it('comes from the first of its sources that has it', async () => {
    const s = store();
    const sources = [proxy('take', 10), still('still'), proxy('footage')];
    expect(await s.get({ frame: 12, sources, sharp: '' })).toEqual({ kind: 'planes', planes: planesOf('take') });
    expect(await s.get({ frame: 3, sources, sharp: '' })).toMatchObject({ kind: 'bitmap', bitmap: { url: 'still' } });
    broken = true;
    const other = [proxy('take', 10), still('another'), proxy('footage')];
    expect(await s.get({ frame: 3, sources: other, sharp: '' })).toMatchObject({ planes: planesOf('footage') });
    expect(await s.get({ frame: 3, sources: [proxy('take', 10)], sharp: '' })).toBeUndefined();
  });

  it('is decoded ahead from the proxy that it will be played from', async () => {
    const s = store();
    s.prefetch({ frame: 12, sources: [proxy('take'), proxy('footage')], sharp: '' });
    s.prefetch({ frame: 13, sources: [still('one'), proxy('footage')], sharp: '' });
    await settle();
    expect([decoded, asked]).toEqual([['take 12'], []]);
  });
});

describe('proxies', () => {
  it('stay open while they are asked for, and the one that was not for longest makes way', async () => {
    const s = store();
    const ask = (url: string) => s.get({ frame: 0, sources: [proxy(url)], sharp: '' });
    for (const url of ['a', 'b', 'c', 'd', 'a']) await ask(url);
    expect([opened, closed]).toEqual([['a', 'b', 'c', 'd'], []]);
    await ask('e');
    expect(closed).toEqual(['b']);
    await ask('b');
    expect([opened.slice(4), closed]).toEqual([
      ['e', 'b'],
      ['b', 'c'],
    ]);
  });
});

describe('full-size pictures', () => {
  it('are fetched once, and the oldest are closed when there are many', async () => {
    const s = store();
    for (let frame = 0; frame < 14; frame++) await s.getSharp(`f${frame}`);
    await s.getSharp('f13');
    await settle();
    expect(asked).toHaveLength(14);
    expect([open.size, open.has('f0'), open.has('f1'), open.has('f2'), open.has('f13')]).toEqual([
      12,
      false,
      false,
      true,
      true,
    ]);
  });

  it('are asked for again where there was none', async () => {
    const s = store();
    broken = true;
    expect(await s.getSharp('f3')).toBeUndefined();
    await settle();
    broken = false;
    expect(await s.getSharp('f3')).toBeDefined();
    expect(asked).toHaveLength(2);
  });
});
