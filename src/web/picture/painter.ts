import type { Marks } from '../../contract/document.ts';
import { matteLayer, type MattePicture } from './matteLayer.ts';
import type { Picture } from './pictures.ts';
import { PictureStore } from './pictureStore.ts';
import { PictureRenderer, type Layer, type Mode, type Placing } from './renderer.ts';

/** A picture that is to be read, or a matte that is to be drawn of the marks. */
export type Side = Picture | MattePicture;

/** A frame as it is to be seen. */
export interface Wish {
  frame: number;
  a: Side;
  /** What `a` is compared with. */
  b?: Side;
  mode: Mode;
}

interface Shown {
  wish: Wish;
  a: Layer;
  b?: Layer;
}

/** Reads frames and draws them on a canvas. It lives in a thread of its own: the page reaches it by messages. */
export class Painter {
  private renderer: Pick<PictureRenderer, 'draw'> | undefined;
  private placing: Placing | undefined;
  private shown: Shown | undefined;
  private marks: Marks | undefined;

  constructor(
    private readonly store = new PictureStore(),
    private readonly rendererOf: (canvas: OffscreenCanvas) => Pick<PictureRenderer, 'draw'> = (canvas) =>
      new PictureRenderer(canvas),
  ) {}

  /** @throws Error if the browser cannot draw on it. */
  start(canvas: OffscreenCanvas): void {
    this.renderer = this.rendererOf(canvas);
    this.paint();
  }

  /** Where the frame lies on the canvas, from now on. */
  place(placing: Placing): void {
    this.placing = placing;
    this.paint();
  }

  /** The removal whose matte is drawn when one is asked for, from now on. */
  mark(marks: Marks | undefined): void {
    this.marks = marks;
  }

  /** Draws a frame, small where its proxy is small. @returns Whether there was anything to draw. */
  async show(wish: Wish): Promise<boolean> {
    const [a, b] = await Promise.all([this.layer(wish.a), wish.b && this.layer(wish.b)]);
    if (!a) return false;
    this.shown = { wish, a, b };
    this.paint();
    return true;
  }

  /** Draws the frame that is shown at full size. @returns Whether it is, and has not made way for another meanwhile. */
  async sharpen(): Promise<boolean> {
    const asked = this.shown;
    if (!asked) return false;
    const { wish } = asked;
    const [a, b] = await Promise.all([this.sharpLayer(wish.a), wish.b && this.sharpLayer(wish.b)]);
    if (this.shown !== asked) return false;
    this.shown = { wish, a: a ?? asked.a, b: b ?? asked.b };
    this.paint();
    return a !== undefined;
  }

  /** Reads frames that will be asked for. */
  prefetch(pictures: Picture[]): void {
    for (const picture of pictures) this.store.prefetch(picture);
  }

  private layer(side: Side): Promise<Layer | undefined> {
    return 'matte' in side ? Promise.resolve(matteLayer(this.marks, side.matte)) : this.store.get(side);
  }

  private async sharpLayer(side: Side): Promise<Layer | undefined> {
    if ('matte' in side) return undefined;
    const bitmap = await this.store.getSharp(side.sharp);
    return bitmap && { kind: 'bitmap', bitmap };
  }

  private paint(): void {
    const { renderer, placing, shown } = this;
    if (!renderer || !placing || !shown || placing.width === 0 || placing.height === 0) return;
    renderer.draw({ ...placing, a: shown.a, b: shown.b, mode: shown.wish.mode });
  }
}
