<script setup lang="ts">
import { computed } from 'vue';
import type { Viewport } from '../../picture/useViewport.ts';
import { useReveal } from './revealStore.ts';

/** What sticks out of the matte on a frame. */
const props = defineProps<{ viewport: Viewport; removalId: string; frame: number }>();
const reveals = useReveal();

const flag = computed(() =>
  reveals.data[props.removalId]?.coverage?.flagged.find(({ frame }) => frame === props.frame),
);
/** Corners of each part, on the screen. */
const parts = computed(() =>
  (flag.value?.outlines ?? []).map((places) => {
    const corner = (i: number): string => props.viewport.toScreen(places[2 * i], places[2 * i + 1]).join();
    return Array.from({ length: places.length / 2 }, (_, i) => corner(i)).join(' ');
  }),
);
</script>

<template>
  <svg v-if="flag" class="out" aria-hidden="true" data-testid="sticks-out">
    <defs>
      <pattern id="out-checks" width="8" height="8" patternUnits="userSpaceOnUse">
        <rect width="4" height="4" />
        <rect x="4" y="4" width="4" height="4" />
      </pattern>
    </defs>
    <polygon v-for="(points, i) in parts" :key="i" :points="points" />
  </svg>
</template>

<style scoped>
.out {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
rect {
  fill: var(--unseen);
}
polygon {
  fill: url(#out-checks);
  stroke: var(--unseen);
  stroke-width: 2;
}
</style>
