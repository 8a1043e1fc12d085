import { bytesPerSample, maxSample, type FrameFormat, type Rect } from '../image/format.ts';
import { lightAt, type Flicker } from './flicker.ts';
import { BLACK } from './rowLight.ts';

/** Grey of a colour difference, 8-bit levels. */
const GREY = 128;

/** Takes the flicker out of rows of a plane, as they are stored. */
export function withoutFlicker(
  bytes: Uint8Array,
  flicker: Flicker,
  format: FrameFormat,
  { frame, plane, y, rows }: { frame: number; plane: number; y: number; rows: number },
): void {
  if (plane >= format.colourPlanes) return;
  const { width } = format.planes[plane];
  const samples = bytesPerSample(format) === 1 ? bytes : new Uint16Array(bytes.buffer, bytes.byteOffset, rows * width);
  const [zero, most] = [zeroOf(format, plane), maxSample(format)];
  for (let row = 0; row < rows; row++) {
    const gain = Math.exp(-lightOfRow(flicker, frame, format, plane, y + row));
    for (let i = row * width; i < (row + 1) * width; i++) {
      samples[i] = Math.max(0, Math.min(most, Math.round(zero + (samples[i] - zero) * gain)));
    }
  }
}

/** Gives samples of a part of a frame the flicker of its lamps back, in place. */
export function flickerAgain(
  planes: readonly Float32Array[],
  flicker: Flicker,
  format: FrameFormat,
  { frame, rect }: { frame: number; rect: Rect },
): void {
  planes.forEach((samples, plane) => {
    const { stepX, stepY } = format.planes[plane];
    const width = rect.width / stepX;
    const zero = zeroOf(format, plane);
    for (let row = 0; row < rect.height / stepY; row++) {
      const gain = Math.exp(lightOfRow(flicker, frame, format, plane, rect.y / stepY + row));
      for (let i = row * width; i < (row + 1) * width; i++) samples[i] = zero + (samples[i] - zero) * gain;
    }
  });
}

/** Black of a plane, or grey, in sample units. */
const zeroOf = (format: FrameFormat, plane: number): number =>
  (plane === 0 || format.rgb ? BLACK : GREY) * 2 ** (format.depth - 8);

/** The light of a row of a plane. */
function lightOfRow(flicker: Flicker, frame: number, format: FrameFormat, plane: number, row: number): number {
  const { stepY } = format.planes[plane];
  return lightAt(flicker, frame, (row + 0.5) * stepY - 0.5);
}
