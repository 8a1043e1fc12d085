<script setup lang="ts">
import {
  Brush,
  Circle,
  Hand,
  MousePointerClick,
  PenTool,
  Scan,
  Square,
  SquareDashedMousePointer,
  Waypoints,
} from '@lucide/vue';
import Button from 'primevue/button';
import SelectButton from 'primevue/selectbutton';
import { computed } from 'vue';
import type { Viewport } from '../../picture/useViewport.ts';
import { SHORTCUTS } from './shortcuts.ts';
import { useStage, VIEWS, type Tool, type View } from './stageStore.ts';

const props = defineProps<{ viewport: Viewport }>();
const stage = useStage();

const VIEW_LABELS: Record<View, string> = {
  original: 'Original',
  matte: 'Matte',
  filled: 'Result',
  wipe: 'Wipe',
  difference: 'Difference',
  reveal: 'Seen when',
};
const views = VIEWS.map((value) => ({
  value,
  label: VIEW_LABELS[value],
  title: `${SHORTCUTS[value].what} (${SHORTCUTS[value].shown})`,
}));
const TOOLS: { value: Tool; icon: typeof Hand }[] = [
  { value: 'pick', icon: Hand },
  { value: 'path', icon: PenTool },
  { value: 'ellipse', icon: Circle },
  { value: 'rectangle', icon: Square },
  { value: 'point', icon: MousePointerClick },
  { value: 'paint', icon: Brush },
  { value: 'region', icon: SquareDashedMousePointer },
  { value: 'steer', icon: Waypoints },
];
const zoomText = computed(() => `${Math.round(props.viewport.place.value.scale * devicePixelRatio * 100)} %`);
</script>

<template>
  <div class="tool-bar">
    <div class="group" role="group" aria-label="Tools">
      <Button
        v-for="t in TOOLS"
        :key="t.value"
        text
        size="small"
        :severity="stage.tool === t.value ? undefined : 'secondary'"
        :class="{ on: stage.tool === t.value }"
        :aria-label="SHORTCUTS[t.value].what"
        :aria-pressed="stage.tool === t.value"
        :title="`${SHORTCUTS[t.value].what} (${SHORTCUTS[t.value].shown})`"
        @click="stage.tool = t.value"
        ><component :is="t.icon" :size="17"
      /></Button>
    </div>
    <SelectButton
      v-model="stage.view"
      :options="views"
      option-label="label"
      option-value="value"
      :allow-empty="false"
      size="small"
      aria-label="View"
    >
      <template #option="{ option }"
        ><span :title="option.title">{{ option.label }}</span></template
      >
    </SelectButton>
    <span class="gap" />
    <span class="zoom">{{ zoomText }}</span>
    <Button
      text
      size="small"
      severity="secondary"
      aria-label="The whole picture"
      title="The whole picture (W)"
      @click="viewport.fit()"
      ><Scan :size="17"
    /></Button>
  </div>
</template>

<style scoped>
.group {
  display: flex;
}
.group :deep(button) {
  padding: 5px 6px;
}
.on {
  background: color-mix(in srgb, var(--accent) 18%, transparent);
}
.tool-bar :deep(.p-togglebutton) {
  padding: 2px;
}
.tool-bar :deep(.p-togglebutton-content) {
  padding-inline: 8px;
}
.zoom {
  color: var(--faint);
  font-variant-numeric: tabular-nums;
}
</style>
