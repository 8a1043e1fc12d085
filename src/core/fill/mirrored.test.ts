import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { createMatteCells, fillMatteCells, type MatteCells } from '../image/matteCells.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { NEVER, VisibilityFinder, type Stretch } from '../reveal/visibility.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { nothingOf } from './gathered.ts';
import { layMirrored, MIRRORED_MARGIN, mirroredViews } from './mirrored.ts';
import { areHiddenBriefly } from './mirroredTime.ts';
import { readRegionPlane, regionOf, type Region } from './region.ts';
import { partAround, SourceFrames } from './sourceFrames.ts';

// A square of 32 px goes to the right by 8 px a frame, before a picture that is as bright as the time is late. A place x is not
// free where the square, with the three px beside it that are not trusted, lies: from x - 34 to x + 3.

const [W, H, COUNT] = [192, 96, 16];
const left = (t: number): number => 16 + 8 * t;
const level = (t: number): number => 40 + 10 * t;
const FRAME = 5;
const ROW = 48;

const format = smallFormat(W, H, true);
const frames = paintedFrames(format, COUNT, (_x, _y, plane, t) => (plane === 0 ? level(t) : 100 + t));
const mattes = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, t) =>
  x >= left(t) && x < left(t) + 32 && y >= 32 && y < 64 ? 255 : 0,
);
const motion = new CameraMotion(solveCamera(W, H, COUNT, [], 1));

let kernels: Kernels;
let cells: MatteCells;
let finder: VisibilityFinder;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
  cells = createMatteCells(W, H, COUNT);
  for (let t = 0; t < COUNT; t++) fillMatteCells(kernels, cells, mattes, t);
  finder = new VisibilityFinder(kernels, motion, cells, COUNT);
});

/** What a frame's hole shows where all of it is restless, over what was fused. */
function filled(frame: number, fused: number): { region: Region; planes: Float32Array[]; support: Float32Array } {
  const box = { x: left(frame), y: 32, width: 32, height: 32 };
  const region = regionOf(kernels, frame, box, mattes);
  const all = new Float32Array(region.cols * region.rows * 4).fill(1);
  const out = nothingOf(
    region,
    [],
    [0, 1, 2].map((plane) => readRegionPlane(frames, region, plane)),
  );
  for (const plane of out.planes) plane.fill(fused);
  out.support.fill(5);
  out.restless = { cells: all, sure: true };
  const views = mirroredViews(region, all, finder.covered(frame), cells, motion);
  const rects = new Map(views.map((v) => [v.frame, partAround(v.places, MIRRORED_MARGIN, format)]));
  kernels.scoped(() => {
    layMirrored(kernels, out, views, new SourceFrames(kernels, frames, mattes, rects, 16 << 20), format);
  });
  return out;
}

const sample = ({ region, planes }: ReturnType<typeof filled>, x: number, plane = 0): number => {
  const step = plane === 0 ? 1 : 2;
  const [a, b] = [Math.floor((x - region.rect.x) / step), Math.floor((ROW - region.rect.y) / step)];
  return planes[plane][b * (region.rect.width / step) + a];
};

describe('what is free before and after a frame', () => {
  it('is told by how many frames away it is, and for how long', () => {
    const { before, after } = finder.covered(FRAME);
    const at = (x: number): number => ROW * W + x;
    // x = 80: free while the square's left edge lies up to 45 (frames 3, 2, 1, 0) or from 84 on (9 and all after it).
    expect([before.off[at(80)], before.length[at(80)]]).toEqual([2, 4]);
    expect([after.off[at(80)], after.length[at(80)]]).toEqual([4, 7]);
    expect([before.off[at(20)], after.off[at(20)]]).toEqual([0, 0]);
  });

  it('is never where the film ends first', () => {
    expect(finder.covered(0).before.off[ROW * W + 30]).toBe(NEVER);
  });
});

describe('places that are hidden briefly', () => {
  const stretch = (off: number, length: number): Stretch => ({
    off: new Uint8Array(W * H).fill(off),
    length: new Uint8Array(W * H).fill(length),
  });
  const briefly = (before: Stretch, after: Stretch): boolean =>
    areHiddenBriefly({ before, after }, cells, [40.5, 50.5, 41.5, 50.5]);

  it('are free twice as long as they are hidden', () => {
    // Hidden for five frames.
    expect(briefly(stretch(2, 6), stretch(4, 4))).toBe(true);
    expect(briefly(stretch(2, 5), stretch(4, 4))).toBe(false);
  });

  it('are free four times as long where the film begins or ends while they are hidden', () => {
    expect(briefly(stretch(NEVER, 0), stretch(6, 20))).toBe(true);
    expect(briefly(stretch(6, 19), stretch(NEVER, 0))).toBe(false);
    expect(briefly(stretch(NEVER, 0), stretch(NEVER, 0))).toBe(false);
  });

  it('are none that are not hidden at all', () => {
    expect(briefly(stretch(0, 0), stretch(0, 0))).toBe(false);
  });
});

describe('a restless place', () => {
  it('goes on from the frame before it is hidden, with time mirrored', () => {
    // Hidden since frame 4: frame 4 is mirrored to 3, and frame 5 to 2.
    expect(sample(filled(FRAME, 90), 80)).toBeCloseTo(level(2), 3);
  });

  it('goes towards the frame after it, with time mirrored', () => {
    // x = 62 is free from frame 7 on: frame 6 is mirrored to 7, and frame 5 to 8.
    expect(sample(filled(FRAME, 90), 62)).toBeCloseTo(level(8), 3);
    expect(sample(filled(FRAME, 90), 62, 1)).toBeCloseTo(108, 3);
  });

  it('gives way from one to the other in the middle, within what both show', () => {
    // In frame 6 x = 80 is free up to frame 3 and from 9 on: of frames 1 and 11, of levels 50 and 150, each counts half.
    expect(sample(filled(6, 100), 80)).toBeCloseTo(100, 3);
    // Contrast is kept against what was fused: 30 + (20 + 120) / 2 · √2.
    expect(sample(filled(6, 30), 80)).toBeCloseTo(30 + 70 * Math.SQRT2, 3);
    // Against 250 that would be 250 - 150 · √2 = 38, which neither shows.
    expect(sample(filled(6, 250), 80)).toBeCloseTo(50, 3);
  });

  it('is not played back and forth in fewer than four frames if there are more on the other side', () => {
    // In frame 5 x = 72 is free in frames 0 to 2, and from 8 on.
    expect(sample(filled(FRAME, 90), 72)).toBeCloseTo(level(10), 3);
  });

  it('is taken from one side where the film begins or ends first', () => {
    // In frame 1 x = 44 has been hidden since the film began; it is free from frame 4 on: 1 is mirrored to 6.
    expect(sample(filled(1, 90), 44)).toBeCloseTo(level(6), 3);
    // In frame 14 x = 152 has been hidden since frame 13, and is not free again before the film ends.
    expect(sample(filled(14, 90), 152)).toBeCloseTo(level(11), 3);
  });

  it('counts as one frame, and what is known is left as it is', () => {
    const out = filled(FRAME, 90);
    const { region, support } = out;
    const i = (x: number): number => (ROW - region.rect.y) * region.rect.width + x - region.rect.x;
    expect([support[i(80)], support[i(48)]]).toEqual([1, 5]);
    expect(sample(out, 48)).toBe(90);
  });
});
