import { describe, expect, it } from '@jest/globals';
import { identity3, type Matrix3 } from '../geometry/homography.ts';
import type { FrameFormat, FrameReader } from '../image/format.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { panning } from '../testing/panning.ts';
import { shadeIn, withoutShade } from './bodies.ts';
import { enlarge } from './enlarge.ts';
import { unlikenessOf, UNKNOWN } from './evidence.ts';
import { FrameLayer } from './layFrames.ts';
import {
  areaOf,
  at,
  centreOf,
  distanceFrom,
  grown,
  maskIn,
  patchOf,
  shared,
  union,
  type MaskPatch,
} from './maskPatch.ts';
import { moversOf } from './movers.ts';
import { movingRegions, type Moving } from './segment.ts';

const box = (x: number, y: number, width: number, height: number): MaskPatch => ({
  x,
  y,
  width,
  height,
  data: new Uint8Array(width * height).fill(1),
});
const SIZE = { width: 200, height: 100 };
const still = (): Matrix3 => identity3();
const never = (): boolean => false;
/** What moves in `count` frames. */
const frames = (
  count: number,
  at: (t: number) => MaskPatch[],
  loose: (t: number) => MaskPatch[] = () => [],
): Moving[] => Array.from({ length: count }, (_, t) => ({ regions: at(t), loose: loose(t) }));

describe('masks', () => {
  it('are made of px, grown, joined and compared', () => {
    const two = patchOf([2 * 10 + 3, 3 * 10 + 4], 10);
    expect(two).toMatchObject({ x: 3, y: 2, width: 2, height: 2 });
    expect([...two.data]).toEqual([1, 0, 0, 1]);
    expect(areaOf(grown(two, 1))).toBe(14);
    expect(areaOf(union(box(0, 0, 2, 2), box(5, 0, 1, 1)))).toBe(5);
    expect(shared(box(0, 0, 4, 4), box(2, 2, 4, 4))).toBe(4);
    expect(centreOf(box(10, 20, 3, 5))).toEqual({ x: 11, y: 22 });
  });

  it('are cut out for a rectangle that they do not touch, too', () => {
    expect([...maskIn(box(0, 0, 3, 3), { x: 10, y: 1, width: 2, height: 1 })]).toEqual([0, 0]);
    expect([...maskIn(box(10, 1, 3, 3), { x: 0, y: 0, width: 1, height: 3 })]).toEqual([0, 0, 0]);
  });

  it('have a distance, below 0 inside', () => {
    const d = distanceFrom(box(2, 2, 3, 3), { x: 0, y: 0, width: 7, height: 7 });
    expect(d[3 * 7 + 3]).toBe(-2);
    expect(d[3 * 7 + 2]).toBe(-1);
    expect(d[3 * 7 + 1]).toBe(1);
    expect(d[1 * 7 + 1]).toBeCloseTo(Math.SQRT2, 5);
  });
});

