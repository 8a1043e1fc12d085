import { describe, expect, it } from '@jest/globals';
import { pathAt, refined, splitSegment } from './interpolate.ts';
import { besideOthers, drawMatte } from './matte.ts';
import { coverPolygon, flatten } from './rasterise.ts';
import { ellipsePoints, rectanglePoints, type Removal, type Shape, type ShapeKey } from './shape.ts';
import { shapesJson, shapesSvg } from './shapeTable.ts';

const shape = (keys: ShapeKey[], more: Partial<Shape> = {}): Shape => ({
  id: 's',
  name: '',
  kind: 'path',
  operation: 'add',
  keys,
  ...more,
});
const removal = (shapes: Shape[], more: Partial<Removal> = {}): Removal => ({
  id: 'r',
  name: '',
  hidden: false,
  shapes,
  grow: 0,
  featherIn: 0,
  featherOut: 0,
  holdGrow: 0,
  holdFeather: 0,
  ...more,
});
const box = (x0: number, y0: number, x1: number, y1: number): Shape =>
  shape([{ frame: 0, ease: 'linear', points: rectanglePoints(x0, y0, x1, y1) }]);
const sum = (values: ArrayLike<number>): number => Array.from(values).reduce((a, b) => a + b, 0);

/** Matte value at a frame pixel. */
function valueAt(m: ReturnType<typeof drawMatte>, x: number, y: number): number {
  const { rect, values } = m;
  const inside = x >= rect.x && y >= rect.y && x < rect.x + rect.width && y < rect.y + rect.height;
  return inside ? values[(y - rect.y) * rect.width + x - rect.x] : 0;
}

describe('coverPolygon', () => {
  const rect = { x: 0, y: 0, width: 12, height: 10 };
  const cover = (polygon: number[]): Float32Array => {
    const out = new Float32Array(120);
    coverPolygon(out, rect, polygon);
    return out;
  };

  it('covers up to all four sides of a picture that it reaches, exactly or beyond', () => {
    for (const far of [0.5, 3]) {
      const out = new Float32Array(12);
      coverPolygon(out, { x: 0, y: 0, width: 4, height: 3 }, [
        -far,
        -far,
        3 + far,
        -far,
        3 + far,
        2 + far,
        -far,
        2 + far,
      ]);
      expect([...out]).toEqual(Array.from(out, () => 1));
    }
    // A walker who comes in from the left: the side that the picture cuts is a side like any other.
    const out = new Float32Array(12);
    coverPolygon(out, { x: 0, y: 0, width: 4, height: 3 }, [-0.5, 0.5, 1.5, 0.5, 1.5, 2.5, -0.5, 2.5]);
    expect([...out]).toEqual([0, 0, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0]);
  });

  it('gives each pixel the share of its square that is inside', () => {
    // From -0.5+1.25 to ...: the left column is covered by three quarters, the upper row by a half.
    const out = cover([0.75, 1, 4.5, 1, 4.5, 3.5, 0.75, 3.5]);
    expect(out[2 * 12 + 1]).toBeCloseTo(0.75, 6);
    expect(out[1 * 12 + 3]).toBeCloseTo(0.5, 6);
    expect(out[1 * 12 + 1]).toBeCloseTo(0.375, 6);
    expect(out[3 * 12 + 4]).toBeCloseTo(1, 6);
    expect(sum(out)).toBeCloseTo(3.75 * 2.5, 4);
  });

  it('keeps the area of a slanted triangle, whichever way round', () => {
    expect(sum(cover([1, 1, 9, 2, 3, 8]))).toBeCloseTo(27, 3);
    expect(sum(cover([3, 8, 9, 2, 1, 1]))).toBeCloseTo(27, 3);
  });

  it('clips at all four sides', () => {
    expect([...cover([-9, -9, 30, -9, 30, 30, -9, 30])].every((v) => v === 1)).toBe(true);
    expect(sum(cover([-5, 2, 4, -7, 13, 2, 4, 11]))).toBeCloseTo(
      sum(cover([-5, 2, 4, -7, 13, 2, 4, 11].map((_, i, a) => a[(i + 4) % 8]))),
      4,
    );
    // A diagonal that leaves on the left covers what lies right of it.
    const out = cover([-3, -0.5, 5.5, -0.5, 5.5, 9.5, -10, 9.5]);
    expect(out[5 * 12]).toBeCloseTo(1, 6);
    expect(out[5 * 12 + 5]).toBeCloseTo(1, 6);
    expect(out[5 * 12 + 6]).toBeCloseTo(0, 6);
  });

  it('goes straight between corners with no more points than they are, and around curves with as many as they need', () => {
    expect([...flatten(rectanglePoints(1, 2, 31, 12))]).toEqual([1, 2, 31, 2, 31, 12, 1, 12]);
    const [first, ...rest] = rectanglePoints(0, 0, 30, 30);
    const bulging = [{ ...first, outX: 10, outY: -10 }, ...rest];
    const bent = flatten(bulging);
    expect(bent.length).toBeGreaterThan(20);
    expect([...bent.subarray(-6)]).toEqual([30, 0, 30, 30, 0, 30]);
    // One handle alone weighs 3t(1 − t)², which is at most 4/9.
    expect(Math.min(...bent)).toBeCloseTo(-10 * (4 / 9), 1);
  });

  it('draws a circle with its area', () => {
    const out = new Float32Array(100 * 100);
    coverPolygon(out, { x: 0, y: 0, width: 100, height: 100 }, flatten(ellipsePoints(50.3, 49.6, 40, 40)));
    expect(sum(out) / (Math.PI * 1600)).toBeCloseTo(1, 3);
  });
});

