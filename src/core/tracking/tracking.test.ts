import { beforeAll, describe, expect, it } from '@jest/globals';
import { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { invert3, multiply3, type Matrix3 } from '../geometry/homography.ts';
import type { FrameReader } from '../image/format.ts';
import { followRegion, type TrackedFrame } from './followRegion.ts';
import { mapQuad, partsUpTo, type Quad } from './regionModel.ts';
import { smoothRows } from './smoothRows.ts';
import { trackRegion, type TrackRequest } from './trackRegion.ts';
import { readTrackCsv, trackCsv } from './trackTable.ts';

const [W, H] = [176, 128];
// Looked up once: reaching for a global is slow under the test runner, and frames are painted pixel by pixel.
const { floor, imul, round, min, max, sin, cos, hypot } = Math;
const SIDE = 512;
const fade = (t: number): number => t * t * (3 - 2 * t);
/** Noise at three scales on a grid of points, straight between them: known exactly everywhere, and nowhere the same. */
const POINTS = Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
  const [x, y] = [i % SIDE, floor(i / SIDE)];
  return 128 + 70 * blob(x / 19, y / 19) + 70 * blob(x / 8 + 99, y / 8) + 40 * blob(x / 4, y / 4 + 77);
});
/** Smooth noise of period 1, -0.5..0.5. */
function blob(x: number, y: number): number {
  const [ix, iy] = [floor(x), floor(y)];
  const [u, v] = [fade(x - ix), fade(y - iy)];
  const [a, b, c, d] = [hash(ix, iy), hash(ix + 1, iy), hash(ix, iy + 1), hash(ix + 1, iy + 1)];
  return (a * (1 - u) + b * u) * (1 - v) + (c * (1 - u) + d * u) * v;
}
function hash(x: number, y: number): number {
  let h = imul(x, 0x27d4eb2d) ^ imul(y, 0x165667b1);
  h = imul(h ^ (h >>> 15), 0x85ebca6b);
  return ((h ^ (h >>> 13)) >>> 0) / 4294967296 - 0.5;
}
function texture(x: number, y: number): number {
  const [px, py] = [min(SIDE - 2, max(0, x + SIDE / 2)), min(SIDE - 2, max(0, y + SIDE / 2))];
  const i = floor(py) * SIDE + floor(px);
  const [u, v] = [px % 1, py % 1];
  return (
    (POINTS[i] * (1 - u) + POINTS[i + 1] * u) * (1 - v) + (POINTS[i + SIDE] * (1 - u) + POINTS[i + SIDE + 1] * u) * v
  );
}

/** Frames of a texture seen through known motions, with light, grain, and things in front. */
class Painted implements FrameReader {
  readonly format = {
    width: W,
    height: H,
    depth: 8,
    planes: [{ width: W, height: H, stepX: 1, stepY: 1 }],
    colourPlanes: 1,
  };
  constructor(
    readonly count: number,
    /** Texture px → frame px. */
    readonly motion: (t: number) => Matrix3,
    readonly after: (v: number, x: number, y: number, t: number) => number = (v) => v,
  ) {}

  readRows(frame: number, _plane: number, y0: number, rows: number, into: Uint8Array): void {
    const m = invert3(this.motion(frame));
    for (let y = y0; y < y0 + rows; y++) {
      for (let x = 0; x < W; x++) {
        const q = 1 / (m[6] * x + m[7] * y + m[8]);
        const v = texture((m[0] * x + m[1] * y + m[2]) * q, (m[3] * x + m[4] * y + m[5]) * q);
        into[(y - y0) * W + x] = min(255, max(0, round(this.after(v, x, y, frame))));
      }
    }
  }
}

const QUAD: Quad = [
  { x: 60, y: 40 },
  { x: 112, y: 40 },
  { x: 112, y: 88 },
  { x: 60, y: 88 },
];
/** A hand-held, slowly turning and tilting view. */
const handheld = (t: number): Matrix3 =>
  Float64Array.of(
    1 + 0.004 * t,
    -0.006 * t,
    6 * sin(t / 3),
    0.005 * t,
    1 + 0.002 * t,
    4 * cos(t / 4) - 4,
    2e-5 * t,
    -1e-5 * t,
    1,
  );

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(1 << 26);
});

const truth = (frames: Painted, t: number, anchor = 0, quad = QUAD): Quad =>
  mapQuad(multiply3(frames.motion(t), invert3(frames.motion(anchor))), quad);
const apart = (a: Quad, b: Quad): number => max(...a.map((p, i) => hypot(p.x - b[i].x, p.y - b[i].y)));

function follow(frames: Painted, more: Partial<Parameters<typeof followRegion>[2]> = {}): TrackedFrame[] {
  return [
    ...followRegion(kernels, frames, {
      anchor: 0,
      quad: QUAD,
      parts: partsUpTo('perspective'),
      to: frames.count - 1,
      ...more,
    }),
  ];
}

