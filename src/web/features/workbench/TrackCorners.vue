<script setup lang="ts">
import NumbersFold from './NumbersFold.vue';
import PlaceField from './PlaceField.vue';
import { useTrackEditing } from './useTrackEditing.ts';

/** The corners of the current track's region at a frame, in numbers; what is changed becomes an anchor. Frame px. */
const props = defineProps<{ frame: number }>();
const editing = useTrackEditing(() => props.frame);
const CORNERS = ['First corner', 'Second corner', 'Third corner', 'Fourth corner'];
</script>

<template>
  <NumbersFold v-if="editing.quad.value" title="Corners in numbers">
    <template v-for="(corner, i) in editing.quad.value" :key="i">
      <PlaceField
        v-for="axis in ['x', 'y'] as const"
        :key="axis"
        :label="`${CORNERS[i]} ${axis === 'x' ? 'across' : 'down'}`"
        :model-value="corner[axis]"
        @commit="editing.setCorner(i, axis, $event)"
      />
    </template>
  </NumbersFold>
</template>