describe('moversOf', () => {
  it('finds what goes its way, and leaves out what stays in its place', () => {
    const found = moversOf(
      frames(30, (t) => [box(10 + 4 * t, 40, 10, 20), box(170 + (t % 3), 10, 8, 8)]),
      still,
      SIZE,
      never,
    );
    expect(found).toHaveLength(1);
    expect(found[0]).toMatchObject({ first: 0, last: 29 });
    expect(found[0].path[10].x - found[0].path[0].x).toBeCloseTo(40, 5);
  });

  it('takes in what is loose and touches it more than others, but not what lies farther away', () => {
    const at = (t: number): MaskPatch[] => [box(10 + 4 * t, 40, 10, 20), box(180 - 4 * t, 70, 12, 20)];
    const loose = (t: number): MaskPatch[] => (t === 5 ? [box(41, 45, 8, 3), box(70, 10, 9, 9)] : []);
    const [one, other] = moversOf(frames(30, at, loose), still, SIZE, never).sort(
      (a, b) => a.masks[5].x - b.masks[5].x,
    );
    expect([areaOf(one.masks[5]), areaOf(other.masks[5])]).toEqual([200 + 24, 240]);
    const between = (t: number): MaskPatch[] => (t === 20 ? [box(95, 53, 10, 20)] : []);
    const crossing = moversOf(frames(30, at, between), still, SIZE, never);
    expect(crossing.map(({ masks }) => areaOf(masks[20])).sort()).toEqual([240, 200 + 165]);
  });

  it('takes the movement of the camera off: what the camera alone moves is no mover', () => {
    const pan = (from: number, to: number): Matrix3 => Float64Array.of(1, 0, 4 * (to - from), 0, 1, 0, 0, 0, 1);
    expect(
      moversOf(
        frames(30, (t) => [box(10 + 4 * t, 40, 10, 20)]),
        pan,
        SIZE,
        never,
      ),
    ).toEqual([]);
    expect(
      moversOf(
        frames(30, () => [box(90, 40, 10, 20)]),
        pan,
        SIZE,
        never,
      ),
    ).toHaveLength(1);
  });

  it('keeps two apart that cross', () => {
    const at = (t: number): MaskPatch[] => {
      const [a, b] = [box(10 + 3 * t, 40, 12, 30), box(170 - 3 * t, 45, 12, 30)];
      return shared(grown(a, 1), b) > 0 ? [union(a, b)] : [a, b];
    };
    const found = moversOf(frames(50, at), still, SIZE, never);
    expect(found).toHaveLength(2);
    for (const { path, first, last } of found) {
      expect([first, last]).toEqual([0, 49]);
      const [start, end] = [path[0].x, path.at(-1)!.x];
      expect(Math.abs(end - start)).toBeCloseTo(3 * 49, -1);
    }
    expect(Math.sign(found[0].path[49].x - found[0].path[0].x)).toBe(
      -Math.sign(found[1].path[49].x - found[1].path[0].x),
    );
    // The frame that shows it best shows it alone.
    expect(Math.abs(found[0].best - 26)).toBeGreaterThan(2);
  });

  it('bridges frames in which nothing was seen, and joins parts that go together', () => {
    const at = (t: number): MaskPatch[] => {
      if (t === 12 || t === 13) return [];
      return [box(20 + 4 * t, 30, 12, 20), box(24 + 4 * t, 54, 16, 3)];
    };
    const found = moversOf(frames(30, at), still, SIZE, never);
    expect(found).toHaveLength(1);
    expect(found[0].masks).toHaveLength(30);
    expect(centreOf(found[0].masks[12]).x).toBeCloseTo(centreOf(found[0].masks[11]).x + 4, -0.5);
    expect(areaOf(found[0].masks[5])).toBe(12 * 20 + 16 * 3);
  });
});

