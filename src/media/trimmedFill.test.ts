import { describe, expect, it } from '@jest/globals';
import { NO_TRIM, type Trim } from '../core/fill/trim.ts';
import { planeViews, type FrameReader } from '../core/image/format.ts';
import { applyPatch } from './applyPatch.ts';
import { colourModel } from './colour.ts';
import { alphaFormat, fillFrame } from './fillFrame.ts';
import { storedFormat } from './pixelFormat.ts';

const [WIDTH, HEIGHT] = [32, 16];
const BENEATH = 100;
const FILL = 60;

/** Matte: 255 in columns 8..23, half of it in the columns beside. */
const matteAt = (x: number): number => (x >= 8 && x < 24 ? 255 : x === 7 || x === 24 ? 128 : 0);
const mattes: FrameReader = {
  format: storedFormat('gray', WIDTH, HEIGHT).format,
  count: 1,
  readRows: (_t, _p, _y, rows, into) => {
    for (let i = 0; i < rows * WIDTH; i++) into[i] = matteAt(i % WIDTH);
  },
};

/** A frame of one level and a patch over all of it, grey; a full take's is mixed already. */
function scene(pixelFormat: string, draft: boolean, fill: (x: number) => number = () => FILL) {
  const { format } = storedFormat(pixelFormat, WIDTH, HEIGHT);
  const frame = new Uint8Array(format.planes.reduce((n, p) => n + p.width * p.height, 0));
  planeViews(frame, format).forEach((view, p) => view.fill(p === 0 ? BENEATH : 128));
  const planes = format.planes.map((p, plane) =>
    Uint16Array.from({ length: p.width * p.height }, (_, i) => {
      if (plane > 0) return 128;
      const x = i % p.width;
      const a = draft ? 1 : matteAt(x) / 255;
      return Math.round(BENEATH + (fill(x) - BENEATH) * a);
    }),
  );
  const patch = { frame: 0, rect: { x: 0, y: 0, width: WIDTH, height: HEIGHT }, planes, hole: 1, unseen: 0 };
  const info = { colour: {}, width: WIDTH, height: HEIGHT, pixelFormat };
  return { frame, format, patch, draft, colour: colourModel(info, { pixelFormat }) };
}

const trimmedRow = (s: ReturnType<typeof scene>, trim: Partial<Trim>): number[] => {
  applyPatch(s.frame, s.format, s.patch, mattes, s.draft, { trim: { ...NO_TRIM, ...trim }, colour: s.colour });
  return [...s.frame.subarray(WIDTH * 8, WIDTH * 9)];
};

describe.each([
  ['a full take', false],
  ['a draft', true],
])('the trim of %s', (_, draft) => {
  it('makes the fill brighter, the edge in its share, and the outside not at all', () => {
    const row = trimmedRow(scene('yuv420p', draft), { exposure: 1 });
    const bright = 16 + (FILL - 16) * 2 ** (1 / 2.4);
    expect(row[16]).toBe(Math.round(bright));
    expect(Math.abs(row[7] - (BENEATH + ((bright - BENEATH) * 128) / 255))).toBeLessThan(1.1);
    expect(row.filter((v, x) => matteAt(x) === 0 && v !== BENEATH)).toEqual([]);
  });

  it('lets what is beneath shine through', () => {
    expect(trimmedRow(scene('yuv444p', draft), { opacity: 25 })[16]).toBe(
      Math.round(BENEATH + (FILL - BENEATH) * 0.25),
    );
    expect(new Set(trimmedRow(scene('yuv444p', draft), { opacity: 0 }))).toEqual(new Set([BENEATH]));
  });

  it('moves the fill under its matte by whole px and by parts of one', () => {
    const ramp = (x: number): number => 40 + 2 * x;
    expect(trimmedRow(scene('gray', draft, ramp), { dx: 3 })[18]).toBe(ramp(15));
    expect(trimmedRow(scene('gray', draft, ramp), { dx: -1.5 })[14]).toBe(ramp(15.5));
  });

  it('clips at white and black instead of running over', () => {
    expect(
      trimmedRow(
        scene('gray', draft, () => 250),
        { exposure: 4 },
      )[16],
    ).toBe(255);
  });
});

it('a fill with alpha carries the trim, and its opacity in the alpha', () => {
  const s = scene('yuv444p', false);
  const target = alphaFormat(storedFormat('yuv444p', WIDTH, HEIGHT)).format;
  const hand = { trim: { ...NO_TRIM, exposure: 1, opacity: 50 }, colour: s.colour };
  const out = planeViews(fillFrame({ ...s, mattes, hand }, target), target);
  expect(out[0][16]).toBe(Math.round(16 + (FILL - 16) * 2 ** (1 / 2.4)));
  expect([out[3][16], out[3][2]]).toEqual([128, 0]);
});

it('a trim in colour touches the chroma of subsampled footage', () => {
  const s = scene('yuv420p', false);
  applyPatch(s.frame, s.format, s.patch, mattes, false, { trim: { ...NO_TRIM, warmth: 60 }, colour: s.colour });
  const [, cb, cr] = planeViews(s.frame, s.format);
  expect(cb[8]).toBeLessThan(128);
  expect(cr[8]).toBeGreaterThan(128);
  expect([cb[0], cr[0]]).toEqual([128, 128]);
});
