<script setup lang="ts">
import { computed, ref } from 'vue';
import { counting, toShape, type RemovalNode } from '../../../contract/document.ts';
import { pathAt } from '../../../core/shapes/interpolate.ts';
import { pathData } from '../../../core/shapes/shapeTable.ts';
import { useDocument } from '../../document/documentStore.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';

/** The donor area of the chosen removal at the frame it was placed at: its outlines, moved; dragging moves the donor. */
const props = defineProps<{ viewport: Viewport; frame: number }>();
const doc = useDocument();
const stage = useStage();
const tracks = useTracks();

const removal = computed(() => doc.document.removals[stage.removalId] as RemovalNode | undefined);
const donor = computed(() => {
  const { sources, donor: placed } = removal.value?.settings ?? {};
  return sources?.includes('donor') && placed?.frame === props.frame ? placed : undefined;
});
/** How far it has been dragged, frame px. */
const dragged = ref<{ fromX: number; fromY: number; x: number; y: number }>();
const offset = computed(() => ({
  x: (donor.value?.dx ?? 0) + (dragged.value?.x ?? 0),
  y: (donor.value?.dy ?? 0) + (dragged.value?.y ?? 0),
}));
const outlines = computed(() =>
  counting(removal.value!).flatMap(([id, node]) => {
    const path =
      node.operation === 'add' && !node.matte ? pathAt(toShape(id, node, 0, tracks.tracks), props.frame) : undefined;
    return path ? [{ id, d: pathData(path) }] : [];
  }),
);
const place = computed(() => props.viewport.place.value);
const transform = computed(
  () =>
    `translate(${place.value.left} ${place.value.top}) scale(${place.value.scale}) ` +
    `translate(${0.5 + offset.value.x} ${0.5 + offset.value.y})`,
);

function start(event: PointerEvent): void {
  if (event.button !== 0) return;
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  dragged.value = { fromX: event.clientX, fromY: event.clientY, x: 0, y: 0 };
}

function move(event: PointerEvent): void {
  if (!dragged.value) return;
  const { fromX, fromY } = dragged.value;
  const { scale } = place.value;
  dragged.value = { fromX, fromY, x: (event.clientX - fromX) / scale, y: (event.clientY - fromY) / scale };
}

function end(): void {
  const { x, y } = offset.value;
  const { removalId } = stage;
  const far = dragged.value && Math.hypot(dragged.value.x, dragged.value.y) > 0;
  dragged.value = undefined;
  if (!far) return;
  doc.edit('Move the donor', (draft) => {
    draft.removals[removalId].settings.donor = {
      frame: props.frame,
      dx: Math.round(x * 10) / 10,
      dy: Math.round(y * 10) / 10,
    };
  });
}
</script>

<template>
  <svg v-if="donor" class="donor" data-testid="donor">
    <g
      :transform="transform"
      @pointerdown.stop="start"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="dragged = undefined"
    >
      <template v-for="{ id, d } in outlines" :key="id">
        <path :d="d" class="under" />
        <path :d="d"><title>Donor: drag it to where the fill is to come from</title></path>
      </template>
    </g>
  </svg>
</template>

<style scoped>
.donor {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
path {
  fill: rgb(255 255 255 / 6%);
  stroke: #ffffff;
  stroke-width: 1.6;
  stroke-dasharray: 10 5 2 5;
  vector-effect: non-scaling-stroke;
  pointer-events: all;
  cursor: move;
}
.under {
  fill: none;
  stroke: #000000;
  stroke-width: 3.4;
  stroke-dasharray: none;
  opacity: 0.55;
}
</style>