describe('pathAt', () => {
  const at = (x: number, frame: number, ease: ShapeKey['ease'] = 'linear'): ShapeKey => ({
    frame,
    ease,
    points: rectanglePoints(x, 0, x + 10, 10),
  });
  const leftAt = (s: Shape, frame: number): number | undefined => pathAt(s, frame)?.[0].x;

  it('goes straight, holds, and stays at its ends', () => {
    const s = shape([at(0, 10), at(8, 14, 'hold'), at(20, 20)]);
    expect([0, 10, 11, 13, 14, 19, 20, 99].map((f) => leftAt(s, f))).toEqual([0, 0, 2, 6, 8, 8, 20, 20]);
  });

  it('passes smoothly through a key in the middle of an even motion', () => {
    const s = shape([at(0, 0, 'smooth'), at(10, 10, 'smooth'), at(20, 20, 'smooth'), at(30, 30, 'smooth')]);
    expect(leftAt(s, 15)).toBeCloseTo(15, 6);
    const [before, after] = [leftAt(s, 10)! - leftAt(s, 9)!, leftAt(s, 11)! - leftAt(s, 10)!];
    expect(Math.abs(before - after)).toBeLessThan(0.2);
  });

  it('is seen in its range alone', () => {
    const s = shape([at(0, 0)], { visible: { from: 3, to: 5 } });
    expect([2, 3, 5, 6].map((f) => leftAt(s, f))).toEqual([undefined, 0, 0, undefined]);
  });

  it('joins keys with different numbers of points without a jump at either', () => {
    const five = splitSegment(rectanglePoints(20, 0, 30, 10), 0, 0.5);
    const s = shape([at(0, 0), { frame: 10, ease: 'linear', points: five }]);
    expect(pathAt(s, 0)).toHaveLength(4);
    const middle = pathAt(s, 5)!;
    expect(middle).toHaveLength(5);
    const out = new Float32Array(60 * 30);
    coverPolygon(out, { x: 0, y: -5, width: 60, height: 30 }, flatten(middle));
    expect(sum(out)).toBeCloseTo(100, 3);
    expect(pathAt(s, 10)).toEqual(five);
  });
});

describe('points', () => {
  it('splitting or refining does not change the outline', () => {
    const circle = ellipsePoints(20, 20, 12, 8);
    const area = (points: typeof circle): number => {
      const out = new Float32Array(1600);
      coverPolygon(out, { x: 0, y: 0, width: 40, height: 40 }, flatten(points));
      return sum(out);
    };
    expect(area(splitSegment(circle, 3, 0.3))).toBeCloseTo(area(circle), 1);
    expect(refined(circle, 11)).toHaveLength(11);
    expect(area(refined(circle, 11))).toBeCloseTo(area(circle), 1);
  });
});

