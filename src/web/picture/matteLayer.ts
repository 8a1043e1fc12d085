import { toRemoval, type Marks } from '../../contract/document.ts';
import { drawMatte } from '../../core/shapes/matte.ts';
import type { RasterPatch } from '../../core/shapes/raster.ts';
import type { GreyLayer } from './renderer.ts';

/** A frame of a mask that was brought in, by its file and its number there. */
export interface HeldPatch {
  file: string;
  frame: number;
  patch: RasterPatch;
}

/** A frame's matte, in px of the frame. */
export interface MattePicture {
  matte: {
    frame: number;
    width: number;
    height: number;
    /** What is needed at this frame of the masks that were brought in. */
    patches: HeldPatch[];
  };
}

/** Draws the matte of marks, as the server does; an empty one of none. */
export function matteLayer(
  marks: Marks | undefined,
  { frame, width, height, patches }: MattePicture['matte'],
): GreyLayer {
  if (!marks) return { kind: 'grey', rect: { x: 0, y: 0, width: 0, height: 0 }, values: new Uint8Array() };
  const library = (file: string) => (at: number) => patches.find((p) => p.file === file && p.frame === at)?.patch;
  const { rect, values } = drawMatte(toRemoval('', marks, 0, library), frame, width, height);
  return { kind: 'grey', rect, values };
}
