import { onBeforeUnmount, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import { marksOf, toRemoval } from '../../../contract/document.ts';
import { drawMatte } from '../../../core/shapes/matte.ts';
import { useDocument } from '../../document/documentStore.ts';
import { FrameSources, type Subject } from '../../picture/frameSources.ts';
import { PictureRenderer, type Drawing, type Layer } from '../../picture/renderer.ts';
import type { Player } from '../../picture/usePlayer.ts';
import type { Size, Viewport } from '../../picture/useViewport.ts';
import { useMattes } from './mattesStore.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';
import { useWork } from './workStore.ts';

/** The picture stands this long before it is fetched at full size, ms. */
const REST_MS = 180;
/** Frames decoded ahead while playing. */
const AHEAD = 4;

interface Parts {
  canvas: Ref<HTMLCanvasElement | undefined>;
  clip: Ref<ClipView>;
  size: Ref<Size>;
  viewport: Viewport;
}

/** Draws the frame, view and subjects that the stage asks for. */
export function usePicture({ canvas, clip, size, viewport }: Parts) {
  const stage = useStage();
  const doc = useDocument();
  const work = useWork();
  const tracks = useTracks();
  const mattes = useMattes();
  const sources: ShallowRef<FrameSources> = shallowRef(new FrameSources(clip.value, work.takeById));
  const failure = ref('');
  /** Whether a frame has been drawn at all. */
  const drawn = ref(false);
  /** Whether what is on the screen is the frame at full size. */
  const sharp = ref(false);
  let renderer: PictureRenderer | undefined;
  let last: { frame: number; a: Layer; b?: Layer } | undefined;
  let player: Player | undefined;
  let rest: ReturnType<typeof setTimeout> | undefined;

  function start(element: HTMLCanvasElement): void {
    try {
      renderer = new PictureRenderer(element);
    } catch (error) {
      failure.value = (error as Error).message;
    }
  }

  function subjects(): { a: Subject | 'matte'; b?: Subject } {
    const pick = work.pickOf(stage.removalId)?.id ?? 'original';
    const [left, right] = [stage.left, stage.right].map((side) => (side === 'pick' ? pick : side));
    switch (stage.view) {
      case 'matte':
        return { a: 'matte' };
      case 'filled':
        return { a: right };
      case 'wipe':
      case 'difference':
        return { a: left, b: right };
      default:
        return { a: 'original' };
    }
  }

  /** Draws a frame. @returns Its number, once it is on the screen. */
  async function draw(frame: number): Promise<number> {
    const { a, b } = subjects();
    const [first, second] = await Promise.all([
      a === 'matte' ? matteLayer(frame) : sources.value.get(a, frame),
      b === undefined ? undefined : sources.value.get(b, frame),
    ]);
    if (!first) {
      failure.value = `Frame ${frame} cannot be shown just now.`;
      return frame;
    }
    failure.value = '';
    drawn.value = true;
    last = { frame, a: first, b: second };
    sharp.value = false;
    paint();
    if (player?.playing.value) for (let k = 1; k <= AHEAD; k++) ahead(frame + k);
    clearTimeout(rest);
    rest = setTimeout(() => void sharpen(frame), REST_MS);
    return frame;
  }

  function ahead(frame: number): void {
    const { a, b } = subjects();
    if (a !== 'matte') sources.value.prefetch(a, frame);
    if (b !== undefined) sources.value.prefetch(b, frame);
  }

  async function matteLayer(frame: number): Promise<Layer> {
    const { width, height } = clip.value.info!;
    await mattes.need(doc.document.removals[stage.removalId], frame);
    const marks = marksOf({ ...doc.document, tracks: tracks.tracks }, stage.removalId);
    const empty = { rect: { x: 0, y: 0, width: 0, height: 0 }, values: new Uint8Array() };
    const { rect, values } = marks
      ? drawMatte(toRemoval(stage.removalId, marks, 0, mattes.library), frame, width, height)
      : empty;
    return { kind: 'grey', rect, values };
  }

  function paint(): void {
    if (!last || !renderer || size.value.width === 0) return;
    const { width, height } = clip.value.info!;
    const ratio = devicePixelRatio;
    const { scale, left, top } = viewport.place.value;
    const drawing: Drawing = {
      width: Math.round(size.value.width * ratio),
      height: Math.round(size.value.height * ratio),
      left: left * ratio,
      top: top * ratio,
      scale: scale * ratio,
      frame: { width, height },
      a: last.a,
      b: last.b,
      mode: stage.view === 'wipe' || stage.view === 'difference' ? stage.view : 'a',
      wipe: stage.wipe,
      gain: stage.gain,
    };
    renderer.draw(drawing);
  }

  /** At rest, where the screen shows more than the proxy holds, the frame itself is fetched. */
  async function sharpen(frame: number): Promise<void> {
    if (last?.frame !== frame || player?.playing.value) return;
    stage.lookedAt.add(frame);
    // A difference of proxies would show what their compression did: there it is always the frames themselves.
    const enough = viewport.place.value.scale * devicePixelRatio <= sources.value.proxyScale * 1.05;
    if (enough && stage.view !== 'difference') return;
    const { a, b } = subjects();
    const asked = last;
    const [first, second] = await Promise.all([
      a === 'matte' ? undefined : sources.value.getSharp(a, frame),
      b === undefined ? undefined : sources.value.getSharp(b, frame),
    ]);
    // Meanwhile another frame may have been drawn.
    if (last !== asked) return;
    last = {
      frame,
      a: first ? { kind: 'bitmap', bitmap: first } : asked.a,
      b: second ? { kind: 'bitmap', bitmap: second } : asked.b,
    };
    sharp.value = first !== undefined;
    paint();
  }

  watch(canvas, (element) => element && start(element), { immediate: true });
  watch([size, viewport.place, () => stage.wipe, () => stage.gain], () => {
    paint();
    if (!sharp.value && last) {
      clearTimeout(rest);
      rest = setTimeout(() => void sharpen(last!.frame), REST_MS);
    }
  });
  watch(
    () => [stage.view, stage.left, stage.right, stage.removalId, work.pickOf(stage.removalId)?.id],
    () => void player?.redraw(),
  );
  watch(
    () => [doc.document, tracks.tracks],
    () => stage.view === 'matte' && void player?.redraw(),
  );
  // Frames of a take at work become visible as they are finished.
  watch(
    () => work.takes.map((t) => `${t.id}${t.state}${t.trims}${t.playable}${JSON.stringify(t.finished)}`).join(),
    () => ['filled', 'wipe', 'difference'].includes(stage.view) && void player?.redraw(),
  );

  onBeforeUnmount(() => {
    clearTimeout(rest);
    sources.value.close();
    renderer?.close();
  });

  return { draw, failure, drawn, sharp, attach: (p: Player) => (player = p) };
}
