<script setup lang="ts">
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import type { Rect } from '../../../core/image/format.ts';
import { lineUp, type Axis, type Part } from '../../marks/lineUp.ts';
import { boundsOf } from '../../marks/pathEdits.ts';
import NumbersFold from './NumbersFold.vue';
import { useStage } from './stageStore.ts';
import { useShapeEditing } from './useShapeEditing.ts';

/** Lines the chosen shape up with the picture or with another shape of its thing; it becomes a key at the frame. */
const props = defineProps<{ frame: number; picture: Rect }>();
const stage = useStage();
const editing = useShapeEditing(
  () => props.frame,
  () => 1,
);
const PICTURE = 'picture';

const partners = computed(() => [
  { value: PICTURE, label: 'the picture' },
  ...editing.shapes.value.filter((s) => s.id !== stage.shapeId).map(({ id, name }) => ({ value: id, label: name })),
]);
const chosen = ref(PICTURE);
watch(
  () => stage.shapeId,
  () => (chosen.value = PICTURE),
);
const partner = computed(() => editing.shapes.value.find((s) => s.id === chosen.value));

function line(axis: Axis, part: Part): void {
  const along = partner.value ? boundsOf(partner.value.points) : props.picture;
  editing.change('Line a shape up', (points) => lineUp(points, axis, part, along));
}

const ROWS: { axis: Axis; title: string; parts: [Part, string, string][] }[] = [
  {
    axis: 'x',
    title: 'Across',
    parts: [
      ['start', 'Left', 'Left side on left side'],
      ['middle', 'Middle', 'Middle over middle'],
      ['end', 'Right', 'Right side on right side'],
    ],
  },
  {
    axis: 'y',
    title: 'Down',
    parts: [
      ['start', 'Top', 'Upper side on upper side'],
      ['middle', 'Middle', 'Middle beside middle'],
      ['end', 'Foot', 'Lower side on lower side'],
    ],
  },
];
</script>

<template>
  <NumbersFold v-if="editing.selected.value" title="Line up">
    <div class="row">
      <span>With</span>
      <Select
        :model-value="partner?.id ?? PICTURE"
        :options="partners"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="What the shape is lined up with"
        @update:model-value="(value: string) => (chosen = value)"
      />
    </div>
    <div v-for="{ axis, title, parts } in ROWS" :key="axis" class="row" role="group" :aria-label="title">
      <span>{{ title }}</span>
      <Button
        v-for="[part, label, hint] in parts"
        :key="part"
        :label="label"
        :title="hint"
        class="part"
        size="small"
        severity="secondary"
        @click="line(axis, part)"
      />
    </div>
  </NumbersFold>
</template>

<style scoped src="./fold.css"></style>
<style scoped>
.part {
  width: 68px;
}
</style>
