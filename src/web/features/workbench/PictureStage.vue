<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { computed, ref, toRef } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import { counting, toShape } from '../../../contract/document.ts';
import type { ShotView } from '../../../contract/shots.ts';
import { pathAt } from '../../../core/shapes/interpolate.ts';
import { useDocument } from '../../document/documentStore.ts';
import { pictureBox } from '../../marks/lineUp.ts';
import { boundsOf } from '../../marks/pathEdits.ts';
import { usePlayer } from '../../picture/usePlayer.ts';
import { useViewport } from '../../picture/useViewport.ts';
import CoverageOverlay from './CoverageOverlay.vue';
import MarksOverlay from './MarksOverlay.vue';
import MatteOverlay from './MatteOverlay.vue';
import MoverOverlay from './MoverOverlay.vue';
import { useMovers } from './moversStore.ts';
import PointOverlay from './PointOverlay.vue';
import RevealOverlay from './RevealOverlay.vue';
import { useStage } from './stageStore.ts';
import TrackOverlay from './TrackOverlay.vue';
import { useTracks } from './tracksStore.ts';
import { useTrackEditing } from './useTrackEditing.ts';
import { usePointing } from './usePointing.ts';
import DonorOverlay from './DonorOverlay.vue';
import WayOverlay from './WayOverlay.vue';
import { usePicture } from './usePicture.ts';
import { useShapeEditing, type DrawnShape } from './useShapeEditing.ts';

const props = defineProps<{ clip: ClipView; shot: ShotView }>();
const stage = useStage();
const doc = useDocument();
const tracks = useTracks();
const movers = useMovers();

const box = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const { width, height } = useElementSize(box);
const size = computed(() => ({ width: width.value, height: height.value }));
const info = computed(() => props.clip.info!);
const viewport = useViewport(size, info);
const picture = usePicture({ canvas, clip: toRef(props, 'clip'), size, viewport });
const player = usePlayer({
  range: computed(() => ({ first: 0, last: info.value.frames - 1 })),
  played: computed(() => stage.span ?? { first: props.shot.first, last: props.shot.last }),
  rate: computed(() => info.value.rate.num / info.value.rate.den),
  draw: picture.draw,
});
picture.attach(player);
const editing = useShapeEditing(
  () => player.shown.value,
  () => viewport.place.value.scale,
  () => [pictureBox(info.value), ...others.value.map((shape) => boundsOf(shape.points))],
);

const pointing = usePointing(
  () => player.shown.value,
  () => viewport.place.value.scale,
);

/** Regions are drawn beside shapes, while the picture stands. */
const region = useTrackEditing(() => player.shown.value);
/** A region is steered while the frames go by. */
const regionShown = computed(
  () =>
    (tracks.current !== undefined || stage.tool === 'region') &&
    (marksShown.value || (stage.tool === 'steer' && !stage.clean && stage.view === 'original')),
);
const anchored = computed(() => player.shown.value in (tracks.current?.anchors ?? {}));

/** Outlines of the removals that are not being worked on. */
const others = computed<DrawnShape[]>(() =>
  Object.entries(doc.document.removals).flatMap(([removalId, removal]) =>
    removalId === stage.removalId || removal.hidden
      ? []
      : counting(removal).flatMap(([id, node]) => {
          const points = pathAt(toShape(id, node, 0, tracks.tracks), player.shown.value);
          return points ? [{ id, name: node.name, operation: node.operation, points }] : [];
        }),
  ),
);
/** A result is judged without anything drawn over it. */
const marksShown = computed(() => !stage.clean && ['original', 'reveal'].includes(stage.view) && !player.playing.value);
const wipeAt = computed(() => viewport.place.value.left + stage.wipe * info.value.width * viewport.place.value.scale);

function wheel(event: WheelEvent): void {
  const corner = box.value!.getBoundingClientRect();
  viewport.zoom(Math.exp(-event.deltaY / 400), event.clientX - corner.left, event.clientY - corner.top);
}

