<script setup lang="ts">
import { computed, ref, watch, watchEffect } from 'vue';
import { counting, toShape, type RemovalNode } from '../../../contract/document.ts';
import { isVisible } from '../../../core/shapes/interpolate.ts';
import { rasterAt, type RasterPatch } from '../../../core/shapes/raster.ts';
import { useDocument } from '../../document/documentStore.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { useMattes } from './mattesStore.ts';

/** Mattes that were brought into a removal, as a veil with lines over the picture. */
const props = defineProps<{ viewport: Viewport; removalId: string; frame: number; width: number; height: number }>();
const doc = useDocument();
const mattes = useMattes();
const canvas = ref<HTMLCanvasElement>();

const removal = computed(() => doc.document.removals[props.removalId] as RemovalNode | undefined);
const shapes = computed(() =>
  counting(removal.value ?? { shapes: {} })
    .map(([id, node]) => toShape(id, node, 0, {}, mattes.library))
    .filter((shape) => shape.raster && isVisible(shape, props.frame)),
);
watch([removal, () => props.frame], () => void mattes.need(removal.value, props.frame), { immediate: true });

const style = computed(() => {
  const { scale, left, top } = props.viewport.place.value;
  return {
    left: `${left}px`,
    top: `${top}px`,
    width: `${props.width * scale}px`,
    height: `${props.height * scale}px`,
  };
});

/** Colours of what goes and what stays, as in the theme; a line every so many px of the frame. */
const COLOURS = { add: [163, 120, 255], subtract: [235, 235, 235], hold: [96, 200, 235] } as const;
const LINES = 14;

watchEffect(() => {
  if (!canvas.value || mattes.version < 0) return;
  Object.assign(canvas.value, { width: props.width, height: props.height });
  const context = canvas.value.getContext('2d')!;
  for (const { raster, operation } of shapes.value) {
    const patch = rasterAt(raster!, props.frame);
    if (patch && patch.values.length > 0) context.putImageData(veil(patch, operation), patch.rect.x, patch.rect.y);
  }
});

/** A matte as a thin colour with denser lines. */
function veil(
  { rect: { x: left, y: top, width, height }, values }: RasterPatch,
  operation: keyof typeof COLOURS,
): ImageData {
  const image = new ImageData(width, height);
  const [red, green, blue] = COLOURS[operation];
  for (let i = 0; i < values.length; i++) {
    const line = (left + (i % width) + top + Math.floor(i / width)) % LINES < 3;
    image.data[4 * i] = red;
    image.data[4 * i + 1] = green;
    image.data[4 * i + 2] = blue;
    image.data[4 * i + 3] = (values[i] * (line ? 170 : 80)) / 255;
  }
  return image;
}
</script>

<template>
  <canvas v-if="shapes.length > 0" ref="canvas" class="brought" :style="style" data-testid="brought-matte" />
</template>

<style scoped>
.brought {
  position: absolute;
  pointer-events: none;
}
</style>