describe('parts of one thing', () => {
  it('are one from the first frame on, where it moves on from where it was about to be', () => {
    // The film's first frames have later ones alone beside them: where it is about to be shows like it, with a speck below.
    const at = (t: number): MaskPatch[] =>
      t === 0 ? [box(20, 30, 50, 42), box(56, 74, 10, 8)] : [box(46 + 4 * t, 30, 24, 48)];
    const found = moversOf(frames(30, at), still, SIZE, never);
    expect(found).toHaveLength(1);
    expect(found[0]).toMatchObject({ first: 0, last: 29 });
    expect(areaOf(found[0].masks[20])).toBe(24 * 48);
  });

  it('are one when it comes into the picture and is seen whole', () => {
    // A foot comes first, then a head; the whole hangs together while it still comes in, and is 40 px wide.
    const at = (t: number): MaskPatch[] => {
      const x = 197 - 4 * t;
      if (t < 2) return [box(198, 84, 2, 8)];
      if (t < 5) return [box(198, 20, 2, 10), box(197, 84, 3, 8)];
      return [box(x, 20, Math.min(40, 200 - x), 72)];
    };
    const found = moversOf(frames(45, at), still, SIZE, never);
    expect(found).toHaveLength(1);
    expect(found[0]).toMatchObject({ first: 0, last: 44 });
    expect(areaOf(found[0].masks[3])).toBe(2 * 10 + 3 * 8);
  });

  it('are one where a small one stays beside a large one, however its middle moves', () => {
    // For some frames a leg is seen by itself, as it swings forward.
    const at = (t: number): MaskPatch[] => {
      const body = box(20 + 4 * t, 30, 24, 40);
      return t < 6 || t > 13 ? [body] : [body, box(body.x - 4 + 4 * (t - 6), 75, 6, 10)];
    };
    expect(moversOf(frames(30, at), still, SIZE, never)).toHaveLength(1);
  });

  it('that are small must be seen for longer', () => {
    const shortly = (side: number): Moving[] => frames(30, (t) => (t < 8 ? [box(10 + 6 * t, 40, side, side)] : []));
    expect(moversOf(shortly(20), still, SIZE, never)).toHaveLength(1);
    expect(moversOf(shortly(5), still, SIZE, never)).toHaveLength(0);
  });
});

describe('enlarge', () => {
  it('keeps what touches the border of the frame there', () => {
    const out = new Uint8Array(16 * 8);
    enlarge(box(0, 0, 2, 2), 4, 16, 8, out);
    expect([...out.subarray(0, 16)].map((v) => v / 255)).toEqual([1, 1, 1, 1, 1, 1, 1, 1, 1, 0, 0, 0, 0, 0, 0, 0]);
    expect(out[7 * 16]).toBe(255);
  });
});