describe('a matte that was made elsewhere', () => {
  /** A square from (20, 20) to (39, 39), solid but for its left column, of which a quarter is covered; on frames 0 to 4. */
  const square = Uint8Array.from({ length: 400 }, (_, i) => (i % 20 === 0 ? 64 : 255));
  const raster = (more: object = {}): Shape =>
    shape([], {
      kind: 'matte',
      raster: {
        frames: (f) => (f < 5 ? { rect: { x: 20 + f, y: 20, width: 20, height: 20 }, values: square } : undefined),
        start: 0,
        pace: 1,
        count: 5,
        ...more,
      },
    });

  it('is used as it is, and beside what is drawn', () => {
    const m = drawMatte(removal([raster(), box(59.5, 19.5, 69.5, 29.5)]), 0, 100, 100);
    expect([valueAt(m, 20, 25), valueAt(m, 21, 25), valueAt(m, 40, 25), valueAt(m, 60, 25)]).toEqual([64, 255, 0, 255]);
    const cut = drawMatte(removal([box(9.5, 9.5, 59.5, 59.5), { ...raster(), operation: 'subtract' }]), 0, 100, 100);
    expect([valueAt(cut, 20, 25), valueAt(cut, 25, 25), valueAt(cut, 15, 25)]).toEqual([191, 0, 255]);
  });

  it('is grown and feathered like a drawn outline, from where it passes a half', () => {
    const like = box(20.25, 19.5, 39.5, 39.5);
    for (const edge of [{ grow: 3 }, { grow: -4 }, { featherIn: 3, featherOut: 5 }, { grow: 2, featherOut: 4 }]) {
      const [a, b] = [raster(), like].map((s) => drawMatte(removal([s], edge), 0, 100, 100));
      for (const [x, y] of [
        [16, 30],
        [18, 30],
        [22, 30],
        [30, 42],
        [30, 44],
        [41, 30],
        [36, 30],
        [43, 43],
      ]) {
        // Half a px of the edge's place is what whole pixels can tell; corners of theirs are square.
        expect(Math.abs(valueAt(a, x, y) - valueAt(b, x, y))).toBeLessThan(48);
      }
      expect(Math.abs(sum(a.values) / sum(b.values) - 1)).toBeLessThan(0.03);
    }
  });

  it('lies where it is put in time, at its pace, and nowhere else', () => {
    const left = (frame: number, more: object): number => {
      const m = drawMatte(removal([raster(more)]), frame, 100, 100);
      return [...Array(100).keys()].findIndex((x) => valueAt(m, x, 25) === 64);
    };
    expect([10, 12, 14, 15, 9].map((f) => left(f, { start: 10 }))).toEqual([20, 22, 24, -1, -1]);
    expect([0, 1, 2, 8, 9].map((f) => left(f, { pace: 0.5 }))).toEqual([20, 21, 21, 24, -1]);
    expect([4, 3, 0].map((f) => left(f, { start: 4, pace: -1 }))).toEqual([20, 21, 24]);
  });

  it('counts only on the frames that it is limited to, and stays in front if it holds', () => {
    const limited = drawMatte(removal([{ ...raster(), visible: { from: 1, to: 2 } }]), 0, 100, 100);
    expect(sum(limited.values)).toBe(0);
    const m = drawMatte(removal([box(9.5, 9.5, 59.5, 59.5), { ...raster(), operation: 'hold' }]), 0, 100, 100);
    expect([valueAt(m, 30, 30), m.held![(30 - m.rect.y) * m.rect.width + 30 - m.rect.x]]).toEqual([0, 255]);
  });
});

