<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { Viewport } from '../../picture/useViewport.ts';
import { useStage } from './stageStore.ts';
import { LOST, SURE, useTracks } from './tracksStore.ts';
import type { TrackEditing, TrackGrip } from './useTrackEditing.ts';

const props = defineProps<{ viewport: Viewport; editing: TrackEditing; anchored: boolean; frame: number }>();
const stage = useStage();
const tracks = useTracks();

/** Sizes on the screen, px. */
const CORNER = 11;
const BAR = 46;
/** Weights from which a place is trusted, and below which it does not count. */
const TRUSTED = 0.6;
const DOUBTED = 0.15;

const place = computed(() => props.viewport.place.value);
const corners = computed(() =>
  (props.editing.quad.value ?? []).map((p) => ({
    x: place.value.left + (p.x + 0.5) * place.value.scale,
    y: place.value.top + (p.y + 0.5) * place.value.scale,
  })),
);
const outline = computed(() => `M${corners.value.map((p) => `${p.x} ${p.y}`).join('L')}Z`);
/** Two strokes along the sides that meet in a corner: our sign for a region that is followed. */
const hooks = computed(() =>
  corners.value.map((p, i) => {
    const [a, b] = [corners.value[(i + 3) % 4], corners.value[(i + 1) % 4]];
    const end = (q: { x: number; y: number }): string => {
      const d = Math.hypot(q.x - p.x, q.y - p.y) || 1;
      const k = Math.min(0.4, CORNER / d);
      return `${p.x + (q.x - p.x) * k} ${p.y + (q.y - p.y) * k}`;
    };
    return `M${end(a)}L${p.x} ${p.y}L${end(b)}`;
  }),
);
/** Places that the track holds on to, with their trust. */
const places = ref<number[]>([]);
watch(
  () => [props.frame, tracks.pointsShown, tracks.currentId, tracks.current],
  async () => {
    const { frame } = props;
    const found = tracks.pointsShown && tracks.currentId ? await tracks.pointsAt(frame) : [];
    if (frame === props.frame) places.value = found;
  },
  { immediate: true },
);
const points = computed(() =>
  Array.from({ length: places.value.length / 3 }, (_, i) => {
    const [x, y, weight] = places.value.slice(3 * i, 3 * i + 3);
    const [cx, cy] = props.viewport.toScreen(x, y);
    return {
      cx,
      cy,
      r: 0.8 + 1.4 * weight,
      trust: weight >= TRUSTED ? 'trusted' : weight >= DOUBTED ? 'doubted' : 'left-out',
    };
  }),
);

const confidence = computed(() => props.editing.confidence.value);
const state = computed(() => {
  const c = confidence.value;
  if (c === undefined) return 'unknown';
  return c >= SURE ? 'sure' : c >= LOST ? 'weak' : 'lost';
});
const bar = computed(() => {
  const top = corners.value.reduce((a, b) => (a.y < b.y ? a : b), { x: 0, y: Infinity });
  return { x: top.x - BAR / 2, y: top.y - 14 };
});

function at(event: PointerEvent): { x: number; y: number } {
  const corner = (event.currentTarget as Element).closest('svg')!.getBoundingClientRect();
  return props.viewport.toFrame(event.clientX - corner.left, event.clientY - corner.top);
}

function grab(event: PointerEvent, grip: TrackGrip): void {
  if (event.button !== 0) return;
  event.stopPropagation();
  (event.currentTarget as Element).closest('svg')!.setPointerCapture(event.pointerId);
  props.editing.grab(grip, at(event));
}

function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  if (stage.tool === 'region') props.editing.press(at(event));
  else props.editing.grab({ kind: 'region' }, at(event));
}

function move(event: PointerEvent): void {
  if (event.buttons & 1) props.editing.dragTo(at(event));
}
</script>

<template>
  <svg
    class="track"
    :class="{ drawing: stage.tool === 'region', steering: stage.tool === 'steer' }"
    data-testid="region"
    :data-state="state"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="editing.drop"
    @pointercancel="editing.abandon"
  >
    <template v-if="corners.length === 4">
      <circle v-for="(p, i) in points" :key="`p${i}`" class="held" :class="p.trust" :cx="p.cx" :cy="p.cy" :r="p.r" />
      <path class="casing" :d="outline" />
      <path class="line" :class="state" :d="outline" data-testid="region-outline" />
      <g v-for="(d, i) in stage.tool === 'pick' ? [] : hooks" :key="i">
        <path class="casing hook" :d="d" />
        <path class="hook" :class="{ anchored }" :d="d" />
        <circle
          v-if="stage.tool === 'steer'"
          class="grip"
          :cx="corners[i].x"
          :cy="corners[i].y"
          r="9"
          :data-testid="`corner-${i}`"
          @pointerdown="grab($event, { kind: 'corner', index: i })"
        />
      </g>
      <g
        v-if="confidence !== undefined && stage.tool !== 'pick'"
        :transform="`translate(${bar.x} ${bar.y})`"
        class="bar"
      >
        <rect class="back" x="-2" y="-2" :width="BAR + 4" height="9" rx="2" />
        <rect class="level" :width="BAR * confidence" height="5" />
        <title>Confidence {{ Math.round(confidence * 100) }} %</title>
      </g>
    </template>
  </svg>
</template>

<style scoped>
.track {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
  touch-action: none;
}
.track.drawing {
  pointer-events: all;
  cursor: crosshair;
}
.track.steering {
  pointer-events: all;
  cursor: move;
}
path {
  fill: none;
}
.held {
  stroke: #1e1e1e;
  stroke-width: 0.8;
}
.held.trusted {
  fill: var(--accent-bright);
}
.held.doubted {
  fill: #ffffff;
}
.held.left-out {
  fill: none;
  stroke: #ffffff;
}
.casing {
  stroke: #000000;
  stroke-width: 3.5;
  opacity: 0.45;
}
.line {
  stroke: var(--accent-bright);
  stroke-width: 1.5;
}
.line.weak {
  stroke-dasharray: 9 5;
}
.line.lost,
.line.unknown {
  stroke-dasharray: 2 6;
}
.casing.hook {
  stroke-width: 6.5;
  opacity: 0.6;
}
.hook {
  stroke: #ffffff;
  stroke-width: 3.5;
}
.hook.anchored {
  stroke: var(--accent-bright);
}
.grip {
  fill: transparent;
  pointer-events: all;
  cursor: grab;
}
.bar .back {
  fill: #1e1e1e;
  opacity: 0.75;
}
.bar .level {
  fill: var(--accent-bright);
}
</style>
