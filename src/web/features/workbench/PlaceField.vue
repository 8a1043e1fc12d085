<script setup lang="ts">
import { LIMITS } from '../../../contract/document.ts';
import NumberField from './NumberField.vue';

/** A coordinate of a place on the picture. Frame px. */
defineProps<{ label: string; modelValue: number; hint?: string }>();
const emit = defineEmits<{ commit: [value: number] }>();
</script>

<template>
  <NumberField
    :label="label"
    :hint="hint"
    unit="px"
    :model-value="modelValue"
    :min="-LIMITS.place"
    :max="LIMITS.place"
    :digits="2"
    @commit="emit('commit', $event)"
  />
</template>
