<script setup lang="ts">
import { computed } from 'vue';
import type { MoverView } from '../../../contract/movers.ts';
import type { Viewport } from '../../picture/useViewport.ts';

const props = defineProps<{ viewport: Viewport; mover: MoverView; frame: number }>();

const places = computed(() =>
  Array.from({ length: props.mover.path.length / 2 }, (_, i) =>
    props.viewport.toScreen(props.mover.path[2 * i], props.mover.path[2 * i + 1]),
  ),
);
const here = computed(() => places.value.at(props.frame - props.mover.first));
const box = computed(() => {
  const [x, y, width, height] = props.mover.box;
  const [left, top] = props.viewport.toScreen(x, y);
  const { scale } = props.viewport.place.value;
  return { x: left, y: top, width: width * scale, height: height * scale };
});
</script>

<template>
  <svg class="mover" aria-hidden="true">
    <polyline :points="places.map((p) => p.join()).join(' ')" />
    <rect v-if="frame === mover.best" v-bind="box" />
    <circle v-if="frame >= mover.first && frame <= mover.last && here" :cx="here[0]" :cy="here[1]" r="6" />
  </svg>
</template>

<style scoped>
.mover {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
polyline,
rect,
circle {
  fill: none;
  stroke: var(--accent-bright);
  stroke-width: 2;
  filter: drop-shadow(0 0 1px #000000);
}
polyline {
  stroke-dasharray: 2 5;
  stroke-linecap: round;
}
</style>