describe('movingRegions', () => {
  const [w, h, count] = [160, 96, 60];
  const plane = { width: w, height: h, stepX: 1, stepY: 1 };
  const format: FrameFormat = { width: w, height: h, depth: 8, planes: [plane], colourPlanes: 1 };
  const { sin, round } = Math;
  const ground = (x: number, y: number): number => 110 + 40 * sin(x / 3.1) * sin(y / 4.3) + 25 * sin((x + 2 * y) / 7);
  /** A ground that pans by 1 px a frame and grows lighter, and a block that crosses it with a shadow before it. */
  const reader: FrameReader = {
    format,
    count,
    readRows(frame, _plane, y0, rows, into) {
      for (let y = y0; y < y0 + rows; y++) {
        for (let x = 0; x < w; x++) {
          const [bx, by] = [140 - 2 * frame, 40];
          const inBlock = x >= bx && x < bx + 12 && y >= by && y < by + 24;
          const inShadow = x >= bx - 14 && x < bx && y >= by + 18 && y < by + 24;
          const light = 1 + 0.003 * frame;
          const value = inBlock ? 40 + 3 * ((x + y) % 5) : ground(x + frame, y) * (inShadow ? 0.6 : 1);
          into[(y - y0) * w + x] = round(value * light);
        }
      }
    },
  };
  const motion = (): CameraMotion => panning(w, h, count, 1);

  it('are where something moves, its shadow too, whatever the camera and the light do', async () => {
    const kernels = await loadKernels(64 << 20);
    const layer = new FrameLayer(kernels, reader, motion(), 60);
    const t = 30;
    const cost = unlikenessOf(kernels, layer, t, count);
    const { regions } = movingRegions(kernels, cost, w, h);
    expect(regions).toHaveLength(1);
    const [block, shadow] = [box(80, 40, 12, 24), box(66, 58, 14, 6)];
    expect(shared(regions[0], block)).toBeGreaterThan(0.95 * areaOf(block));
    expect(shared(regions[0], shadow)).toBeGreaterThan(0.9 * areaOf(shadow));
    expect(areaOf(regions[0])).toBeLessThan(1.35 * (areaOf(block) + areaOf(shadow)));
  });

  it('are told by luma and colour in RGB, too: a frame in green, blue and red is laid as the same one in luma and chroma', async () => {
    const kernels = await loadKernels(64 << 20);
    // Grey, a red that is half as bright as white, and the shade of a green, in 8 bits.
    const [g, b, r] = [
      [100, 0, 90],
      [100, 0, 30],
      [100, 128, 30],
    ];
    const size = { width: 3, height: 1, stepX: 1, stepY: 1 };
    const rgb: FrameFormat = { ...format, width: 3, height: 1, planes: [size, size, size], colourPlanes: 3, rgb: true };
    const three: FrameReader = {
      format: rgb,
      count: 1,
      readRows: (_frame, plane, _y, _rows, into) => into.set([g, b, r][plane]),
    };
    const own = new FrameLayer(kernels, three, motion(), 1).own(0).map(({ at }) => [...kernels.u16(at, 3)]);
    // 8 bits are 16 times as much in 12. Red: 0.2126 x 2048; its differences (0 - 435) / 1.8556 and (2048 - 435) / 1.5748.
    expect(own.map((plane) => plane[0])).toEqual([1600, 2048, 2048]);
    expect(own.map((plane) => plane[1])).toEqual([435, 2048 - 235, 2048 + 1024]);
    const luma = 16 * (0.7152 * 90 + 0.2848 * 30);
    expect(Math.abs(own[0][2] - luma)).toBeLessThan(1);
    expect(Math.abs(own[1][2] - 2048 - (480 - luma) / 1.8556)).toBeLessThan(1);
  });

  it('are where somebody stands for a while before a camera that rests', async () => {
    const kernels = await loadKernels(64 << 20);
    const long = 240;
    // Comes at frame 60, and stands until frame 160.
    const stands = (t: number): boolean => t >= 60 && t < 160;
    const standing: FrameReader = {
      format,
      count: long,
      readRows(frame, _plane, y0, rows, into) {
        for (let i = 0; i < rows * w; i++) {
          const [x, y] = [i % w, y0 + Math.floor(i / w)];
          into[i] = stands(frame) && x >= 70 && x < 84 && y >= 30 && y < 66 ? 30 : round(ground(x, y));
        }
      },
    };
    const resting = new CameraMotion(solveCamera(w, h, long, [], 1));
    expect(resting.data.tripod).toBe(true);
    const layer = new FrameLayer(kernels, standing, resting, 40);
    const found = (t: number): MaskPatch[] =>
      movingRegions(kernels, unlikenessOf(kernels, layer, t, long), w, h).regions;
    expect(found(110)).toHaveLength(1);
    expect(shared(found(110)[0], box(70, 30, 14, 36))).toBeGreaterThan(0.95 * 14 * 36);
    expect(found(20)).toEqual([]);
  });

  it('take thin parts in, though the thing that they belong to fills their surroundings; far ones are loose', async () => {
    const kernels = await loadKernels(64 << 20);
    // A body of 60 px, and a tail of 4 x 80 px: between six and seven times as unlike as usual, and twice as unlike as what is usual beside the body.
    const [body, tail] = [box(10, 20, 60, 60), box(70, 40, 80, 4)];
    const cost = Uint16Array.from({ length: w * h }, (_, i) => {
      const [x, y] = [i % w, Math.floor(i / w)];
      return at(body, x, y) ? 4000 : at(tail, x, y) ? 800 : 100;
    });
    const { regions, loose } = movingRegions(kernels, cost, w, h);
    expect([regions.length, loose.length]).toEqual([1, 1]);
    expect(shared(regions[0], body)).toBe(areaOf(body));
    expect(shared(regions[0], tail) + shared(loose[0], tail)).toBe(areaOf(tail));
    expect(shared(loose[0], box(130, 40, 20, 4))).toBe(80);
  });

  it('say nothing where no other frame looks', async () => {
    const kernels = await loadKernels(64 << 20);
    const few: FrameReader = { ...reader, count: 3, readRows: reader.readRows.bind(reader) };
    const layer = new FrameLayer(kernels, few, motion(), 3);
    const cost = unlikenessOf(kernels, layer, 1, 3);
    expect(cost.every((c) => c === UNKNOWN)).toBe(true);
    expect(movingRegions(kernels, cost, w, h)).toEqual({ regions: [], loose: [] });
  });
});

