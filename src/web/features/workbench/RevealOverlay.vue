<script setup lang="ts">
import { computed, ref, watchEffect } from 'vue';
import { REVEAL_LEVEL } from '../../../core/reveal/reveal.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { useReveal } from './revealStore.ts';

const props = defineProps<{ viewport: Viewport; removalId: string; frame: number }>();
const store = useReveal();
const canvas = ref<HTMLCanvasElement>();

/** Canvas px per cell: enough for a pattern, so that the levels differ in more than colour. */
const DETAIL = 4;
const COLOURS: Record<number, [number, number, number]> = {
  [REVEAL_LEVEL.seen]: [63, 159, 143],
  [REVEAL_LEVEL.thin]: [143, 184, 216],
  [REVEAL_LEVEL.unseen]: [209, 73, 91],
};

const part = computed(() => {
  const data = store.data[props.removalId];
  const entry = data?.frames[props.frame - data.first];
  return data && entry && entry.width > 0 ? { data, entry } : undefined;
});

const style = computed(() => {
  if (!part.value) return { display: 'none' };
  const { data, entry } = part.value;
  const { scale, left, top } = props.viewport.place.value;
  return {
    left: `${left + (data.originX + entry.x * data.cell) * scale}px`,
    top: `${top + (data.originY + entry.y * data.cell) * scale}px`,
    width: `${entry.width * data.cell * scale}px`,
    height: `${entry.height * data.cell * scale}px`,
  };
});

/** How opaque a spot of a cell is: seen is a faint veil, thin has lines, unseen is dense with gaps. */
function opacity(level: number, u: number, v: number): number {
  if (level === REVEAL_LEVEL.seen) return 70;
  if (level === REVEAL_LEVEL.thin) return v % DETAIL < 2 ? 200 : 60;
  return (u + v) % DETAIL < 3 ? 225 : 90;
}

watchEffect(() => {
  const maps = store.maps(props.removalId);
  if (!canvas.value || !part.value || !maps) return;
  const { width, height, offset } = part.value.entry;
  canvas.value.width = width * DETAIL;
  canvas.value.height = height * DETAIL;
  const context = canvas.value.getContext('2d')!;
  const image = context.createImageData(width * DETAIL, height * DETAIL);
  for (let v = 0; v < height * DETAIL; v++) {
    for (let u = 0; u < width * DETAIL; u++) {
      const level = maps[offset + Math.floor(v / DETAIL) * width + Math.floor(u / DETAIL)];
      const colour = COLOURS[level];
      if (colour) image.data.set([...colour, opacity(level, u, v)], (v * width * DETAIL + u) * 4);
    }
  }
  context.putImageData(image, 0, 0);
});
</script>

<template>
  <canvas ref="canvas" class="reveal" :style="style" data-testid="reveal-map" />
</template>

<style scoped>
.reveal {
  position: absolute;
  image-rendering: pixelated;
  pointer-events: none;
}
</style>
