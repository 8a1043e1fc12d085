import { frameBytes, type FrameReader } from '../core/image/format.ts';
import { trimAt, type TrimKey } from '../core/fill/trim.ts';
import type { ColourModel } from '../core/image/colourModel.ts';
import { applyPatch, type HandTrim } from './applyPatch.ts';
import type { RawStore } from './rawStore.ts';
import type { PatchFiles } from './takeFiles.ts';

/** A take laid over frames. */
export interface Layer {
  patches: PatchFiles;
  /** Of the take's own frames. */
  mattes: FrameReader;
  draft: boolean;
  /** Number that the take gives to frame 0 of the frames beneath. */
  offset: number;
  /** What a hand changes of it, frames and px as the take counts them. */
  trim?: LayerTrim;
}

export interface LayerTrim {
  keys: readonly TrimKey[];
  colour: ColourModel;
}

/** A trim at a frame of its take. */
export const handAt = (trim: LayerTrim | undefined, t: number): HandTrim | undefined =>
  trim && { trim: trimAt(trim.keys, t), colour: trim.colour };

/** Frames with takes laid over them, first to last. */
export class LayeredFrames {
  constructor(
    readonly frames: RawStore,
    private readonly layers: readonly Layer[],
  ) {}

  /** All planes of a frame, as stored. */
  frame(t: number): Uint8Array {
    const { format } = this.frames;
    const out = new Uint8Array(frameBytes(format));
    this.frames.readFrame(t, out);
    for (const layer of this.layers) applyLayer(out, format, layer, t);
    return out;
  }
}

/** Lays a take over one frame, in place; where it has nothing, nothing changes. */
export function applyLayer(frame: Uint8Array, format: RawStore['format'], layer: Layer, t: number): void {
  const own = t + layer.offset;
  const patch = own < 0 ? undefined : layer.patches.get(own);
  if (patch) applyPatch(frame, format, patch, layer.mattes, layer.draft, handAt(layer.trim, own));
}