describe('drawMatte', () => {
  it('adds, subtracts, and covers only what it touches', () => {
    const m = drawMatte(
      removal([box(9.5, 9.5, 29.5, 19.5), { ...box(14.5, 9.5, 19.5, 19.5), operation: 'subtract' }]),
      0,
      100,
      50,
    );
    expect([valueAt(m, 10, 10), valueAt(m, 15, 15), valueAt(m, 20, 15), valueAt(m, 30, 15)]).toEqual([255, 0, 255, 0]);
    expect(sum(m.values) / 255).toBeCloseTo(150, 6);
  });

  it('moves the edge by whole and broken pixels', () => {
    const grown = drawMatte(removal([box(19.5, 19.5, 39.5, 39.5)], { grow: 3 }), 0, 100, 100);
    expect([valueAt(grown, 17, 30), valueAt(grown, 16, 30)]).toEqual([255, 0]);
    const half = drawMatte(removal([box(19.5, 19.5, 39.5, 39.5)], { grow: -1.5 }), 0, 100, 100);
    expect([valueAt(half, 20, 30), valueAt(half, 21, 30), valueAt(half, 22, 30)]).toEqual([0, 128, 255]);
    // A grown corner is round.
    expect(valueAt(grown, 17, 17)).toBeLessThan(10);
  });

  it('fades inward and outward by as much as asked', () => {
    const m = drawMatte(removal([box(19.5, 19.5, 59.5, 59.5)], { featherIn: 4, featherOut: 8 }), 0, 100, 100);
    const row = Array.from({ length: 20 }, (_, i) => valueAt(m, 8 + i, 40));
    expect(row[0]).toBe(0);
    expect(valueAt(m, 12, 40)).toBeGreaterThan(0);
    expect(valueAt(m, 24, 40)).toBe(255);
    expect([...row].sort((a, b) => a - b)).toEqual(row);
  });

  it.each([{ grow: 4 }, { featherIn: 3, featherOut: 5 }, { grow: -2 }])(
    'sees no outline in a bridge without width: parts of one path are as if each were a shape (%p)',
    (edge) => {
      const [left, right] = [box(9.5, 9.5, 29.5, 29.5), box(59.5, 14.5, 79.5, 34.5)];
      const [a, b] = [left, right].map(({ keys }) => keys[0].points);
      const bridged = [...a.slice(0, 2), ...b, b[0], ...a.slice(1)];
      const one = drawMatte(removal([shape([{ frame: 0, ease: 'linear', points: bridged }])], edge), 0, 100, 50);
      const two = drawMatte(removal([left, right], edge), 0, 100, 50);
      expect(one).toEqual(two);
    },
  );

  it('draws a line that has no inside as wide as it is grown', () => {
    const points = rectanglePoints(10, 20, 40, 20).slice(0, 2);
    const m = drawMatte(removal([shape([{ frame: 0, ease: 'linear', points }])], { grow: 3 }), 0, 100, 50);
    expect([valueAt(m, 25, 18), valueAt(m, 25, 22), valueAt(m, 25, 25)]).toEqual([255, 255, 0]);
  });

  it('draws nothing for a removal without shapes or off the frame', () => {
    expect(drawMatte(removal([]), 0, 10, 10).values).toHaveLength(0);
    expect(sum(drawMatte(removal([box(200, 0, 300, 10)]), 0, 100, 100).values)).toBe(0);
  });
});

