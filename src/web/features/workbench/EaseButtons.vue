<script setup lang="ts">
import SelectButton from 'primevue/selectbutton';
import type { Ease } from '../../../core/shapes/shape.ts';

/** How a shape goes on from a key, or from several; nothing is marked if they differ. */
defineProps<{ modelValue: Ease | undefined; label: string }>();
const emit = defineEmits<{ choose: [ease: Ease] }>();

const EASES: { label: string; value: Ease; title: string }[] = [
  { label: 'Straight', value: 'linear', title: 'Goes straight on to the next key' },
  { label: 'Smooth', value: 'smooth', title: 'Goes through its keys without a kink' },
  { label: 'Hold', value: 'hold', title: 'Stays until the next key' },
];
</script>

<template>
  <SelectButton
    :model-value="modelValue"
    :options="EASES"
    option-label="label"
    option-value="value"
    :allow-empty="false"
    size="small"
    :aria-label="label"
    @update:model-value="emit('choose', $event)"
  />
</template>