let panning: { x: number; y: number } | undefined;
function panStart(event: PointerEvent): void {
  if (event.button !== 1) return;
  event.preventDefault();
  panning = { x: event.clientX, y: event.clientY };
  box.value!.setPointerCapture(event.pointerId);
}
function panMove(event: PointerEvent): void {
  if (!panning) return;
  viewport.pan(event.clientX - panning.x, event.clientY - panning.y);
  panning = { x: event.clientX, y: event.clientY };
}

function wipeMove(event: PointerEvent): void {
  if ((event.buttons & 1) === 0) return;
  const corner = box.value!.getBoundingClientRect();
  const at = viewport.toFrame(event.clientX - corner.left, 0).x + 0.5;
  stage.wipe = Math.min(1, Math.max(0, at / info.value.width));
}

function capture(event: PointerEvent): void {
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
}

defineExpose({ player, viewport, editing, region, pointing, picture });
</script>

<template>
  <div
    ref="box"
    class="picture"
    :class="{ clean: stage.clean }"
    data-testid="picture"
    :data-frame="picture.drawn.value ? player.shown.value : ''"
    :data-sharp="picture.sharp.value"
    @wheel.prevent="wheel"
    @pointerdown.capture="panStart"
    @pointermove="panMove"
    @pointerup="panning = undefined"
  >
    <canvas ref="canvas" />
    <RevealOverlay
      v-if="stage.view === 'reveal' && !stage.clean"
      :viewport="viewport"
      :removal-id="stage.removalId"
      :frame="player.shown.value"
    />
    <MatteOverlay
      v-if="marksShown"
      :viewport="viewport"
      :removal-id="stage.removalId"
      :frame="player.shown.value"
      :width="info.width"
      :height="info.height"
    />
    <CoverageOverlay v-if="marksShown" :viewport="viewport" :removal-id="stage.removalId" :frame="player.shown.value" />
    <WayOverlay
      v-if="marksShown && stage.way && stage.shapeId"
      :viewport="viewport"
      :shot="shot"
      :frame="player.shown.value"
    />
    <MarksOverlay v-if="marksShown" :viewport="viewport" :editing="editing" :others="others" />
    <DonorOverlay v-if="marksShown && stage.removalId" :viewport="viewport" :frame="player.shown.value" />
    <PointOverlay
      v-if="marksShown && (stage.tool === 'point' || stage.tool === 'paint')"
      :viewport="viewport"
      :pointing="pointing"
      :frame="player.shown.value"
    />
    <MoverOverlay
      v-if="movers.movers[movers.shown] && !stage.clean"
      :viewport="viewport"
      :mover="movers.movers[movers.shown]"
      :frame="player.shown.value"
    />
    <TrackOverlay
      v-if="regionShown"
      :viewport="viewport"
      :editing="region"
      :anchored="anchored"
      :frame="player.shown.value"
    />
    <div
      v-if="stage.view === 'wipe' && !stage.clean"
      class="wipe"
      role="slider"
      aria-label="Edge of the wipe"
      :aria-valuenow="Math.round(stage.wipe * 100)"
      :style="{ left: `${wipeAt}px` }"
      @pointerdown.stop="capture"
      @pointermove="wipeMove"
    />
    <p v-if="picture.failure.value" class="failure" role="status">{{ picture.failure.value }}</p>
  </div>
</template>

<style scoped>
.picture {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
  background: var(--surround);
}
.picture.clean {
  background: #000000;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.wipe {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 17px;
  margin-left: -8px;
  cursor: ew-resize;
  touch-action: none;
}
.wipe::after {
  content: '';
  position: absolute;
  inset: 0 8px;
  background: #ffffff;
  box-shadow: 0 0 2px #000000;
}
.failure {
  position: absolute;
  left: 50%;
  bottom: 16px;
  padding: 6px 12px;
  border-radius: 5px;
  background: var(--sheet);
  color: var(--bad);
  transform: translateX(-50%);
}
</style>
