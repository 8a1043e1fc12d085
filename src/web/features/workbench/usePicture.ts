import { computed, onBeforeUnmount, ref, watch, type Ref } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import { marksOf } from '../../../contract/document.ts';
import { useDocument } from '../../document/documentStore.ts';
import type { MattePicture } from '../../picture/matteLayer.ts';
import type { Wish } from '../../picture/painter.ts';
import { handOver, openPainter } from '../../picture/painterLink.ts';
import { pictureOf, proxyScale, type Picture, type Subject } from '../../picture/pictures.ts';
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

/** Has the frame, view and subjects that the stage asks for drawn by the painter's thread. */
export function usePicture({ canvas, clip, size, viewport }: Parts) {
  const stage = useStage();
  const doc = useDocument();
  const work = useWork();
  const tracks = useTracks();
  const mattes = useMattes();
  const failure = ref('');
  /** Whether a frame has been drawn at all. */
  const drawn = ref(false);
  /** Whether what is on the screen is the frame at full size. */
  const sharp = ref(false);
  const { painter, close } = openPainter();
  let last: number | undefined;
  let player: Player | undefined;
  let rest: ReturnType<typeof setTimeout> | undefined;

  async function start(element: HTMLCanvasElement): Promise<void> {
    place();
    try {
      await handOver(painter, element);
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

  const picture = (subject: Subject, frame: number): Picture =>
    pictureOf(clip.value, subject === 'original' ? undefined : work.takeById(subject), frame);

  async function wish(frame: number): Promise<Wish> {
    const { a, b } = subjects();
    const mode = stage.view === 'wipe' || stage.view === 'difference' ? stage.view : 'a';
    const first = a === 'matte' ? await mattePicture(frame) : picture(a, frame);
    return { frame, a: first, b: b === undefined ? undefined : picture(b, frame), mode };
  }

  /** Draws a frame. @returns Its number, once it is on the screen. */
  async function draw(frame: number): Promise<number> {
    if (!(await painter.show(await wish(frame)))) {
      failure.value = `Frame ${frame} cannot be shown just now.`;
      return frame;
    }
    failure.value = '';
    drawn.value = true;
    last = frame;
    sharp.value = false;
    if (player?.playing.value) void painter.prefetch(ahead(frame));
    sharpenLater();
    return frame;
  }

  function ahead(frame: number): Picture[] {
    const subject = Object.values(subjects()).filter((one) => one !== undefined && one !== 'matte');
    return Array.from({ length: AHEAD }, (_, k) => subject.map((one) => picture(one, frame + 1 + k))).flat();
  }

  async function mattePicture(frame: number): Promise<MattePicture> {
    const { width, height } = clip.value.info!;
    const patches = await mattes.need(doc.document.removals[stage.removalId], frame);
    return { matte: { frame, width, height, patches } };
  }

  function place(): void {
    const { width, height } = clip.value.info!;
    const ratio = devicePixelRatio;
    const { scale, left, top } = viewport.place.value;
    void painter.place({
      width: Math.round(size.value.width * ratio),
      height: Math.round(size.value.height * ratio),
      left: left * ratio,
      top: top * ratio,
      scale: scale * ratio,
      frame: { width, height },
      wipe: stage.wipe,
      gain: stage.gain,
    });
  }

  function sharpenLater(): void {
    clearTimeout(rest);
    rest = setTimeout(() => void sharpen(), REST_MS);
  }

  /** At rest, where the screen shows more than the proxy holds, the frame itself is fetched. */
  async function sharpen(): Promise<void> {
    if (last === undefined || player?.playing.value) return;
    stage.look(last);
    // A difference of proxies would show what their compression did: there it is always the frames themselves.
    const enough = viewport.place.value.scale * devicePixelRatio <= proxyScale(clip.value) * 1.05;
    if (enough && stage.view !== 'difference') return;
    if (await painter.sharpen()) sharp.value = true;
  }

  watch(canvas, (element) => element && void start(element), { immediate: true });
  watch([size, viewport.place, () => stage.wipe, () => stage.gain], () => {
    place();
    if (!sharp.value && last !== undefined) sharpenLater();
  });
  watch(
    () => [stage.view, stage.left, stage.right, stage.removalId, work.pickOf(stage.removalId)?.id],
    () => void player?.redraw(),
  );
  // The marks go to the painter when they change, not with every frame.
  const marks = computed(() =>
    stage.view === 'matte' ? marksOf({ ...doc.document, tracks: tracks.tracks }, stage.removalId) : undefined,
  );
  watch(
    marks,
    (now) => {
      void painter.mark(now);
      if (stage.view === 'matte') void player?.redraw();
    },
    { immediate: true },
  );
  // Frames of a take at work become visible as they are finished.
  watch(
    () => work.takes.map((t) => `${t.id}${t.state}${t.trims}${t.playable}${JSON.stringify(t.finished)}`).join(),
    () => ['filled', 'wipe', 'difference'].includes(stage.view) && void player?.redraw(),
  );

  onBeforeUnmount(() => {
    clearTimeout(rest);
    player?.pause();
    close();
  });

  return { draw, failure, drawn, sharp, attach: (p: Player) => (player = p) };
}
