<script setup lang="ts">
import { computed, ref } from 'vue';
import { LIMITS } from '../../../contract/document.ts';
import { boundsOf, movePoint, rotate, scale, translate } from '../../marks/pathEdits.ts';
import NumberField from './NumberField.vue';
import NumbersFold from './NumbersFold.vue';
import PlaceField from './PlaceField.vue';
import { useStage } from './stageStore.ts';
import { useShapeEditing } from './useShapeEditing.ts';

/** Where the chosen shape lies at a frame, in numbers; what is changed becomes a key there. Frame px. */
const props = defineProps<{ frame: number }>();
const stage = useStage();
const editing = useShapeEditing(
  () => props.frame,
  () => 1,
);
const SMALLEST = 1;

const points = computed(() => editing.selected.value?.points);
const box = computed(() => points.value && boundsOf(points.value));
const middle = computed(
  () => box.value && { x: box.value.x + box.value.width / 2, y: box.value.y + box.value.height / 2 },
);
const point = computed(() => (stage.point === undefined ? undefined : points.value?.[stage.point]));
/** A turn is an amount, not a state: after it the field is at 0 again. */
const turns = ref(0);

function moveTo(axis: 'x' | 'y', value: number): void {
  const by = value - middle.value![axis];
  editing.change('Move a shape', (p) => translate(p, axis === 'x' ? by : 0, axis === 'y' ? by : 0));
}

function sizeTo(side: 'width' | 'height', value: number): void {
  const factor = value / Math.max(1e-6, box.value![side]);
  editing.change('Scale a shape', (p) =>
    scale(p, middle.value!, side === 'width' ? factor : 1, side === 'height' ? factor : 1),
  );
}

function turnBy(degrees: number): void {
  editing.change('Turn a shape', (p) => rotate(p, middle.value!, (degrees * Math.PI) / 180));
  turns.value++;
}

function pointTo(axis: 'x' | 'y', value: number): void {
  const { point: index } = stage;
  if (index === undefined) return;
  editing.change('Move a point', (p) => movePoint(p, index, { x: p[index].x, y: p[index].y, [axis]: value }));
}

const PLACES = [
  { axis: 'x', label: 'Middle across' },
  { axis: 'y', label: 'Middle down' },
] as const;
const SIDES = [
  { side: 'width', label: 'Width' },
  { side: 'height', label: 'Height' },
] as const;
const POINT = [
  { axis: 'x', label: 'Point across' },
  { axis: 'y', label: 'Point down' },
] as const;
</script>

<template>
  <NumbersFold v-if="box && middle" title="Place in numbers">
    <PlaceField
      v-for="{ axis, label } in PLACES"
      :key="axis"
      :label="label"
      :model-value="middle[axis]"
      @commit="moveTo(axis, $event)"
    />
    <NumberField
      v-for="{ side, label } in SIDES"
      :key="side"
      :label="label"
      unit="px"
      :model-value="box[side]"
      :min="SMALLEST"
      :max="LIMITS.place"
      :digits="2"
      @commit="sizeTo(side, $event)"
    />
    <NumberField
      :key="turns"
      label="Turn by"
      unit="°"
      hint="About its middle, clockwise"
      :model-value="0"
      :min="-360"
      :max="360"
      :digits="2"
      @commit="turnBy"
    />
    <template v-if="point">
      <PlaceField
        v-for="{ axis, label } in POINT"
        :key="`point ${axis}`"
        :label="label"
        hint="Of the chosen point; a rectangle's points are its corners"
        :model-value="point[axis]"
        @commit="pointTo(axis, $event)"
      />
    </template>
  </NumbersFold>
</template>
