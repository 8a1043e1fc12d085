import { beforeEach, describe, expect, it } from '@jest/globals';
import { newRemoval, type RemovalNode, type ShapeNode } from '../../../contract/document.ts';
import { RECT_HEADER } from '../../../contract/mattes.ts';
import { answerQuietly, openQuietly, refusal, startQuietly, tell, type Asked } from '../../testing/quietServer.ts';
import { matteSpan, useMattes } from './mattesStore.ts';
import { useWork } from './workStore.ts';

const shapeOf = (matte: ShapeNode['matte']): ShapeNode => ({
  ...{ name: 'M', rank: 1, kind: 'path', operation: 'add', keys: {}, matte },
});
const removalOf = (...mattes: NonNullable<ShapeNode['matte']>[]): RemovalNode => ({
  ...newRemoval({}, 'Cart'),
  shapes: Object.fromEntries(mattes.map((matte, i) => [`s${i}`, shapeOf(matte)])),
});
const matte = (file: string, more = {}): NonNullable<ShapeNode['matte']> => ({
  ...{ file, start: 0, pace: 1, count: 10 },
  ...more,
});

let asked: Asked[];
let missing: boolean;

async function bench() {
  await openQuietly();
  asked = answerQuietly(({ path }) => {
    if (path.endsWith('/mattes')) return [];
    if (path.endsWith('/dismiss')) return {};
    if (path.endsWith('/soften')) return refusal('It has no outline there.');
    if (missing) return refusal('It is being read.');
    return new Response(Uint8Array.of(7, 8), { headers: { [RECT_HEADER]: '3,4,2,1' } });
  });
  const mattes = useMattes();
  await mattes.open();
  asked.length = 0;
  return mattes;
}

const paths = (): string[] => asked.map(({ path }) => path);

beforeEach(() => {
  startQuietly(9);
  missing = false;
});

describe('frames of mattes that were brought in', () => {
  it('are fetched once, with the part of the picture that they cover', async () => {
    const mattes = await bench();
    const removal = removalOf(matte('m'));
    const patch = { rect: { x: 3, y: 4, width: 2, height: 1 }, values: Uint8Array.of(7, 8) };
    expect(await mattes.need(removal, 5)).toEqual([{ file: 'm', frame: 5, patch }]);
    expect(await mattes.need(removal, 5)).toHaveLength(1);
    expect([paths(), mattes.version, mattes.library('m')(5)]).toEqual([['/mattes/m/frames/5'], 1, patch]);
  });

  it('are those of each file that lie at the clip’s frame', async () => {
    const mattes = await bench();
    const removal = removalOf(matte('late', { start: 4 }), matte('half', { pace: 0.5 }), matte('short', { count: 3 }));
    await mattes.need(removal, 6);
    expect(paths()).toEqual(['/mattes/late/frames/2', '/mattes/half/frames/3']);
  });

  it('that could not be had are asked for again', async () => {
    const mattes = await bench();
    missing = true;
    expect(await mattes.need(removalOf(matte('m')), 5)).toEqual([]);
    missing = false;
    expect(await mattes.need(removalOf(matte('m')), 5)).toHaveLength(1);
  });

  it('are none of a thing without mattes, or of none', async () => {
    const mattes = await bench();
    expect([await mattes.need(undefined, 0), await mattes.need(removalOf(), 0)]).toEqual([[], []]);
    expect(paths()).toEqual([]);
  });
});

describe('what is being read', () => {
  it('is looked at again when the server tells of it, and when it was put away', async () => {
    const mattes = await bench();
    tell({ kind: 'matte', shotId: 's' } as Parameters<typeof tell>[0]);
    tell({ kind: 'plate', shotId: 's' } as Parameters<typeof tell>[0]);
    await mattes.dismiss('m');
    expect(paths()).toEqual(['/shots/s/mattes', '/mattes/m/dismiss', '/shots/s/mattes']);
  });

  it('says why it cannot be', async () => {
    const mattes = await bench();
    await mattes.soften('shape');
    expect(useWork().failure).toBe('It has no outline there.');
  });
});

describe('the frames over which a matte lies', () => {
  it.each([
    [{ start: 5 }, { from: 5, to: 14 }],
    [
      { start: 5, pace: 0.5 },
      { from: 5, to: 23 },
    ],
    // Backward: its last frame comes first.
    [
      { start: 20, pace: -1 },
      { from: 11, to: 20 },
    ],
    [
      { start: 3, pace: -1 },
      { from: 0, to: 3 },
    ],
    [{ pace: 0 }, { from: 0, to: Infinity }],
  ])('%j: %j', (more, span) => {
    expect(matteSpan(shapeOf(matte('m', more)))).toEqual(span);
  });

  it('are none of a drawn shape', () => {
    expect(matteSpan(shapeOf(undefined))).toBeUndefined();
  });
});