describe('a holdout', () => {
  const held = (x0: number, x1: number): Shape => ({ ...box(x0, 0, x1, 99), operation: 'hold' });

  it('takes itself out of the matte, whatever comes after it, and is given beside it', () => {
    const m = drawMatte(removal([held(19.5, 39.5), box(9.5, 9.5, 59.5, 59.5)]), 0, 100, 100);
    expect([valueAt(m, 15, 30), valueAt(m, 25, 30), valueAt(m, 45, 30)]).toEqual([255, 0, 255]);
    const at = (x: number, y: number): number => m.held![(y - m.rect.y) * m.rect.width + x - m.rect.x];
    expect([at(15, 30), at(25, 30), at(45, 30)]).toEqual([0, 255, 0]);
    // It reaches beyond the matte: there it is no background either.
    expect(at(25, 80)).toBe(255);
  });

  it('has an edge of its own, which the growth of the matte does not move', () => {
    const grown = drawMatte(removal([box(9.5, 9.5, 59.5, 59.5), held(29.5, 99)], { grow: 6 }), 0, 100, 100);
    expect([valueAt(grown, 29, 30), valueAt(grown, 30, 30)]).toEqual([255, 0]);
    const soft = drawMatte(removal([box(9.5, 9.5, 59.5, 59.5), held(29.5, 99)], { holdFeather: 4 }), 0, 100, 100);
    const row = Array.from({ length: 12 }, (_, i) => valueAt(soft, 24 + i, 30));
    expect([row[0], row.at(-1)]).toEqual([255, 0]);
    expect([...row].sort((a, b) => b - a)).toEqual(row);
  });

  it('is grown and shrunk by itself', () => {
    const shapes = [box(9.5, 9.5, 59.5, 59.5), held(29.5, 99)];
    // From 30 on it stays; moved by five px, from 25 or from 35 on. The matte's own edge, at 10, is where it was.
    for (const [holdGrow, first] of [
      [5, 25],
      [-5, 35],
    ]) {
      const m = drawMatte(removal(shapes, { holdGrow }), 0, 100, 100);
      expect([9, 10, first - 1, first].map((x) => valueAt(m, x, 30))).toEqual([0, 255, 255, 0]);
    }
  });

  it('are other removals too: no background, but what is in the matte stays in it', () => {
    const [own, other, nothing] = [[box(9.5, 9.5, 59.5, 59.5)], [box(39.5, 39.5, 89.5, 89.5)], []].map((shapes) =>
      drawMatte(removal(shapes), 0, 100, 100),
    );
    const m = besideOthers(own, [nothing, other]);
    const at = (x: number, y: number): [number, number] => {
      const i = (y - m.rect.y) * m.rect.width + x - m.rect.x;
      return [m.values[i], m.held![i]];
    };
    expect([at(20, 20), at(50, 50), at(80, 80), at(80, 20)]).toEqual([
      [255, 0],
      [255, 255],
      [0, 255],
      [0, 0],
    ]);
    expect([besideOthers(own, [nothing]), besideOthers(nothing, [other]).held]).toEqual([own, other.values]);
  });

  it('alone leaves nothing to remove', () => {
    expect(sum(drawMatte(removal([held(10, 20)]), 0, 100, 100).values)).toBe(0);
  });
});

describe('shapes as files', () => {
  const keys = [0, 8].map((frame): ShapeKey => ({
    frame,
    ease: 'smooth',
    points: rectanglePoints(frame, 0, frame + 2, 2),
  }));
  const one = removal([shape(keys, { name: 'A "box" & more', visible: { from: 0, to: 9 } })], { name: '<Cart>' });

  it('are SVG with a path for each key', () => {
    const svg = shapesSvg(one, 40, 30);
    expect(svg).toContain('viewBox="-0.5 -0.5 40 30"');
    expect(svg).toContain('<title>&lt;Cart&gt;</title>');
    expect(svg).toContain('data-name="A &quot;box&quot; &amp; more" data-operation="add" data-from="0" data-to="9"');
    expect(svg).toContain(
      '<path data-frame="8" data-ease="smooth" d="M8 0C8 0 10 0 10 0C10 0 10 2 10 2C10 2 8 2 8 2C8 2 8 0 8 0Z"/>',
    );
    expect(svg.match(/<path/g)).toHaveLength(2);
  });

  it('are JSON with the same, and on a ride as they are seen on each of its frames', () => {
    const quad = (x: number): { x: number; y: number }[] => [
      { x, y: 0 },
      { x: x + 9, y: 0 },
      { x: x + 9, y: 9 },
      { x, y: 9 },
    ];
    const quads = [0, 1, 2].map((frame) => ({ frame, quad: quad(5 * frame) }));
    const riding = { ...shape([keys[0]]), ride: { home: 0, quads } } as Shape;
    const { shapes } = JSON.parse(shapesJson(removal([riding]))) as {
      shapes: { keys: { frame: number; points: number[][] }[] }[];
    };
    expect(shapes[0].keys.map((k) => [k.frame, Math.round(k.points[0][0])])).toEqual([
      [0, 0],
      [1, 5],
      [2, 10],
    ]);
  });
});