function track(frames: Painted, more: Partial<TrackRequest> = {}): Map<number, TrackedFrame> {
  const request = {
    anchors: [{ frame: 0, quad: QUAD }],
    parts: partsUpTo('perspective'),
    first: 0,
    last: frames.count - 1,
    ...more,
  };
  return new Map([...trackRegion(kernels, frames, request)].map((f) => [f.frame, f]));
}

const grain = (v: number, x: number, y: number, t: number): number => v + 6 * hash(x + 1000 * t, y);

describe('smoothing', () => {
  it('leaves a straight way alone, draws in what is missing, and never moves what is fixed', () => {
    const rows = Array.from({ length: 12 }, (_, i) => ({ values: [3 * i, -i], trust: 0.9 }));
    const gap = rows.map((r, i) => (i === 5 || i === 6 ? undefined : r));
    smoothRows(gap).forEach(([x, y], i) => {
      expect(x).toBeCloseTo(3 * i, 6);
      expect(y).toBeCloseTo(-i, 6);
    });
    const bent = rows.map((r, i) => (i === 6 ? { values: [30, -6], trust: 0.1, fixed: true } : r));
    expect(smoothRows(bent)[6][0]).toBeCloseTo(30, 3);
  });

  it('takes a jump out of a frame that is not to be believed, and little from one that is', () => {
    const jump = (trust: number): number =>
      smoothRows(
        Array.from({ length: 21 }, (_, i) => ({ values: [i === 10 ? 8 : 0], trust: i === 10 ? trust : 0.9 })),
      )[10][0];
    expect(jump(0.1)).toBeLessThan(0.1);
    expect(jump(0.9)).toBeGreaterThan(0.5);
  });
});

describe('following a region', () => {
  it('recovers a known homography within a tenth of a pixel at its corners, and is sure of it', () => {
    const frames = new Painted(20, handheld);
    for (const f of follow(frames)) {
      expect(apart(f.quad, truth(frames, f.frame))).toBeLessThan(0.1);
      expect(f.confidence).toBeGreaterThan(0.9);
    }
  });

  it('does not grow worse with time: grain on every frame, ninety frames', () => {
    const frames = new Painted(90, (t) => handheld(8 * sin(t / 9)), grain);
    const errors = follow(frames).map((f) => apart(f.quad, truth(frames, f.frame)));
    const mean = (a: number[]): number => a.reduce((s, v) => s + v, 0) / a.length;
    expect(mean(errors.slice(-30))).toBeLessThan(0.2);
    expect(mean(errors.slice(-30))).toBeLessThan(1.5 * mean(errors.slice(0, 30)));
  });

  it('is not moved by a change of light over half of it', () => {
    const frames = new Painted(8, handheld, (v, x) => (x > 88 ? v * 0.6 + 30 : v));
    for (const f of follow(frames)) expect(apart(f.quad, truth(frames, f.frame))).toBeLessThan(0.3);
  });

  it('is not moved when half of it is hidden by something that moves another way', () => {
    const hide = (v: number, x: number, y: number, t: number): number =>
      t > 3 && x > 84 + 2 * t ? 128 + 60 * sin(0.3 * (x - 5 * t)) * cos(0.35 * y) : v;
    const frames = new Painted(12, handheld, hide);
    for (const f of follow(frames)) expect(apart(f.quad, truth(frames, f.frame))).toBeLessThan(1);
  });

  it('follows only the parts that it may', () => {
    const frames = new Painted(6, (t) => Float64Array.of(1, 0, 3 * t, 0, 1, -2 * t, 0, 0, 1), grain);
    const last = follow(frames, { parts: ['shift'] }).at(-1)!;
    const [dx, dy] = [last.quad[0].x - QUAD[0].x, last.quad[0].y - QUAD[0].y];
    for (let i = 0; i < 4; i++) expect([last.quad[i].x - QUAD[i].x, last.quad[i].y - QUAD[i].y]).toEqual([dx, dy]);
    expect(hypot(dx - 15, dy + 10)).toBeLessThan(0.05);
  });

  it('follows a spot of twelve pixels', () => {
    const spot = QUAD.map((p) => ({ x: 80 + (p.x > 100 ? 12 : 0), y: 60 + (p.y > 60 ? 12 : 0) })) as unknown as Quad;
    const frames = new Painted(20, (t) => Float64Array.of(1, 0, 3 * t, 0, 1, 5 * sin(t), 0, 0, 1), grain);
    for (const f of follow(frames, { quad: spot, parts: ['shift'] })) {
      expect(apart(f.quad, truth(frames, f.frame, 0, spot))).toBeLessThan(0.5);
    }
  });

  it('says that it is lost while the region is hidden, and finds it again', () => {
    const frames = new Painted(30, handheld, (v, _x, _y, t) => (t >= 10 && t < 16 ? grain(90, _x, _y, t) : v));
    const all = follow(frames);
    for (const f of all) {
      const hidden = f.frame >= 10 && f.frame < 16;
      expect([f.frame, f.loss, f.confidence < 0.3]).toEqual([f.frame, hidden ? 'hidden' : undefined, hidden]);
    }
    expect(apart(all.at(-1)!.quad, truth(frames, 29))).toBeLessThan(0.1);
  });

  it('follows what is seen of a region that sticks out of the picture, on any side', () => {
    const swaying = (t: number): Matrix3 => Float64Array.of(1, 0, 9 * sin(t / 2), 0, 1, 7 * sin(t / 3), 0, 0, 1);
    const frames = new Painted(16, swaying, grain);
    for (const [dx, dy] of [
      [-70, 0],
      [W - 102, 0],
      [0, -50],
      [0, H - 78],
      [-66, H - 72],
    ]) {
      const quad = QUAD.map((p) => ({ x: p.x + dx, y: p.y + dy })) as unknown as Quad;
      for (const f of follow(frames, { quad, parts: ['shift'] })) {
        expect([f.frame, dx, dy, f.loss, apart(f.quad, truth(frames, f.frame, 0, quad)) < 0.4]).toEqual([
          f.frame,
          dx,
          dy,
          undefined,
          true,
        ]);
      }
    }
  });

  it('says when a region has nothing to hold on to, or leaves the picture', () => {
    const flat = new Painted(3, handheld, () => 100);
    expect(follow(flat).map((f) => f.loss)).toEqual(['no_texture', 'no_texture']);
    const leaving = new Painted(12, (t) => Float64Array.of(1, 0, 15 * t, 0, 1, 0, 0, 0, 1));
    expect(follow(leaving).at(-1)).toMatchObject({ loss: 'out_of_frame' });
  });
});

