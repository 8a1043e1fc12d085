import { bytesPerSample, type FrameReader } from '../image/format.ts';
import { SlotCache } from '../image/lru.ts';
import { readBlocked } from '../image/matteCells.ts';

/** Frames that are held. */
const SLOTS = 160;
/** Values of a px: luma and two of colour, or green, blue and red. */
export const CHANNELS = 3;

/** Small frames, all planes at one size, in levels of 8 bits; and what their mattes hide. */
export class Looks {
  readonly width: number;
  readonly height: number;
  private readonly pictures: SlotCache<Uint8Array>;
  private readonly covers: SlotCache<Uint8Array>;

  /**
   * @param frames - At a draft's size.
   * @param mattes - Of that size too.
   */
  constructor(
    private readonly frames: FrameReader,
    mattes: FrameReader,
  ) {
    const { width, height, colourPlanes } = frames.format;
    [this.width, this.height] = [width, height];
    const slots = (bytes: number): Uint8Array[] =>
      Array.from({ length: Math.min(SLOTS, frames.count) }, () => new Uint8Array(bytes));
    this.pictures = new SlotCache<Uint8Array>(slots(width * height * CHANNELS), (t, slot) => {
      for (let plane = 0; plane < Math.min(CHANNELS, colourPlanes); plane++) this.readPlane(t, plane, slot);
    });
    // All frames are asked what they hide, and few what they look like.
    this.covers = new SlotCache<Uint8Array>(slots(width * height), (t, slot) =>
      readBlocked(mattes, t, 0, height, slot),
    );
  }

  /** {@link CHANNELS} values per px. */
  samples(frame: number): Uint8Array {
    return this.pictures.get(frame);
  }

  /** Not 0 where nothing of a frame may be seen, per px. */
  hidden(frame: number): Uint8Array {
    return this.covers.get(frame);
  }

  private readPlane(frame: number, plane: number, into: Uint8Array): void {
    const { format } = this.frames;
    const { width, height, stepX, stepY } = format.planes[plane];
    const raw = new Uint8Array(width * height * bytesPerSample(format));
    this.frames.readRows(frame, plane, 0, height, raw);
    const samples = format.depth === 8 ? raw : new Uint16Array(raw.buffer);
    const more = format.depth - 8;
    for (let y = 0, i = plane; y < this.height; y++) {
      const row = Math.floor(y / stepY) * width;
      for (let x = 0; x < this.width; x++, i += CHANNELS) into[i] = samples[row + Math.floor(x / stepX)] >> more;
    }
  }
}
