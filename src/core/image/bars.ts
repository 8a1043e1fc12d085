import { bytesPerSample, maxSample, planeBytes, type FrameReader, type Rect } from './format.ts';

/** Black bars along the sides of every frame of a film: px from each side, 0 where there is none. */
export interface Bars {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** What counts as black, of 255: 16 and what codecs leave beside an edge (ITU-R BT.709-6, 5.6). */
const BLACK = 30;
/** Share of a line that is black at the edge of a bar, and that is black in all of the bar: titles may stand in it. */
const ALL = 0.9;
const MOST = 0.5;
/** Lines between a bar and the picture, which a change of size has made grey. */
const SOFT = 3;

/**
 * Bars that a film was laid out with, told by what stays black in all frames that are asked and ends along a straight line.
 *
 * @returns undefined if there are none.
 */
export function barsOf(frames: FrameReader, asked: readonly number[]): Bars | undefined {
  const { width, height } = frames.format;
  const black = timesBlack(frames, asked);
  const lineOf = (first: number, step: number, n: number): Line => {
    let [always, mostly] = [0, 0];
    for (let k = 0; k < n; k++) {
      const times = black[first + k * step];
      if (times === asked.length) always++;
      if (times > asked.length / 2) mostly++;
    }
    return { always: always / n, mostly: mostly / n };
  };
  const columnsIn = (top: number, bottom: number): Line[] =>
    Array.from({ length: width }, (_, x) => lineOf(top * width + x, width, height - top - bottom));
  const rowsIn = (left: number, right: number): Line[] =>
    Array.from({ length: height }, (_, y) => lineOf(y * width + left, 1, width - left - right));
  const bothOf = (lines: Line[]): [number, number] => [barOf(lines), barOf(lines.toReversed())];
  // Bars at the sides are looked for beside those above and below, which make every column dark.
  const [left, right] = bothOf(columnsIn(...bothOf(rowsIn(0, 0))));
  const [top, bottom] = bothOf(rowsIn(left, right));
  const bars = { left, top, right, bottom };
  return Object.values(bars).some((n) => n > 0) ? bars : undefined;
}

/** Bars on frames of another size. @param side - Px there from px here, of which there are some. */
export function resizedBars({ left, top, right, bottom }: Bars, side: (px: number) => number): Bars {
  const resized = (px: number): number => (px > 0 ? side(px) : 0);
  return { left: resized(left), top: resized(top), right: resized(right), bottom: resized(bottom) };
}

/** What lies between the bars. */
export const withinBars = (
  { left, top, right, bottom }: Bars,
  { width, height }: { width: number; height: number },
): Rect => ({ x: left, y: top, width: width - left - right, height: height - top - bottom });

/** Share of the px of a line that are black in all frames, and in most of them. */
interface Line {
  always: number;
  mostly: number;
}

/** @param lines - From the side inwards. @returns Lines of the bar. */
function barOf(lines: readonly Line[]): number {
  const end = lines.findIndex((line) => line.always < MOST);
  // Either there is none, or all of the film is black.
  if (end <= 0 || end > lines.length / 2) return 0;
  let bar = end;
  while (bar > 0 && end - bar < SOFT && lines[bar - 1].always < ALL) bar--;
  if (bar === 0 || lines[bar - 1].always < ALL) return 0;
  // What a hand moves ends farther in in most frames than in the one in which it reaches least far.
  return lines[bar + 1].mostly < MOST ? bar : 0;
}

/** In how many of the frames each px is black. */
function timesBlack(frames: FrameReader, asked: readonly number[]): Uint8Array {
  const { format } = frames;
  const { width, height } = format;
  const out = new Uint8Array(width * height);
  const most = (BLACK / 255) * maxSample(format);
  for (const frame of asked) {
    const bright = new Uint8Array(width * height);
    // Of luma and chroma the first tells; green alone does not.
    for (let p = 0; p < (format.rgb ? 3 : 1); p++) {
      const bytes = new Uint8Array(planeBytes(format, p));
      frames.readRows(frame, p, 0, height, bytes);
      const samples = bytesPerSample(format) === 1 ? bytes : new Uint16Array(bytes.buffer);
      for (let i = 0; i < samples.length; i++) if (samples[i] > most) bright[i] = 1;
    }
    for (let i = 0; i < out.length; i++) out[i] += 1 - bright[i];
  }
  return out;
}
