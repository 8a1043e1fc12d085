import { beforeEach, describe, expect, it } from '@jest/globals';
import { newRemoval, type Marks } from '../../contract/document.ts';
import type { PathPoint } from '../../core/shapes/shape.ts';
import { Painter, type Wish } from './painter.ts';
import type { Picture } from './pictures.ts';
import type { PictureStore } from './pictureStore.ts';
import type { Drawing, Layer, Placing } from './renderer.ts';

const placing: Placing = {
  ...{ width: 640, height: 360, left: 0, top: 0, scale: 0.5, wipe: 0.5, gain: 8 },
  frame: { width: 1280, height: 720 },
};
const picture = (sharp: string): Picture => ({ frame: 0, sources: [], sharp });
const layer = (name: string): Layer => ({ kind: 'bitmap', bitmap: name as unknown as ImageBitmap });
/** A bitmap's name; of a raster, how many px of it are wholly covered. */
function nameOf(of?: Layer): unknown {
  if (of?.kind === 'bitmap') return of.bitmap;
  return of?.kind === 'grey' ? of.values.filter((value) => value === 255).length : undefined;
}

/** A rectangle of 4 by 2 px. */
const corner = (x: number, y: number): PathPoint => ({ x, y, inX: 0, inY: 0, outX: 0, outY: 0 });
const box = [corner(0.5, 0.5), corner(4.5, 0.5), corner(4.5, 2.5), corner(0.5, 2.5)];
const marks: Marks = {
  ...newRemoval({}, 'Cart'),
  ...{ grow: 0, featherIn: 0, featherOut: 0, tracks: {} },
  shapes: {
    s: { name: 'Box', rank: 1, kind: 'path', operation: 'add', keys: { 0: { ease: 'linear', points: box } } },
  },
};

/** What was drawn: both sides, how, and the wipe's edge. */
let drawn: { a: unknown; b: unknown; mode: string; wipe: number }[] = [];
/** Reads that were not answered yet, by what they read. */
let reads: Map<string, (found: boolean) => void>;
let painter: Painter;

beforeEach(() => {
  drawn = [];
  reads = new Map();
  const store: Pick<PictureStore, 'get' | 'getSharp'> = {
    get: ({ sharp }) => new Promise((done) => reads.set(sharp, (found) => done(found ? layer(sharp) : undefined))),
    getSharp: (url) =>
      new Promise((done) =>
        reads.set(`full ${url}`, (found) => done(found ? (`full ${url}` as unknown as ImageBitmap) : undefined)),
      ),
  };
  const draw = ({ a, b, mode, wipe }: Drawing): void => void drawn.push({ a: nameOf(a), b: nameOf(b), mode, wipe });
  painter = new Painter(store as PictureStore, () => ({ draw }));
});

const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

/** Answers what was asked for, in this order. */
async function answer(...names: string[]): Promise<void> {
  for (const name of names) {
    reads.get(name.replace('no ', ''))!(!name.startsWith('no '));
    await settle();
  }
}

const begin = (): void => {
  painter.start({} as OffscreenCanvas);
  painter.place(placing);
};
const wish = (a: string, b?: string, mode: Wish['mode'] = 'a'): Wish => ({
  ...{ frame: 0, mode, a: picture(a), b: b === undefined ? undefined : picture(b) },
});

describe('showing a frame', () => {
  it('draws it once it is read, and both sides at once', async () => {
    begin();
    const shown = painter.show(wish('one', 'two', 'wipe'));
    await answer('one');
    expect(drawn).toEqual([]);
    await answer('two');
    expect([await shown, drawn]).toEqual([true, [{ a: 'one', b: 'two', mode: 'wipe', wipe: 0.5 }]]);
  });

  it('leaves what is there when there is nothing to draw', async () => {
    begin();
    const first = painter.show(wish('one'));
    await answer('one');
    await first;
    const second = painter.show(wish('two'));
    await answer('no two');
    expect(await second).toBe(false);
    painter.place({ ...placing, scale: 1 });
    expect(drawn.map(({ a }) => a)).toEqual(['one', 'one']);
  });

  it('draws the matte of the marks that it was given last', async () => {
    begin();
    const matte: Wish = { frame: 0, a: { matte: { frame: 0, width: 8, height: 4, patches: [] } }, mode: 'a' };
    expect(await painter.show(matte)).toBe(true);
    painter.mark(marks);
    expect(await painter.show(matte)).toBe(true);
    expect(drawn.map(({ a }) => a)).toEqual([0, 8]);
  });

  it('waits for a place: what came before the canvas, or before it had a size, is drawn then', async () => {
    const shown = painter.show(wish('one'));
    await answer('one');
    expect(await shown).toBe(true);
    painter.start({} as OffscreenCanvas);
    painter.place({ ...placing, width: 0 });
    expect(drawn).toEqual([]);
    painter.place({ ...placing, wipe: 0.25 });
    expect(drawn.map(({ a, wipe }) => [a, wipe])).toEqual([['one', 0.25]]);
  });

  it('places a frame that was being read as it lies by then', async () => {
    begin();
    const shown = painter.show(wish('one', 'two', 'wipe'));
    painter.place({ ...placing, wipe: 0.75 });
    await answer('one', 'two');
    await shown;
    expect(drawn.at(-1)!.wipe).toBe(0.75);
  });
});

describe('at full size', () => {
  beforeEach(async () => {
    begin();
    const shown = painter.show(wish('one', 'two', 'difference'));
    await answer('one', 'two');
    await shown;
  });

  it('both sides are drawn anew', async () => {
    const done = painter.sharpen();
    await answer('full one', 'full two');
    expect(await done).toBe(true);
    expect(drawn.at(-1)).toMatchObject({ a: 'full one', b: 'full two', mode: 'difference' });
  });

  it('a side that cannot be read stays as it was', async () => {
    const done = painter.sharpen();
    await answer('no full one', 'full two');
    expect(await done).toBe(false);
    expect(drawn.at(-1)).toMatchObject({ a: 'one', b: 'full two' });
  });

  it('nothing is drawn over a frame that came meanwhile', async () => {
    const done = painter.sharpen();
    const next = painter.show(wish('three'));
    await answer('three', 'full one', 'full two');
    expect([await done, await next]).toEqual([false, true]);
    expect(drawn.at(-1)).toMatchObject({ a: 'three', b: undefined });
  });
});
