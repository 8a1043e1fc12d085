<script setup lang="ts">
import { computed } from 'vue';
import type { Place } from '../../marks/pathEdits.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { useOutlines } from './outlinesStore.ts';
import { useStage } from './stageStore.ts';
import type { Pointing } from './usePointing.ts';

const props = defineProps<{ viewport: Viewport; pointing: Pointing; frame: number }>();
const stage = useStage();
const outlines = useOutlines();

/** Half the side of the sign for a click, screen px. */
const SIGN = 4;

const scale = computed(() => props.viewport.place.value.scale);
const transform = computed(() => {
  const { left, top } = props.viewport.place.value;
  return `translate(${left} ${top}) scale(${scale.value}) translate(0.5 0.5)`;
});
const pointed = computed(() => outlines.pointedAt(props.frame));
const signs = computed(() => {
  const list = (strokes: number[][] = [], adds: boolean) =>
    strokes.map((stroke) => ({ adds, d: lineOf(stroke), x: stroke[0], y: stroke[1], click: stroke.length === 2 }));
  return [...list(pointed.value?.add, true), ...list(pointed.value?.remove, false)];
});
const inHand = computed(() => lineOf(props.pointing.stroke.value.flatMap(({ x, y }) => [x, y])));
const brushWidth = computed(() => (stage.tool === 'paint' ? outlines.brush * scale.value : 3));

const lineOf = (flat: readonly number[]): string =>
  flat.map((v, i) => `${i === 0 ? 'M' : i % 2 === 0 ? 'L' : ' '}${v}`).join('');

function at(event: PointerEvent): Place {
  const corner = (event.currentTarget as Element).getBoundingClientRect();
  return props.viewport.toFrame(event.clientX - corner.left, event.clientY - corner.top);
}

function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  props.pointing.press(at(event), event.altKey || event.ctrlKey);
}

function move(event: PointerEvent): void {
  if (event.buttons & 1) props.pointing.dragTo(at(event));
}
</script>

<template>
  <svg
    class="pointing"
    data-testid="pointing"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="pointing.drop"
    @pointercancel="pointing.abandon"
  >
    <g :transform="transform">
      <template v-for="(s, i) in signs" :key="i">
        <path v-if="!s.click" :d="s.d" class="stroke" :class="{ away: !s.adds }" />
        <g v-else :transform="`translate(${s.x} ${s.y}) scale(${1 / scale})`" class="sign" :class="{ away: !s.adds }">
          <circle :r="SIGN + 3" />
          <path :d="`M${-SIGN} 0H${SIGN}` + (s.adds ? `M0 ${-SIGN}V${SIGN}` : '')" />
        </g>
      </template>
      <rect v-if="pointing.box.value" v-bind="pointing.box.value" class="box" />
      <path
        v-else-if="pointing.stroke.value.length > 0"
        :d="inHand"
        class="stroke hand"
        :class="{ away: pointing.takesAway.value }"
        :style="{ strokeWidth: `${brushWidth}px` }"
      />
    </g>
    <text v-if="outlines.waiting > 0" x="14" y="26" class="wait" role="status">looks for it …</text>
  </svg>
</template>

<style scoped>
.pointing {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: crosshair;
  touch-action: none;
}
path,
rect,
circle {
  vector-effect: non-scaling-stroke;
  pointer-events: none;
}
.sign circle {
  fill: #1e1e1ecc;
  stroke: #ffffff;
  stroke-width: 1;
}
.sign path {
  stroke: #ffffff;
  stroke-width: 2;
}
.sign.away circle {
  fill: #ffffffe6;
  stroke: #1e1e1e;
}
.sign.away path {
  stroke: #1e1e1e;
}
.stroke {
  fill: none;
  stroke: #ffffffb0;
  stroke-width: 3;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.stroke.away {
  stroke: #1e1e1eb0;
}
.stroke.hand {
  opacity: 0.7;
}
.box {
  fill: none;
  stroke: #ffffff;
  stroke-width: 1.5;
  stroke-dasharray: 7 4;
}
.wait {
  fill: #ffffff;
  font-size: 13px;
  paint-order: stroke;
  stroke: #1e1e1e;
  stroke-width: 3px;
}
</style>