describe('a track', () => {
  it('goes both ways from its anchor; time reversed gives the reversed track', () => {
    const there = new Painted(16, handheld);
    const back = new Painted(16, (t) => handheld(15 - t));
    const [a, b] = [track(there), track(back, { anchors: [{ frame: 15, quad: QUAD }] })];
    for (let t = 0; t < 16; t++) expect(apart(a.get(t)!.quad, b.get(15 - t)!.quad)).toBeLessThan(1e-6);
    const middle = track(there, { anchors: [{ frame: 7, quad: truth(there, 7) }] });
    expect([...middle.keys()].sort((x, y) => x - y)).toEqual([...Array(16).keys()]);
    expect(apart(middle.get(0)!.quad, QUAD)).toBeLessThan(0.1);
  });

  it('never moves an anchor, and carries its correction to both sides', () => {
    const frames = new Painted(21, handheld, (v, x, y, t) => (t >= 6 && t < 15 ? grain(90, x, y, t) : v));
    const wanted = truth(frames, 10);
    const rows = track(frames, {
      anchors: [
        { frame: 0, quad: QUAD },
        { frame: 10, quad: wanted },
        { frame: 20, quad: truth(frames, 20) },
      ],
    });
    expect(apart(rows.get(10)!.quad, wanted)).toBe(0);
    for (const t of [3, 5, 16, 19]) expect(apart(rows.get(t)!.quad, truth(frames, t))).toBeLessThan(0.1);
    for (const t of [8, 12]) expect(apart(rows.get(t)!.quad, truth(frames, t))).toBeLessThan(6);
  });

  it('draws a gap straight from where it was lost to where it was found', () => {
    const frames = new Painted(
      20,
      (t) => Float64Array.of(1, 0, t, 0, 1, 0, 0, 0, 1),
      (v, x, y, t) => (t >= 8 && t < 12 ? grain(90, x, y, t) : v),
    );
    for (const f of track(frames).values()) expect(apart(f.quad, truth(frames, f.frame))).toBeLessThan(0.1);
  });
});

describe('a track as a table', () => {
  it('is read as it was written', () => {
    const rows = [...track(new Painted(3, handheld)).values()];
    const again = readTrackCsv(trackCsv(rows));
    expect(again.map((r) => r.frame)).toEqual([0, 1, 2]);
    again.forEach((r, i) => expect(apart(r.quad, rows[i].quad)).toBeLessThan(1e-3));
  });

  it('is refused with the line that is wrong', () => {
    const head = 'frame,confidence,x0,y0,x1,y1,x2,y2,x3,y3\n';
    expect(() => readTrackCsv('frame,x\n1,2')).toThrow('must name the columns');
    expect(() => readTrackCsv(`${head}0,1,0,0,1,0,1,1,0,1\n1,1,0,zero,1,0,1,1,0,1`)).toThrow('Line 3');
    expect(() => readTrackCsv(`${head}0,1,0,0,1,0,1,1,0,1\n0,1,0,0,1,0,1,1,0,1`)).toThrow('two rows');
  });
});