describe('a mover without its shadow', () => {
  /** A body of 8 x 20 px, and a shadow of 16 x 5 px at its foot, to the right. */
  const body = box(20, 10, 8, 20);
  const whole = union(body, box(24, 27, 20, 5));
  const shadow = box(29, 27, 15, 5);

  it('is what is left when the shade is taken away, without crumbs', () => {
    const alone = withoutShade(whole, union(shadow, box(20, 15, 1, 1)));
    expect(shared(alone, shadow)).toBe(0);
    // A single px of shade in the body is no shadow; what lies under the shadow's near end stays with the body.
    expect(shared(alone, body)).toBe(areaOf(body));
    expect(areaOf(alone)).toBeLessThan(areaOf(body) + 30);
  });

  it('is all of it if there is no shade, or nothing else', () => {
    expect(withoutShade(whole, box(100, 50, 10, 10))).toBe(whole);
    expect(withoutShade(whole, box(0, 0, 100, 60))).toBe(whole);
  });

  it('is told by the ground’s texture, which is there in less light', () => {
    const [w, h] = [64, 48];
    const ground = Uint16Array.from(
      { length: w * h },
      (_, i) => 1500 + 500 * Math.sin(i * 1.7) + 300 * Math.sin(i / 5),
    );
    const inShadow = (i: number): boolean => at(shadow, i % w, Math.floor(i / w)) === 1;
    const inBody = (i: number): boolean => at(body, i % w, Math.floor(i / w)) === 1;
    const own = ground.map((v, i) => (inShadow(i) ? 0.6 * v : inBody(i) ? 700 + ((i * 37) % 200) : v));
    const evidence = { unlikeness: new Uint16Array(w * h), own: [own], background: [ground] };
    const shade = shadeIn(evidence, { width: w, height: h }, [whole]);
    expect(shared(shade, shadow)).toBeGreaterThan(0.9 * areaOf(shadow));
    expect(shared(shade, body)).toBeLessThan(0.1 * areaOf(body));
    expect(areaOf(shadeIn(evidence, { width: w, height: h }, []))).toBe(0);
  });

  it('is told where the shadow is narrow, soft at its edges and bluer than the light', () => {
    const [w, h] = [64, 48];
    const luma = Uint16Array.from({ length: w * h }, (_, i) => 1500 + 500 * Math.sin(i * 1.7));
    const chroma = new Uint16Array(w * h).fill(2048);
    // Light across the strip of rows 20 to 25, from its edge to its core; the sky lights it, bluer by four 8-bit levels.
    const light = (i: number): number => [0.75, 0.52, 0.5, 0.5, 0.52, 0.75][Math.floor(i / w) - 20] ?? 1;
    const blue = chroma.map((v, i) => (light(i) < 0.6 ? v + 64 : v));
    const strip = box(0, 20, w, 6);
    const shadeBy = (most: Uint16Array): MaskPatch =>
      shadeIn(
        { unlikeness: luma, own: [luma.map((v, i) => light(i) * v), most], background: [luma, chroma] },
        { width: w, height: h },
        [strip],
      );
    const core = box(2, 21, w - 4, 4);
    expect(shared(shadeBy(blue), core)).toBeGreaterThan(0.9 * areaOf(core));
    // A dark blue thing is bluer by far.
    expect(areaOf(shadeBy(chroma.map((v, i) => (light(i) < 1 ? v + 200 : v))))).toBe(0);
  });
});
